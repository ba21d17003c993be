from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("forecasts", "0003_findings_and_runs"),
    ]

    operations = [
        migrations.CreateModel(
            name="ReferenceSize",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("n_cpus", models.PositiveIntegerField()),
                ("memory_bytes", models.BigIntegerField()),
                ("disk_bytes", models.BigIntegerField()),
                ("set_at", models.DateTimeField()),
            ],
            options={
                "ordering": ["pk"],
                "constraints": [
                    models.CheckConstraint(condition=models.Q(("pk", 1)), name="one_reference_size")
                ],
            },
        ),
    ]
