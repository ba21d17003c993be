"""Give what is known its home, its place and its name among the aliases."""

from django.db import migrations
from django.db.models import F, OuterRef, Subquery

BATCH_ROWS = 5000


def fill(apps, schema_editor):
    entity = apps.get_model("estate", "Entity")
    pool = apps.get_model("estate", "Pool")
    pool.objects.filter(home=None).update(home_id=F("array_id"))
    for kind, model, path in (
        ("array", "Array", "site_id"),
        ("pool", "Pool", "array__site_id"),
        ("volume", "Volume", "pool__array__site_id"),
        ("drive", "Drive", "array__site_id"),
    ):
        rows = apps.get_model("estate", model).objects.filter(pk=OuterRef("pk"))
        entity.objects.filter(kind=kind, site=None).update(
            site_id=Subquery(rows.values(found=F(path))[:1])
        )
    alias = apps.get_model("estate", "Alias")
    known = entity.objects.order_by("pk").values_list("pk", "uid").iterator(BATCH_ROWS)
    batch = []
    for pk, uid in known:
        batch.append(alias(uid=uid, entity_id=pk))
        if len(batch) == BATCH_ROWS:
            alias.objects.bulk_create(batch, ignore_conflicts=True)
            batch = []
    alias.objects.bulk_create(batch, ignore_conflicts=True)


class Migration(migrations.Migration):
    dependencies = [("estate", "0002_whole_estate")]
    operations = [migrations.RunPython(fill, migrations.RunPython.noop)]
