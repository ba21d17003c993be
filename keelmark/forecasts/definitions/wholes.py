"""Wholes over their parts: arrays, sites, clusters, tenants, projects, accounts.

What a whole holds is the sum of its parts' readings, each part's gaps bridged first: a day on
which one of them was not read is not a day on which the whole shrank.
"""

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

import numpy as np
from django.db.models import QuerySet

from keelmark.core.arrays import Float64s
from keelmark.core.forecast.sharing import summed
from keelmark.estate.models import (
    Account,
    Bucket,
    Datastore,
    Entity,
    Kind,
    Pool,
    Project,
    Tenant,
    VirtualDisk,
)
from keelmark.forecasts.definitions.horizon import LEARNT_DAYS
from keelmark.readings.selectors import Series, series_of


@dataclass(frozen=True, slots=True, kw_only=True)
class Parts:
    """What a kind of whole is added up from, and where each part's books stand."""

    found: QuerySet[Any]  # Any: a kind's model
    owner: str
    size: str
    used: str
    promised: str
    quota: type[Tenant | Project | Account] | None = None  # it ends there, not at its parts' size


# A pool that a cluster builds over volumes of other pools is counted with those.
_POOLS = Pool.objects.filter(entity__retired_at=None, array__isnull=False)
_STORES = Datastore.objects.filter(entity__retired_at=None, size_bytes__isnull=False)
_DISKS = VirtualDisk.objects.filter(entity__retired_at=None)
_BUCKETS = Bucket.objects.filter(entity__retired_at=None)
OWNERS: dict[Kind, Parts] = {
    Kind.ARRAY: Parts(
        found=_POOLS, owner="array_id", size="usable_bytes", used="used_bytes",
        promised="provisioned_bytes",
    ),
    Kind.SITE: Parts(
        found=_POOLS, owner="entity__site_id", size="usable_bytes", used="used_bytes",
        promised="provisioned_bytes",
    ),
    Kind.CLUSTER: Parts(
        found=_STORES, owner="cluster_id", size="size_bytes", used="used_bytes",
        promised="provisioned_bytes",
    ),
    Kind.TENANT: Parts(
        found=_DISKS, owner="entity__tenant_id", size="size_bytes", used="on_array_bytes",
        promised="size_bytes", quota=Tenant,
    ),
    Kind.PROJECT: Parts(
        found=_DISKS, owner="vm__project_id", size="size_bytes", used="on_array_bytes",
        promised="size_bytes", quota=Project,
    ),
    Kind.ACCOUNT: Parts(
        found=_BUCKETS, owner="account_id", size="used_bytes", used="used_bytes",
        promised="used_bytes", quota=Account,
    ),
}  # fmt: skip
PARTS_AT_ONCE = 5000


@dataclass(frozen=True, slots=True, kw_only=True)
class Whole:
    """One whole with its parts' books added up."""

    entity: Entity
    part_ids: list[int]
    usable_bytes: int | None  # its quota, where it has one; None where nothing ends it
    used_bytes: int | None  # of the parts that were read; None where none was
    provisioned_bytes: int | None
    oldest_read_at: datetime


def places_of(entity_id: int) -> list[int]:
    """Return the pools or datastores that a thing is, or is added up from."""
    kind = Entity.objects.filter(pk=entity_id).values_list("kind", flat=True).first()
    whole = OWNERS.get(Kind(kind)) if kind else None
    if whole is None:
        return [entity_id]
    return list(whole.found.filter(**{whole.owner: entity_id}).values_list("pk", flat=True))


def wholes_of(kind: Kind, *, entities: list[Entity]) -> list[Whole]:
    of_kind = OWNERS[kind]
    ids = [entity.pk for entity in entities]
    rows = of_kind.found.filter(**{f"{of_kind.owner}__in": ids}).values_list(
        of_kind.owner, "pk", of_kind.size, of_kind.used, of_kind.promised, "read_at"
    )
    by_owner: dict[int, list[tuple[Any, ...]]] = {}  # Any: the columns' own types
    for owner_id, *books in rows:
        by_owner.setdefault(owner_id, []).append(tuple(books))
    quotas = (
        dict(of_kind.quota._default_manager.filter(pk__in=ids).values_list("pk", "quota_bytes"))
        if of_kind.quota is not None
        else {}
    )
    wholes = []
    for entity in entities:
        parts = by_owner.get(entity.pk, [])
        if not parts:
            continue
        # What was never read of one part is not nothing: it is left out, its size too.
        read = [part for part in parts if part[2] is not None]
        promised = [part[3] for part in read]
        known = [amount for amount in promised if amount is not None]
        wholes.append(
            Whole(
                entity=entity,
                part_ids=[part[0] for part in parts],
                usable_bytes=(
                    quotas.get(entity.pk) if of_kind.quota else sum(part[1] for part in read)
                ),
                used_bytes=sum(part[2] for part in read) if read else None,
                provisioned_bytes=sum(known) if len(known) == len(read) else None,
                oldest_read_at=min(part[4] for part in parts),
            )
        )
    return wholes


def whole_size(entity: Entity) -> int | None:
    """Return the usable bytes of a whole, None where it has no part."""
    wholes = wholes_of(Kind(entity.kind), entities=[entity])
    return wholes[0].usable_bytes if wholes and wholes[0].part_ids else None


def days_of_whole(entity: Entity, *, n_days: int, today: date) -> Series | None:
    """Return the sum of a whole's parts a day, None where it has no part."""
    wholes = wholes_of(Kind(entity.kind), entities=[entity])
    return summed_days(wholes, today=today, n_days=n_days) if wholes else None


def summed_days(wholes: list[Whole], *, today: date, n_days: int = LEARNT_DAYS) -> Series:
    """The sum of each whole's parts a day; NaN on days on which no part was read."""
    first_on = today - timedelta(days=n_days - 1)
    used = np.full((len(wholes), n_days), np.nan)
    capacity = np.full((len(wholes), n_days), np.nan)
    for row, whole in enumerate(wholes):
        is_read = np.zeros(n_days, dtype=np.bool_)
        held, sizes = np.zeros(n_days), np.zeros(n_days)
        for begin in range(0, len(whole.part_ids), PARTS_AT_ONCE):
            chosen = whole.part_ids[begin : begin + PARTS_AT_ONCE]
            parts = series_of(chosen, first_on=first_on, last_on=today)
            is_read |= ~np.isnan(parts.used_bytes).all(axis=0)
            held += summed(parts.used_bytes)
            sizes += _sizes(parts).sum(axis=0)
        used[row], capacity[row] = np.where(is_read, (held, sizes), np.nan)
    return Series(
        entity_ids=np.array([whole.entity.pk for whole in wholes], dtype=np.int64),
        first_on=first_on,
        used_bytes=used,
        capacity_bytes=capacity,
    )


def _sizes(parts: Series) -> Float64s:
    """What each part could hold on each day: as told last, before that as told first.

    Before its first reading a part was not there; NaN where nobody ever told.
    """
    told = ~np.isnan(parts.capacity_bytes)
    at = np.maximum.accumulate(np.where(told, np.arange(told.shape[1]), -1), axis=1)
    at = np.where(at < 0, np.argmax(told, axis=1)[:, None], at)
    is_there = np.maximum.accumulate(~np.isnan(parts.used_bytes), axis=1)
    sizes: Float64s = np.where(is_there, np.take_along_axis(parts.capacity_bytes, at, axis=1), 0.0)
    return sizes
