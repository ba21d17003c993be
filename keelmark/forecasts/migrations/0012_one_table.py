"""Keeps the forecasts of pools' used bytes where all others are kept."""

from django.db import migrations, models

SAME = (
    "made_at", "as_of", "growth_per_day", "unjudged_because", "attention", "attention_because",
    "caution_early_on", "caution_likely_on", "caution_late_on", "limit_early_on",
    "limit_likely_on", "limit_late_on", "limit_chance", "full_early_on", "full_likely_on",
    "full_late_on", "said_week_ago_on", "said_month_ago_on", "crossed_on", "sort_on",
    "last_amount", "level", "noise_variance", "noise_memory", "fan", "ceiling", "by_weekday",
    "by_month_slot", "findings", "record", "reason", "reach",
)  # fmt: skip
CHECKED = "SET CONSTRAINTS ALL IMMEDIATE"  # a table with checks to come cannot be altered


def moved(apps, schema_editor):
    columns = ", ".join(SAME)
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO forecasts_keptforecast"  # noqa: S608  # nothing from outside
            f" (entity_id, metric, kind, size_amount, {columns})"
            f" SELECT pool_id, 'used', 'pool', usable_bytes, {', '.join(f'f.{x}' for x in SAME)}"
            " FROM forecasts_poolforecast f JOIN estate_pool p ON p.entity_id = f.pool_id"
        )
        cursor.execute(CHECKED)


def moved_back(apps, schema_editor):
    columns = ", ".join(SAME)
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(
            f"INSERT INTO forecasts_poolforecast (pool_id, {columns})"  # noqa: S608  # as above
            f" SELECT entity_id, {columns} FROM forecasts_keptforecast WHERE reach IS NOT NULL"
        )
        cursor.execute("DELETE FROM forecasts_keptforecast WHERE reach IS NOT NULL")
        cursor.execute(CHECKED)


class Migration(migrations.Migration):
    dependencies = [("forecasts", "0011_fans"), ("estate", "0007_volumes_without_pool")]

    operations = [
        migrations.RenameModel(old_name="ThingForecast", new_name="KeptForecast"),
        migrations.RenameIndex(
            model_name="keptforecast",
            old_name="thing_forecast_order",
            new_name="kept_forecast_order",
        ),
        migrations.AddField(
            model_name="keptforecast", name="reason", field=models.JSONField(default=list)
        ),
        migrations.AddField(
            model_name="keptforecast",
            name="reach",
            field=models.PositiveSmallIntegerField(
                choices=[
                    (0, "inside lead time"),
                    (1, "within 90 days"),
                    (2, "later"),
                    (3, "no end in sight"),
                ],
                null=True,
            ),
        ),
        migrations.RunPython(moved, moved_back, elidable=True),
        migrations.DeleteModel(name="PoolForecast"),
        migrations.AddIndex(
            model_name="keptforecast",
            index=models.Index(
                condition=models.Q(("reach__isnull", False)),
                fields=["reach", "sort_on", "entity"],
                name="pool_forecast_order",
            ),
        ),
    ]
