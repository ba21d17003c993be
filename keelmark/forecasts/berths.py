"""Berths free in clusters and datastores, today and over time."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from statistics import median_low

import numpy as np
from django.db.models import Sum

from keelmark.core.berths import Berths, ReferenceVm, Room, berths_free
from keelmark.core.forecast import paths
from keelmark.core.units import percent_of
from keelmark.estate.models import Datastore, Entity, Host, Kind, VirtualMachine
from keelmark.forecasts.models import Metric, ReferenceSize, ThingForecast
from keelmark.forecasts.selectors import outlook_of

RECENT_DAYS = 90
VCPUS_A_CORE = 4  # what is promised of a core before VMs wait for one another
LIMIT_PERCENT = 90
DAYS_AHEAD = (30, 60, 90, 180, 365)
HIGH = 0.9
LIKELY = 0.5


@dataclass(frozen=True, slots=True, kw_only=True)
class BerthsAt:
    """Berths on a day, by the likely path and by the high one."""

    on: date
    n_likely: int | None
    n_low: int | None
    limited_by: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class BerthsTold:
    """Berths of one cluster or datastore."""

    reference: ReferenceVm
    is_set: bool  # by a planner; else the median of lately
    now: Berths
    ahead: list[BerthsAt]


def reference_vm(*, now: datetime) -> tuple[ReferenceVm, bool]:
    """Return the size that a planner set, or the median VM of the last 90 days."""
    kept = ReferenceSize.objects.first()
    if kept is not None:
        return (
            ReferenceVm(
                n_cpus=kept.n_cpus, memory_bytes=kept.memory_bytes, disk_bytes=kept.disk_bytes
            ),
            True,
        )
    living = VirtualMachine.objects.filter(entity__retired_at=None)
    recent = living.filter(entity__first_seen_at__gte=now - timedelta(days=RECENT_DAYS))
    rows = list(
        (recent if recent.exists() else living)
        .annotate(disk_bytes=Sum("disks__size_bytes"))
        .values_list("n_cpus", "memory_bytes", "disk_bytes")
    )

    sizes = [[amount for amount in column if amount] for column in zip(*rows, strict=True)]
    n_cpus, memory, disk = (median_low(known) if known else 0 for known in sizes or [[], [], []])
    return ReferenceVm(n_cpus=n_cpus, memory_bytes=memory, disk_bytes=disk), False


def berths_of(entity: Entity, *, now: datetime) -> BerthsTold | None:
    """Return the berths of a cluster or a datastore, None for any other kind."""
    if entity.kind == Kind.CLUSTER:
        stores = Datastore.objects.filter(cluster_id=entity.pk, entity__retired_at=None)
        rooms = _rooms_of_hosts(entity.pk)
    elif entity.kind == Kind.DATASTORE:
        stores = Datastore.objects.filter(pk=entity.pk)
        rooms = []
    else:
        return None
    reference, is_set = reference_vm(now=now)
    found = list(stores.order_by("pk"))
    space = _free_today(found)
    ahead = _ahead(found, rooms=rooms, reference=reference, today=now.date())
    return BerthsTold(
        reference=reference,
        is_set=is_set,
        now=berths_free([*rooms, Room(resource="disk_bytes", free=space)], reference=reference),
        ahead=ahead,
    )


def _rooms_of_hosts(cluster_id: int) -> list[Room]:
    """CPU and memory that are left when the largest host is lost."""
    hosts = list(
        Host.objects.filter(cluster_id=cluster_id, entity__retired_at=None)
        .exclude(state__in=["maintenance", "faulted"])
        .values_list("n_cpus", "memory_bytes")
    )
    promised = VirtualMachine.objects.filter(
        cluster_id=cluster_id, entity__retired_at=None, power="on"
    ).aggregate(n_cpus=Sum("n_cpus"), memory_bytes=Sum("memory_bytes"))
    rooms = []
    for at, (name, factor) in enumerate((("n_cpus", VCPUS_A_CORE), ("memory_bytes", 1))):
        told = [host[at] for host in hosts]
        known = [x for x in told if x is not None]
        if not known or len(known) < len(told):
            rooms.append(Room(resource=name, free=None))
            continue
        holds = (sum(known) - max(known)) * factor
        rooms.append(Room(resource=name, free=(holds - (promised[name] or 0),)))
    return rooms


def _free_today(stores: list[Datastore]) -> tuple[int, ...] | None:
    known = [
        percent_of(store.size_bytes, LIMIT_PERCENT) - store.used_bytes
        for store in stores
        if store.size_bytes is not None and store.used_bytes is not None
    ]
    return tuple(known) if known else None


def _ahead(
    stores: list[Datastore], *, rooms: list[Room], reference: ReferenceVm, today: date
) -> list[BerthsAt]:
    """Space follows each datastore's forecast; CPU and memory stay as they are promised now."""
    kept = {
        f.entity_id: f
        for f in ThingForecast.objects.filter(
            entity_id__in=[store.pk for store in stores], metric=Metric.USED
        )
    }
    chosen = [s for s in stores if s.pk in kept and s.size_bytes is not None]
    if not chosen:
        return []
    fan = paths(
        outlook_of([kept[store.pk] for store in chosen]),
        horizon_days=DAYS_AHEAD[-1],
        quantiles=(LIKELY, HIGH),
    )
    told = []
    for days in DAYS_AHEAD:
        counted = []
        for which in (0, 1):
            used = fan[:, which, days - 1]
            # One datastore that is not judged yet, and the sum of all is not known.
            free = (
                None
                if np.isnan(used).any()
                else tuple(
                    percent_of(store.size_bytes or 0, LIMIT_PERCENT) - round(amount)
                    for store, amount in zip(chosen, used.tolist(), strict=True)
                )
            )
            counted.append(
                berths_free([*rooms, Room(resource="disk_bytes", free=free)], reference=reference)
            )
        told.append(
            BerthsAt(
                on=today + timedelta(days=days),
                n_likely=counted[0].n_free,
                n_low=counted[1].n_free,
                limited_by=counted[0].limited_by,
            )
        )
    return told
