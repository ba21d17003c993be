from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("forecasts", "0004_reference_size"),
    ]

    operations = [
        migrations.AddConstraint(
            model_name="forecastrun",
            constraint=models.UniqueConstraint(
                condition=models.Q(("state", "running")), fields=("state",), name="one_run_at_once"
            ),
        ),
    ]
