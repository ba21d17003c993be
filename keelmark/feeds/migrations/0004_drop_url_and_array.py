"""A feed is joined to what it tells of by its source, not by one array."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("feeds", "0003_addresses_and_sources")]
    operations = [
        migrations.RemoveField(model_name="feed", name="array"),
        migrations.RemoveField(model_name="feed", name="url"),
    ]
