"""Every pool has a home now, and an array's place is its entity's."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("estate", "0003_fill_places_and_names")]
    operations = [
        migrations.RemoveField(model_name="array", name="site"),
        migrations.AlterField(
            model_name="pool",
            name="home",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.PROTECT, related_name="+", to="estate.entity"
            ),
        ),
    ]
