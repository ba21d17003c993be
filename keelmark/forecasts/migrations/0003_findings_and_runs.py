import django.contrib.postgres.fields
import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("estate", "0004_homes_stand"),
        ("forecasts", "0002_said_before"),
    ]

    operations = [
        migrations.CreateModel(
            name="ForecastRun",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("asked_at", models.DateTimeField()),
                ("ended_at", models.DateTimeField(null=True)),
                (
                    "state",
                    models.CharField(
                        choices=[("running", "Running"), ("done", "Done"), ("failed", "Failed")],
                        default="running",
                        max_length=8,
                    ),
                ),
                ("is_everything", models.BooleanField(default=False)),
            ],
            options={
                "ordering": ["-asked_at", "-pk"],
            },
        ),
        migrations.RemoveField(
            model_name="poolforecast",
            name="odd_on",
        ),
        migrations.RemoveField(
            model_name="poolforecast",
            name="rhythm_bytes",
        ),
        migrations.RemoveField(
            model_name="poolforecast",
            name="shifts",
        ),
        migrations.AddField(
            model_name="poolforecast",
            name="by_month_slot_bytes",
            field=django.contrib.postgres.fields.ArrayField(
                base_field=models.FloatField(), default=list, size=None
            ),
        ),
        migrations.AddField(
            model_name="poolforecast",
            name="by_weekday_bytes",
            field=django.contrib.postgres.fields.ArrayField(
                base_field=models.FloatField(), default=list, size=None
            ),
        ),
        migrations.AddField(
            model_name="poolforecast",
            name="ceiling_bytes",
            field=models.FloatField(null=True),
        ),
        migrations.AddField(
            model_name="poolforecast",
            name="findings",
            field=models.JSONField(default=dict),
        ),
        migrations.AddField(
            model_name="poolforecast",
            name="level_bytes",
            field=models.FloatField(null=True),
        ),
        migrations.AddField(
            model_name="poolforecast",
            name="limit_chance",
            field=models.FloatField(null=True),
        ),
        migrations.AddField(
            model_name="poolforecast",
            name="noise_variance",
            field=models.FloatField(null=True),
        ),
        migrations.AddField(
            model_name="poolforecast",
            name="record",
            field=models.JSONField(default=dict),
        ),
        migrations.CreateModel(
            name="ForecastChunk",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("kind", models.CharField(max_length=20)),
                ("first_id", models.BigIntegerField()),
                ("last_id", models.BigIntegerField()),
                (
                    "state",
                    models.CharField(
                        choices=[
                            ("queued", "Queued"),
                            ("running", "Running"),
                            ("done", "Done"),
                            ("failed", "Failed"),
                        ],
                        default="queued",
                        max_length=8,
                    ),
                ),
                ("touched_at", models.DateTimeField()),
                ("n_tries", models.PositiveSmallIntegerField(default=0)),
                ("n_series", models.PositiveIntegerField(default=0)),
                ("problem", models.CharField(default="", max_length=400)),
                (
                    "run",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="chunks",
                        to="forecasts.forecastrun",
                    ),
                ),
            ],
            options={
                "ordering": ["pk"],
                "indexes": [models.Index(fields=["state", "touched_at"], name="chunk_state")],
            },
        ),
        migrations.CreateModel(
            name="ThingForecast",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("made_at", models.DateTimeField()),
                ("as_of", models.DateField(null=True)),
                ("growth_bytes_per_day", models.BigIntegerField(null=True)),
                ("unjudged_because", models.CharField(default="", max_length=200)),
                ("attention", models.CharField(db_index=True, max_length=8)),
                ("attention_because", models.CharField(max_length=200)),
                ("caution_early_on", models.DateField(null=True)),
                ("caution_likely_on", models.DateField(null=True)),
                ("caution_late_on", models.DateField(null=True)),
                ("limit_early_on", models.DateField(null=True)),
                ("limit_likely_on", models.DateField(null=True)),
                ("limit_late_on", models.DateField(null=True)),
                ("limit_chance", models.FloatField(null=True)),
                ("full_early_on", models.DateField(null=True)),
                ("full_likely_on", models.DateField(null=True)),
                ("full_late_on", models.DateField(null=True)),
                ("said_week_ago_on", models.DateField(null=True)),
                ("said_month_ago_on", models.DateField(null=True)),
                ("sort_on", models.DateField()),
                ("last_bytes", models.FloatField(null=True)),
                ("level_bytes", models.FloatField(null=True)),
                ("noise_variance", models.FloatField(null=True)),
                ("wander_variance", models.FloatField(null=True)),
                ("drift_variance", models.FloatField(null=True)),
                ("ceiling_bytes", models.FloatField(null=True)),
                (
                    "by_weekday_bytes",
                    django.contrib.postgres.fields.ArrayField(
                        base_field=models.FloatField(), default=list, size=None
                    ),
                ),
                (
                    "by_month_slot_bytes",
                    django.contrib.postgres.fields.ArrayField(
                        base_field=models.FloatField(), default=list, size=None
                    ),
                ),
                ("findings", models.JSONField(default=dict)),
                ("record", models.JSONField(default=dict)),
                (
                    "metric",
                    models.CharField(
                        choices=[("used", "Used"), ("provisioned", "Provisioned")], max_length=20
                    ),
                ),
                ("kind", models.CharField(max_length=20)),
                (
                    "entity",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="forecasts",
                        to="estate.entity",
                    ),
                ),
            ],
            options={
                "ordering": ["sort_on", "pk"],
                "abstract": False,
                "indexes": [
                    models.Index(
                        fields=["kind", "metric", "sort_on", "id"], name="thing_forecast_order"
                    )
                ],
                "constraints": [
                    models.UniqueConstraint(
                        fields=("entity", "metric"), name="one_forecast_a_metric"
                    )
                ],
            },
        ),
    ]
