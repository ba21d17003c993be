"""Daily measures beside the bytes that a thing holds, by month."""

import django.db.models.deletion
from django.db import migrations, models

MAKE_TABLE = """
CREATE TABLE readings_measure (
    entity_id bigint NOT NULL,
    measure varchar(20) NOT NULL,
    day date NOT NULL,
    amount bigint NOT NULL CHECK (amount >= 0),
    is_reckoned boolean NOT NULL,
    read_at timestamptz NOT NULL,
    PRIMARY KEY (entity_id, measure, day)
) PARTITION BY RANGE (day);
"""


class Migration(migrations.Migration):
    dependencies = [("estate", "0004_homes_stand"), ("readings", "0003_corrections")]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(MAKE_TABLE, "DROP TABLE readings_measure"),
            ],
            state_operations=[
                migrations.CreateModel(
                    name="MeasureReading",
                    fields=[
                        (
                            "pk",
                            models.CompositePrimaryKey(
                                "entity_id",
                                "measure",
                                "day",
                                blank=True,
                                editable=False,
                                primary_key=True,
                                serialize=False,
                            ),
                        ),
                        (
                            "measure",
                            models.CharField(
                                choices=[
                                    ("snapshots", "Snapshots"),
                                    ("objects_hot", "Objects Hot"),
                                    ("objects_warm", "Objects Warm"),
                                    ("objects_cold", "Objects Cold"),
                                    ("cpu", "Cpu"),
                                    ("memory", "Memory"),
                                    ("iops", "Iops"),
                                    ("throughput", "Throughput"),
                                ],
                                max_length=20,
                            ),
                        ),
                        ("day", models.DateField()),
                        ("amount", models.BigIntegerField()),
                        ("is_reckoned", models.BooleanField()),
                        ("read_at", models.DateTimeField()),
                        (
                            "entity",
                            models.ForeignKey(
                                db_constraint=False,
                                db_index=False,
                                on_delete=django.db.models.deletion.DO_NOTHING,
                                to="estate.entity",
                            ),
                        ),
                    ],
                    options={
                        "db_table": "readings_measure",
                        "ordering": ["entity_id", "measure", "day"],
                    },
                ),
            ],
        ),
    ]
