"""Amounts are in the unit of their metric; a chunk is of one metric."""

from django.db import migrations, models

METRICS = [
    (name, name.replace("_", " ").title())
    for name in (
        "used", "provisioned", "snapshots", "objects_hot", "objects_warm", "objects_cold", "cpu",
        "memory", "iops", "throughput",
    )
]  # fmt: skip


class Migration(migrations.Migration):
    dependencies = [("forecasts", "0005_one_run_at_once"), ("readings", "0004_measures")]

    operations = [
        migrations.RenameField("PoolForecast", "growth_bytes_per_day", "growth_per_day"),
        migrations.RenameField("PoolForecast", "last_bytes", "last_amount"),
        migrations.RenameField("PoolForecast", "level_bytes", "level"),
        migrations.RenameField("PoolForecast", "ceiling_bytes", "ceiling"),
        migrations.RenameField("PoolForecast", "by_weekday_bytes", "by_weekday"),
        migrations.RenameField("PoolForecast", "by_month_slot_bytes", "by_month_slot"),
        migrations.AlterField("PoolForecast", "growth_per_day", models.FloatField(null=True)),
        migrations.RenameField("ThingForecast", "growth_bytes_per_day", "growth_per_day"),
        migrations.RenameField("ThingForecast", "last_bytes", "last_amount"),
        migrations.RenameField("ThingForecast", "level_bytes", "level"),
        migrations.RenameField("ThingForecast", "ceiling_bytes", "ceiling"),
        migrations.RenameField("ThingForecast", "by_weekday_bytes", "by_weekday"),
        migrations.RenameField("ThingForecast", "by_month_slot_bytes", "by_month_slot"),
        migrations.AlterField("ThingForecast", "growth_per_day", models.FloatField(null=True)),
        migrations.AlterField(
            "ThingForecast", "metric", models.CharField(max_length=20, choices=METRICS)
        ),
        migrations.AddField("ThingForecast", "size_amount", models.BigIntegerField(null=True)),
        migrations.AddField("ThingForecast", "marks_set_at", models.DateTimeField(null=True)),
        migrations.AddField(
            "ForecastChunk",
            "metric",
            models.CharField(max_length=20, choices=METRICS, default="used"),
        ),
    ]
