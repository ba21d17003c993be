"""What a complete delivery does not name is gone from its source; what all lost is retired."""

from datetime import datetime
from typing import Any

from django.db.models import QuerySet

from keelmark.estate.errors import UnknownParentError
from keelmark.estate.models import Alias, Entity, Kind, Source, Statement

# What lies under a thing, as paths from the entity to it.
_UNDER: dict[Kind, tuple[str, ...]] = {
    Kind.ARRAY: (
        "as_port__array", "as_shelf__array", "as_drive__array", "as_pool__array",
        "as_volume__pool__array", "as_volume__array",
    ),
    Kind.CLUSTER: ("as_host__cluster", "as_datastore__cluster", "as_pool__cluster"),
    Kind.HOST: (
        "as_virtualmachine__host", "as_virtualdisk__vm__host", "as_hostdevice__host",
        "as_drive__host",
    ),
    Kind.ACCOUNT: ("as_bucket__account",),
    Kind.DATASTORE: ("as_file__datastore",),
}  # fmt: skip
# A snapshot lies under whatever the thing lies under that it was taken of.
_SNAPSHOTS: dict[Kind, tuple[str, ...]] = {
    Kind.ARRAY: (
        "as_snapshot__of__as_volume__pool__array",
        "as_snapshot__of__as_volume__array",
    ),
    Kind.HOST: ("as_snapshot__of__as_virtualmachine__host",),
}


def retire_unnamed(
    *, of_uid: str | None, source: Source, delivery: int, at: datetime
) -> dict[Kind, list[int]]:
    """Take the things that a complete delivery left out as gone; return the retired by kind."""
    unnamed = Statement.objects.filter(source=source, gone_at=None, read_at__lte=at).exclude(
        delivery=delivery
    )
    if of_uid is not None:
        unnamed = unnamed.filter(entity__in=_under(of_uid))
    lost = dict(unnamed.values_list("entity_id", "read_at"))
    if not lost:
        return {}
    Statement.objects.filter(source=source, entity_id__in=lost).update(gone_at=at)
    return retire_unheard(lost, at=at)


def retire_unheard(lost: dict[int, datetime], *, at: datetime) -> dict[Kind, list[int]]:
    """Retire those of the things that nobody has seen since they were seen last where lost.

    A file that was imported once, before the feed that lost the thing saw it last, does not
    keep it alive.
    """
    heard = {
        pk
        for pk, read_at in Statement.objects.filter(
            entity_id__in=lost, gone_at=None, is_sighting=True
        ).values_list("entity_id", "read_at")
        if read_at > lost[pk]
    }
    gone = Entity.objects.filter(pk__in=lost.keys() - heard, retired_at=None)
    retired: dict[Kind, list[int]] = {}
    for pk, kind in gone.order_by("pk").values_list("pk", "kind"):
        retired.setdefault(Kind(kind), []).append(pk)
    Entity.objects.filter(pk__in=[pk for pks in retired.values() for pk in pks]).update(
        retired_at=at
    )
    return retired


def forget_source(source: Source, *, at: datetime) -> set[int]:
    """Forget a source; what no other tells of is retired, what others tell of is returned."""
    lost = dict(source.statements.filter(gone_at=None).values_list("entity_id", "read_at"))
    source.statements.all().delete()
    told = set(
        Statement.objects.filter(entity_id__in=lost, gone_at=None, is_sighting=True).values_list(
            "entity_id", flat=True
        )
    )
    retire_unheard({pk: at for pk in lost if pk not in told}, at=at)
    source.delete()
    return told


def _under(of_uid: str) -> QuerySet[Entity, Any]:
    """The ids of what lies under a thing, path after path: one join over all of them is slow."""
    found = Alias.objects.filter(uid=of_uid).values_list("entity_id", "entity__kind").first()
    if found is None:
        raise UnknownParentError(uid="complete", parent_uid=of_uid)
    pk, kind = found[0], Kind(found[1])
    paths = (*_UNDER.get(kind, ()), *_SNAPSHOTS.get(kind, ()))
    each = [Entity.objects.filter(**{path: pk}).order_by().values("pk") for path in paths]
    return Entity.objects.none().values("pk").union(*each, all=True)
