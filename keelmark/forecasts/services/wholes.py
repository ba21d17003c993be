"""Makes forecasts of wholes over their parts: arrays, sites, clusters, tenants, accounts.

A whole is forecast from the sum of its parts' readings, each part's gaps bridged first: a day on
which one of them was not read is not a day on which the whole shrank.
"""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

import numpy as np
from django.db.models import Exists, OuterRef, Q, QuerySet

from keelmark.core.arrays import Int64s
from keelmark.core.forecast.kin import NO_KIN
from keelmark.core.forecast.sharing import summed
from keelmark.core.ledger import Ledger
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
from keelmark.forecasts.marks import nearest_marks
from keelmark.forecasts.models import Metric, ThingForecast
from keelmark.forecasts.services.estate_record import widening_known
from keelmark.forecasts.services.making import (
    LEARNT_DAYS,
    NO_MARK,
    Subjects,
    judgement_of,
    kept_fields,
    made_of,
)
from keelmark.forecasts.services.things import RESTS, keep
from keelmark.readings.selectors import Series, series_of


@dataclass(frozen=True, slots=True, kw_only=True)
class _Parts:
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
OWNERS: dict[Kind, _Parts] = {
    Kind.ARRAY: _Parts(
        found=_POOLS, owner="array_id", size="usable_bytes", used="used_bytes",
        promised="provisioned_bytes",
    ),
    Kind.SITE: _Parts(
        found=_POOLS, owner="entity__site_id", size="usable_bytes", used="used_bytes",
        promised="provisioned_bytes",
    ),
    Kind.CLUSTER: _Parts(
        found=_STORES, owner="cluster_id", size="size_bytes", used="used_bytes",
        promised="provisioned_bytes",
    ),
    Kind.TENANT: _Parts(
        found=_DISKS, owner="entity__tenant_id", size="size_bytes", used="on_array_bytes",
        promised="size_bytes", quota=Tenant,
    ),
    Kind.PROJECT: _Parts(
        found=_DISKS, owner="vm__project_id", size="size_bytes", used="on_array_bytes",
        promised="size_bytes", quota=Project,
    ),
    Kind.ACCOUNT: _Parts(
        found=_BUCKETS, owner="account_id", size="used_bytes", used="used_bytes",
        promised="used_bytes", quota=Account,
    ),
}  # fmt: skip
PARTS_AT_ONCE = 5000


@dataclass(frozen=True, slots=True, kw_only=True)
class _Whole:
    """One whole with its parts' books added up."""

    entity: Entity
    part_ids: list[int]
    usable_bytes: int | None  # its quota, where it has one; None where nothing ends it
    used_bytes: int
    provisioned_bytes: int | None
    oldest_read_at: datetime

    @property
    def ledger(self) -> Ledger | None:
        """Its books, with the nearest marks; None where nothing ends it."""
        if self.usable_bytes is None:
            return None
        return Ledger(
            usable_bytes=self.usable_bytes,
            used_bytes=self.used_bytes,
            provisioned_bytes=self.provisioned_bytes,
            marks=nearest_marks(self.entity),
        )


def wanting_wholes(kind: Kind, *, since: datetime | None, now: datetime) -> QuerySet[Entity]:
    """Return the wholes of a kind that want a forecast."""
    own = ThingForecast.objects.of_these_marks().filter(
        entity_id=OuterRef("pk"), metric=Metric.USED
    )
    stands = own.filter(Q(made_at__gte=since) if since else Q(made_at__gte=now - RESTS))
    of_kind = OWNERS[kind]
    parts = of_kind.found.filter(**{of_kind.owner: OuterRef("pk")})
    living = Entity.objects.filter(kind=kind, retired_at=None)
    return living.filter(Exists(parts)).filter(~Exists(stands)).order_by("pk")


