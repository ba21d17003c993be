"""Keeps three quantiles after some days in the place of variances that grow with the days."""

from django.contrib.postgres.fields import ArrayField
from django.db import migrations, models

KNOTS_DAYS = (1, 3, 7, 14, 28, 56, 90, 135, 180, 270, 365, 540, 730)  # as they were then
EDGE = 1.2815515655446004
TABLES = ("forecasts_poolforecast", "forecasts_thingforecast")


def _amount(days: int, spreads: float) -> str:
    spread = f"sqrt(noise_variance + wander_variance * {days} + drift_variance * {days * days})"
    return f"level + growth_per_day * {days} + {spreads} * {spread}"


def drawn(apps, schema_editor):
    amounts = ", ".join(_amount(days, edge) for edge in (-EDGE, 0.0, EDGE) for days in KNOTS_DAYS)
    with schema_editor.connection.cursor() as cursor:
        for table in TABLES:
            cursor.execute(
                f"UPDATE {table} SET fan = ARRAY[{amounts}]"  # noqa: S608  # nothing from outside
                " WHERE growth_per_day IS NOT NULL AND level IS NOT NULL"
                " AND noise_variance + wander_variance + drift_variance IS NOT NULL"
            )


class Migration(migrations.Migration):
    dependencies = [("forecasts", "0010_widening")]

    operations = [
        *(
            migrations.AddField(
                model_name=model,
                name=name,
                field=field,
            )
            for model in ("poolforecast", "thingforecast")
            for name, field in (
                ("fan", ArrayField(models.FloatField(), default=list)),
                ("noise_memory", models.PositiveSmallIntegerField(default=0)),
            )
        ),
        migrations.RunPython(drawn, migrations.RunPython.noop, elidable=True),
        *(
            migrations.RemoveField(model_name=model, name=name)
            for model in ("poolforecast", "thingforecast")
            for name in ("wander_variance", "drift_variance")
        ),
    ]
