"""Give every feed its source, and its one URL as the first of its addresses."""

from django.db import migrations


def fill(apps, schema_editor):
    source = apps.get_model("estate", "Source")
    for feed in apps.get_model("feeds", "Feed").objects.filter(source=None):
        feed.source, _ = source.objects.get_or_create(
            name=feed.name, defaults={"protocol": "redfish"}
        )
        feed.addresses = [feed.url]
        feed.save(update_fields=["source", "addresses"])


class Migration(migrations.Migration):
    dependencies = [("feeds", "0002_every_protocol"), ("estate", "0004_homes_stand")]
    operations = [migrations.RunPython(fill, migrations.RunPython.noop)]
