"""Names are found by parts of them and with slips of the hand: an index of their trigrams."""

from django.contrib.postgres.indexes import GinIndex, OpClass
from django.contrib.postgres.operations import TrigramExtension
from django.db import migrations
from django.db.models.functions import Lower


class Migration(migrations.Migration):
    dependencies = [("estate", "0007_volumes_without_pool")]
    operations = [
        TrigramExtension(),
        migrations.AddIndex(
            model_name="entity",
            index=GinIndex(
                OpClass(Lower("name"), name="gin_trgm_ops"), name="entity_name_trigrams"
            ),
        ),
    ]