def forecast_wholes(
    kind: Kind, *, first_id: int, last_id: int, since: datetime | None, now: datetime
) -> int:
    """Make the forecasts of a range of wholes, all or none; return how many."""
    found = wanting_wholes(kind, since=since, now=now).filter(pk__gte=first_id, pk__lte=last_id)
    wholes = _wholes(kind, entities=list(found.select_related("site")))
    if not wholes:
        return 0
    made = made_of(_summed(wholes, today=now.date()), subjects=_subjects(wholes), now=now)
    stood = dict(
        ThingForecast.objects.filter(
            entity__in=[whole.entity for whole in wholes], metric=Metric.USED
        ).values_list("entity_id", "attention")
    )
    keep(
        [
            ThingForecast(
                entity=whole.entity,
                metric=Metric.USED,
                kind=kind,
                size_amount=whole.usable_bytes,
                **kept_fields(
                    made,
                    index=index,
                    judgement=judgement_of(
                        whole.ledger,
                        made=made,
                        index=index,
                        read_at=whole.oldest_read_at,
                        stood=stood.get(whole.entity.pk),
                        without="it has no quota to fill",
                    ),
                ),
            )
            for index, whole in enumerate(wholes)
        ]
    )
    return len(wholes)


def _wholes(kind: Kind, *, entities: list[Entity]) -> list[_Whole]:
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
        promised = [part[3] for part in parts]
        known = [amount for amount in promised if amount is not None]
        wholes.append(
            _Whole(
                entity=entity,
                part_ids=[part[0] for part in parts],
                usable_bytes=(
                    quotas.get(entity.pk) if of_kind.quota else sum(part[1] for part in parts)
                ),
                used_bytes=sum(part[2] or 0 for part in parts),
                provisioned_bytes=sum(known) if len(known) == len(parts) else None,
                oldest_read_at=min(part[4] for part in parts),
            )
        )
    return wholes


def whole_size(entity: Entity) -> int | None:
    """Return the usable bytes of a whole, None where it has no part."""
    wholes = _wholes(Kind(entity.kind), entities=[entity])
    return wholes[0].usable_bytes if wholes and wholes[0].part_ids else None


def days_of_whole(entity: Entity, *, n_days: int, today: date) -> Series | None:
    """Return the sum of a whole's parts a day, None where it has no part."""
    wholes = _wholes(Kind(entity.kind), entities=[entity])
    return _summed(wholes, today=today, n_days=n_days) if wholes else None


def _summed(wholes: list[_Whole], *, today: date, n_days: int = LEARNT_DAYS) -> Series:
    """The sum of each whole's parts a day; NaN on days on which no part was read."""
    first_on = today - timedelta(days=n_days - 1)
    used = np.full((len(wholes), n_days), np.nan)
    capacity = np.full((len(wholes), n_days), np.nan)
    for row, whole in enumerate(wholes):
        is_read = np.zeros(n_days, dtype=np.bool_)
        sums = np.zeros((2, n_days))
        for begin in range(0, len(whole.part_ids), PARTS_AT_ONCE):
            chosen = whole.part_ids[begin : begin + PARTS_AT_ONCE]
            parts = series_of(chosen, first_on=first_on, last_on=today)
            is_read |= ~np.isnan(parts.used_bytes).all(axis=0)
            # Before its first reading a part was not there.
            for at, amounts in enumerate((parts.used_bytes, parts.capacity_bytes)):
                sums[at] += summed(amounts)
        used[row], capacity[row] = np.where(is_read, sums, np.nan)
    return Series(
        entity_ids=np.array([whole.entity.pk for whole in wholes], dtype=np.int64),
        first_on=first_on,
        used_bytes=used,
        capacity_bytes=capacity,
    )


def _subjects(wholes: list[_Whole]) -> Subjects:
    ledgers = [whole.ledger for whole in wholes]

    def marks(of: Callable[[Ledger], int]) -> Int64s:
        return np.array([NO_MARK if x is None else of(x) for x in ledgers], dtype=np.int64)

    return Subjects(
        ids=np.array([whole.entity.pk for whole in wholes], dtype=np.int64),
        marks={
            "caution": marks(lambda x: x.caution_bytes),
            "limit": marks(lambda x: x.limit_bytes),
            "full": marks(lambda x: x.usable_bytes),
        },
        ceiling_bytes=np.full(len(wholes), np.inf),
        kin=np.full(len(wholes), NO_KIN, dtype=np.int64),
        widening=widening_known(Kind(wholes[0].entity.kind), Metric.USED),
    )
