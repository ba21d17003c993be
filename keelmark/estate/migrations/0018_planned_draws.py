from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("estate", "0017_allotments"),
    ]

    operations = [
        migrations.AddField(
            model_name="drawnvolume",
            name="is_planned",
            field=models.BooleanField(default=False),
        ),
        migrations.AlterField(
            model_name="drawnvolume",
            name="scenario_id",
            field=models.BigIntegerField(db_index=True),
        ),
        migrations.AddConstraint(
            model_name="drawnvolume",
            constraint=models.UniqueConstraint(
                models.F("scenario_id"),
                models.F("name"),
                condition=models.Q(("dropped_at", None)),
                name="drawn_once_a_plan",
            ),
        ),
    ]
