"""What is told of one thing by its kind: who sees it, what it is built of, what hangs on it."""

from collections.abc import Callable
from datetime import datetime, timedelta

import numpy as np
from django.contrib.auth.models import User

from keelmark.access.selectors import sees_all
from keelmark.bearings.selectors.details import compute, objects, owners, storage
from keelmark.bearings.selectors.details.section import MOST_ROWS, Column, Row, Section, told
from keelmark.core.forecast.sharing import summed
from keelmark.estate import models
from keelmark.estate.models import Entity, Kind
from keelmark.readings.selectors import series_of

HISTORY_DAYS = 400


def sections_of(actor: User, *, entity: Entity) -> list[Section]:
    """Return what is told of a thing that was found for its reader, by its kind."""
    # Whoever looks after one tenant sees no places: what is shared by many is not told to them.
    by_kind = _BY_KIND if sees_all(actor) else _OF_TENANTS
    makers = by_kind.get(Kind(entity.kind), ())
    found = [section for make in makers if (section := make(entity)) is not None]
    return [*found, *(_findings(entity) if sees_all(actor) else []), *_events(entity)]


def history_of(entity: Entity, *, now: datetime) -> list[tuple[str, int]]:
    """Return the used bytes a day of what is read through its disks alone: a VM, a host."""
    paths = {Kind.VM: "vm_id", Kind.HOST: "vm__host_id"}
    path = paths.get(Kind(entity.kind))
    if path is None:
        return []
    disks = models.VirtualDisk.objects.filter(**{path: entity.pk}, entity__retired_at=None)
    ids = list(disks.values_list("pk", flat=True))
    first_on = now.date() - timedelta(days=HISTORY_DAYS)
    if not ids:
        return []
    series = series_of(ids, first_on=first_on, last_on=now.date())
    is_read = ~np.isnan(series.used_bytes).all(axis=0)
    held = summed(series.used_bytes)
    return [
        (series.on(int(day)).isoformat(), round(float(held[day])))
        for day in np.flatnonzero(is_read)
    ]


def _findings(entity: Entity) -> list[Section]:
    found = models.Finding.objects.filter(entity=entity.pk, ended_at=None).order_by("found_at")
    rows = [Row(cells=(one.detail, one.found_at.isoformat())) for one in found]
    section = told(
        "findings", "Found", rows, Column(name="what"), Column(name="since", measure="moment")
    )
    return [section] if section else []


def _events(entity: Entity) -> list[Section]:
    happened = models.Event.objects.filter(of=entity.pk).select_related("from_entity", "to_entity")
    rows = [
        Row(
            cells=(
                one.at.isoformat(), one.what, one.by or "noticed by us",
                one.from_entity.name if one.from_entity else None,
                one.to_entity.name if one.to_entity else None,
            )
        )
        for one in happened[:MOST_ROWS]
    ]  # fmt: skip
    section = told(
        "events", "Events", rows,
        Column(name="at", measure="moment"), Column(name="what"), Column(name="by"),
        Column(name="from"), Column(name="to"),
    )  # fmt: skip
    return [section] if section else []


Maker = Callable[[Entity], Section | None]
_BY_KIND: dict[Kind, tuple[Maker, ...]] = {
    Kind.VM: (compute.snapshots, compute.protection),
    Kind.DATASTORE: (compute.extents, compute.sights, compute.files),
    Kind.VOLUME: (storage.mappings, storage.copies, compute.protection),
    Kind.ARRAY: (
        storage.whereabouts, storage.faults, storage.controllers, storage.ports, storage.drives,
        storage.shelves,
    ),
    Kind.POOL: (storage.backings, storage.faults, storage.drives),
    Kind.CLUSTER: (compute.hosts,),
    Kind.HOST: (compute.devices, storage.drives),
    Kind.TENANT: (owners.quotas, owners.came),
    Kind.PROJECT: (owners.quotas, owners.came),
    Kind.ACCOUNT: (objects.tiers, objects.largest),
    Kind.BUCKET: (objects.tiers, objects.largest),
}  # fmt: skip
_OF_TENANTS: dict[Kind, tuple[Maker, ...]] = {
    Kind.VM: (compute.snapshots, compute.protection),
    Kind.TENANT: (owners.quotas, owners.came),
    Kind.PROJECT: (owners.quotas, owners.came),
    Kind.ACCOUNT: (objects.tiers, objects.largest),
    Kind.BUCKET: (objects.tiers, objects.largest),
}
