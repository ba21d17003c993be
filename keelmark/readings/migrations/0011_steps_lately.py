"""The newest steps of many things together: made anew at any time, so it is not logged."""

from django.db import migrations, models

UNLOGGED = """
ALTER TABLE readings_stepslately SET UNLOGGED;
ALTER TABLE readings_stepslately ALTER COLUMN content SET STORAGE EXTERNAL;
"""


class Migration(migrations.Migration):
    dependencies = [("readings", "0010_instants")]

    operations = [
        migrations.CreateModel(
            name="StepsLately",
            fields=[
                ("of", models.CharField(max_length=16, primary_key=True, serialize=False)),
                ("made_at", models.DateTimeField()),
                ("end_at", models.DateTimeField()),
                ("content", models.BinaryField()),
            ],
        ),
        migrations.RunSQL(UNLOGGED, migrations.RunSQL.noop),
    ]
