"""Writes the inventory: joins documents by worldwide name, never loses what is younger."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import TypeVar

from django.db import transaction
from django.db.models import F, Field, Sum

from keelmark.estate.documents import (
    ArrayDocument,
    DriveDocument,
    InventoryDocument,
    PoolDocument,
    VolumeDocument,
)
from keelmark.estate.errors import UnknownParentError
from keelmark.estate.models import (
    Array,
    Drive,
    Entity,
    Kind,
    Pool,
    ServiceClass,
    Site,
    Volume,
)

BATCH_ROWS = 2000
Row = TypeVar("Row", Pool, Volume, Drive)
Dated = ArrayDocument | PoolDocument | VolumeDocument | DriveDocument


@dataclass(slots=True, kw_only=True)
class Difference:
    """What a recording changed, counted by kind."""

    n_new: dict[str, int] = field(default_factory=dict)
    n_changed: dict[str, int] = field(default_factory=dict)
    n_retired: dict[str, int] = field(default_factory=dict)


@transaction.atomic
def record_inventory(
    documents: Sequence[InventoryDocument], *, difference: Difference
) -> dict[str, int]:
    """Write inventory documents and return the entity id of each uid.

    Parents come before children, in the batch or in the database. A document that is older
    than what is known changes nothing but may be new. Runs twice without harm.
    """
    ids: dict[str, int] = {}
    arrays = [d for d in documents if isinstance(d, ArrayDocument)]
    pools = [d for d in documents if isinstance(d, PoolDocument)]
    volumes = [d for d in documents if isinstance(d, VolumeDocument)]
    drives = [d for d in documents if isinstance(d, DriveDocument)]
    _record_arrays(arrays, ids=ids, difference=difference)
    _record_pools(pools, ids=ids, difference=difference)
    _record_volumes(volumes, ids=ids, difference=difference)
    _record_drives(drives, ids=ids, difference=difference)
    _sum_thick(pool_ids={ids[d.uid] for d in pools} | {ids[d.pool_uid] for d in volumes})
    return ids


@transaction.atomic
def retire_unseen(
    *, array_uid: str, seen_uids: set[str], at: datetime, difference: Difference
) -> None:
    """Retire what lies in an array and was not named by its complete collection."""
    for kind, path in (
        (Kind.POOL, "pool__array__entity__uid"),
        (Kind.VOLUME, "volume__pool__array__entity__uid"),
        (Kind.DRIVE, "drive__array__entity__uid"),
    ):
        gone = Entity.objects.filter(
            kind=kind, retired_at=None, last_seen_at__lte=at, **{path: array_uid}
        ).exclude(uid__in=seen_uids)
        n_gone = gone.update(retired_at=at)
        if n_gone:
            difference.n_retired[kind] = difference.n_retired.get(kind, 0) + n_gone


def _record_arrays(
    documents: list[ArrayDocument], *, ids: dict[str, int], difference: Difference
) -> None:
    site_ids = _sites(sorted({d.site for d in documents if d.site}), documents=documents)
    ids.update(_entities(Kind.ARRAY, documents=documents, difference=difference))
    Array.objects.bulk_create(
        [
            Array(
                entity_id=ids[d.uid],
                site_id=site_ids.get(d.site or ""),
                model=d.model or "",
                n_ports=d.n_ports,
            )
            for d in documents
            if d.site or not Array.objects.filter(pk=ids[d.uid]).exists()
        ],
        update_conflicts=True,
        unique_fields=["entity"],
        update_fields=["site", "model", "n_ports"],
    )


def _record_pools(
    documents: list[PoolDocument], *, ids: dict[str, int], difference: Difference
) -> None:
    ids.update(_known({d.array_uid for d in documents} - ids.keys()))
    classes = _classes(sorted({d.service_class for d in documents if d.service_class}))
    ids.update(_entities(Kind.POOL, documents=documents, difference=difference))
    rows = [
        Pool(
            entity_id=ids[d.uid],
            array_id=_parent(ids, uid=d.uid, parent_uid=d.array_uid),
            service_class_id=classes.get(d.service_class or ""),
            usable_bytes=d.usable_bytes,
            used_bytes=d.used_bytes,
            provisioned_bytes=d.provisioned_bytes,
            logical_written_bytes=d.logical_written_bytes,
            read_at=d.read_at,
        )
        for d in documents
    ]
    _write(
        Pool,
        rows=rows,
        fields=["array", "service_class", "usable_bytes", "used_bytes", "provisioned_bytes",
                "logical_written_bytes", "read_at"],
        difference=difference,
    )  # fmt: skip


def _record_volumes(
    documents: list[VolumeDocument], *, ids: dict[str, int], difference: Difference
) -> None:
    ids.update(_known({d.pool_uid for d in documents} - ids.keys()))
    ids.update(_entities(Kind.VOLUME, documents=documents, difference=difference))
    rows = [
        Volume(
            entity_id=ids[d.uid],
            pool_id=_parent(ids, uid=d.uid, parent_uid=d.pool_uid),
            size_bytes=d.size_bytes,
            written_bytes=d.written_bytes,
            provisioning=d.provisioning,
            is_mapped=d.is_mapped,
            read_at=d.read_at,
        )
        for d in documents
    ]
    _write(
        Volume,
        rows=rows,
        fields=["pool", "size_bytes", "written_bytes", "provisioning", "is_mapped", "read_at"],
        difference=difference,
    )


def _record_drives(
    documents: list[DriveDocument], *, ids: dict[str, int], difference: Difference
) -> None:
    parents = {d.array_uid for d in documents} | {d.pool_uid for d in documents if d.pool_uid}
    ids.update(_known(parents - ids.keys()))
    ids.update(_entities(Kind.DRIVE, documents=documents, difference=difference))
    rows = [
        Drive(
            entity_id=ids[d.uid],
            array_id=_parent(ids, uid=d.uid, parent_uid=d.array_uid),
            pool_id=_parent(ids, uid=d.uid, parent_uid=d.pool_uid) if d.pool_uid else None,
            capacity_bytes=d.capacity_bytes,
            role=d.role,
            media=d.media,
            read_at=d.read_at,
        )
        for d in documents
    ]
    _write(
        Drive,
        rows=rows,
        fields=["array", "pool", "capacity_bytes", "role", "media", "read_at"],
        difference=difference,
    )


def _entities(kind: Kind, *, documents: Sequence[Dated], difference: Difference) -> dict[str, int]:
    """Make or refresh the identities; younger names and sightings win."""
    latest = {d.uid: d for d in sorted(documents, key=lambda d: d.read_at)}
    before = {e.uid: e for e in Entity.objects.filter(uid__in=latest)}
    new = [d for uid, d in latest.items() if uid not in before]
    Entity.objects.bulk_create(
        [
            Entity(kind=kind, uid=d.uid, name=d.name, first_seen_at=d.read_at,
                   last_seen_at=d.read_at)
            for d in new
        ],
        batch_size=BATCH_ROWS,
        ignore_conflicts=True,
    )  # fmt: skip
    seen_again = []
    for uid, entity in before.items():
        document = latest[uid]
        entity.first_seen_at = min(entity.first_seen_at, document.read_at)
        if document.read_at >= entity.last_seen_at:
            entity.name = document.name
            entity.last_seen_at = document.read_at
            entity.retired_at = None
        seen_again.append(entity)
    Entity.objects.bulk_update(
        seen_again,
        ["name", "first_seen_at", "last_seen_at", "retired_at"],
        batch_size=BATCH_ROWS,
    )
    if new:
        difference.n_new[kind] = difference.n_new.get(kind, 0) + len(new)
    return _known(set(latest))


def _known(uids: set[str]) -> dict[str, int]:
    return dict(Entity.objects.filter(uid__in=uids).values_list("uid", "pk"))


def _parent(ids: dict[str, int], *, uid: str, parent_uid: str) -> int:
    if parent_uid not in ids:
        raise UnknownParentError(uid=uid, parent_uid=parent_uid)
    return ids[parent_uid]


def _sites(names: list[str], *, documents: list[ArrayDocument]) -> dict[str, int]:
    """A site has no worldwide name: its own name within this installation is its identity."""
    site_ids: dict[str, int] = {}
    if not names:
        return site_ids
    at = min(d.read_at for d in documents)
    for name in names:
        entity, _ = Entity.objects.get_or_create(
            uid=f"site.{name}",
            defaults={"kind": Kind.SITE, "name": name, "first_seen_at": at, "last_seen_at": at},
        )
        site, _ = Site.objects.get_or_create(entity=entity)
        site_ids[name] = site.pk
    return site_ids


def _classes(names: Iterable[str]) -> dict[str, int]:
    return {name: ServiceClass.objects.get_or_create(name=name)[0].pk for name in names}


def _write(model: type[Row], *, rows: list[Row], fields: list[str], difference: Difference) -> None:
    """Write the rows that are not older than what stands there, and count what changed."""
    latest = {row.pk: row for row in sorted(rows, key=lambda row: row.read_at)}
    standing = model._default_manager.in_bulk(list(latest))
    young = [
        row
        for pk, row in latest.items()
        if pk not in standing or row.read_at >= standing[pk].read_at
    ]
    compared = [_column_of(model, name=name) for name in fields if name != "read_at"]
    for row in young:
        if row.pk in standing:
            _keep_known(row, standing=standing[row.pk], columns=compared)
    n_changed = sum(
        any(getattr(row, name) != getattr(standing[row.pk], name) for name in compared)
        for row in young
        if row.pk in standing
    )
    model._default_manager.bulk_create(
        young,
        batch_size=BATCH_ROWS,
        update_conflicts=True,
        unique_fields=["entity"],
        update_fields=fields,
    )
    if n_changed:
        kind = model.__name__.lower()
        difference.n_changed[kind] = difference.n_changed.get(kind, 0) + n_changed


def _column_of(model: type[Row], *, name: str) -> str:
    field_of = model._meta.get_field(name)
    return field_of.attname if isinstance(field_of, Field) else name


def _keep_known(row: Row, *, standing: Row, columns: list[str]) -> None:
    """What a source leaves out this time is still what it said last time."""
    for column in columns:
        if getattr(row, column) is None:
            setattr(row, column, getattr(standing, column))


def _sum_thick(*, pool_ids: set[int]) -> None:
    """Keep each pool's unwritten thick space: promised in full, so not plannable."""
    sums = dict(
        Volume.objects.filter(
            pool_id__in=pool_ids,
            provisioning=Volume.Provisioning.THICK,
            written_bytes__lt=F("size_bytes"),
            entity__retired_at=None,
        )
        .values_list("pool_id")
        .annotate(unwritten=Sum(F("size_bytes") - F("written_bytes")))
    )
    pools = Pool.objects.filter(pk__in=pool_ids).select_for_update().order_by("pk")
    changed = []
    for pool in pools:
        pool.thick_unwritten_bytes = int(sums.get(pool.pk, 0))
        changed.append(pool)
    Pool.objects.bulk_update(changed, ["thick_unwritten_bytes"], batch_size=BATCH_ROWS)
