"""Berths free in clusters and datastores, today and over time."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from statistics import median_low

from django.db.models import Count, Sum

from keelmark.core.berths import Berths, ReferenceVm, Room, berths_free
from keelmark.core.forecast import paths
from keelmark.core.units import percent_of
from keelmark.estate.hosting import serves
from keelmark.estate.marks import nearest_marks
from keelmark.estate.models import Datastore, Entity, Kind, VirtualMachine
from keelmark.forecasts.definitions.hosting import held_by_hosts
from keelmark.forecasts.definitions.kept import outlook_of
from keelmark.forecasts.models import KeptForecast, MedianSize, Metric, ReferenceSize

RECENT_DAYS = 90
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
    held_still: list[str]  # resources without a forecast, counted as they are today


def reference_vm(*, now: datetime) -> tuple[ReferenceVm, bool]:
    """Return the size that a planner set, or the median VM of the last 90 days."""
    kept = ReferenceSize.objects.first()
    size = kept or MedianSize.objects.first()
    if size is None:
        return median_vm(now=now), False
    told = ReferenceVm(
        n_cpus=size.n_cpus, memory_bytes=size.memory_bytes, disk_bytes=size.disk_bytes
    )
    return told, kept is not None


def median_vm(*, now: datetime) -> ReferenceVm:
    """Return the median VM of the last 90 days, of all where none came since."""
    living = VirtualMachine.objects.filter(entity__retired_at=None)
    recent = living.filter(entity__first_seen_at__gte=now - timedelta(days=RECENT_DAYS))
    rows = list(
        (recent if recent.exists() else living)
        .annotate(disk_bytes=Sum("disks__size_bytes"))
        .values_list("n_cpus", "memory_bytes", "disk_bytes")
    )

    sizes = [[amount for amount in column if amount] for column in zip(*rows, strict=True)]
    n_cpus, memory, disk = (median_low(known) if known else 0 for known in sizes or [[], [], []])
    return ReferenceVm(n_cpus=n_cpus, memory_bytes=memory, disk_bytes=disk)


def berths_of(entity: Entity, *, now: datetime) -> BerthsTold | None:
    """Return the berths of a cluster or a datastore, None for any other kind."""
    stores = Datastore.objects.filter(entity__retired_at=None).select_related("entity__site")
    if entity.kind == Kind.CLUSTER:
        found = list(stores.filter(serves(entity.pk)).order_by("pk"))
        hosts = _of_hosts(entity.pk)
    elif entity.kind == Kind.DATASTORE:
        found, hosts = list(stores.filter(pk=entity.pk)), []
    else:
        return None
    reference, is_set = reference_vm(now=now)
    space = _of_stores(found)
    still = [r.name for r in (*hosts, space) if r.limits and not r.is_forecast]
    return BerthsTold(
        reference=reference,
        is_set=is_set,
        now=berths_free([r.today() for r in (*hosts, space)], reference=reference),
        ahead=_ahead([*hosts, space], reference=reference, now=now),
        held_still=still,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Resource:
    """One resource of a berth: what may be taken, what is taken, how that is forecast."""

    name: str
    limits: list[int]  # a part each; empty: not known
    taken: list[int | None]
    forecasts: list[KeptForecast | None]

    @property
    def is_forecast(self) -> bool:
        """Whether every part is; the others are taken to stay as they are today."""
        return bool(self.limits) and all(_is_judged(f) for f in self.forecasts)

    def today(self) -> Room:
        """What is free today; parts that were not read count for nothing."""
        free = [
            limit - taken
            for limit, taken in zip(self.limits, self.taken, strict=True)
            if taken is not None
        ]
        return Room(resource=self.name, free=tuple(free) if free else None)

    def ahead(self, *, now: datetime) -> Callable[[int, int], Room]:
        """Return what gives the room so many days ahead, by the likely (0) or high path (1)."""
        ages = [(now.date() - (f.as_of or now.date())).days if f else 0 for f in self.forecasts]
        fan = paths(
            outlook_of(self.forecasts),
            horizon_days=DAYS_AHEAD[-1] + max(ages, default=0),
            quantiles=(LIKELY, HIGH),
        )

        def taken(at: int, *, days: int, which: int) -> int | None:
            if not _is_judged(self.forecasts[at]):
                return self.taken[at]
            return round(float(fan[at, which, days + ages[at] - 1]))

        def room(days: int, which: int) -> Room:
            told = [taken(at, days=days, which=which) for at in range(len(self.limits))]
            return replace(self, taken=told).today()

        return room


def _is_judged(forecast: KeptForecast | None) -> bool:
    return forecast is not None and forecast.growth_per_day is not None


def _of_hosts(cluster_id: int) -> list[_Resource]:
    """CPU and memory that are left when the largest host is lost."""
    held = held_by_hosts([cluster_id])
    living = VirtualMachine.objects.filter(
        cluster_id=cluster_id, entity__retired_at=None, power="on"
    )
    sums = living.aggregate(
        n=Count("pk"),
        cpus=Sum("n_cpus"), told_cpus=Count("n_cpus"),
        memory=Sum("memory_bytes"), told_memory=Count("memory_bytes"),
    )  # fmt: skip
    kept = {f.metric: f for f in KeptForecast.objects.filter(entity_id=cluster_id)}
    resources = []
    for name, metric, total, n_told in (
        ("n_cpus", Metric.CPU, sums["cpus"], sums["told_cpus"]),
        ("memory_bytes", Metric.MEMORY, sums["memory"], sums["told_memory"]),
    ):
        limit = held[metric].get(cluster_id)
        taken = (total or 0) if n_told == sums["n"] else None
        resources.append(
            _Resource(
                name=name,
                limits=[] if limit is None else [limit],
                taken=[] if limit is None else [taken],
                forecasts=[] if limit is None else [kept.get(metric)],
            )
        )
    return resources


def _of_stores(stores: list[Datastore]) -> _Resource:
    """Space up to each datastore's own limit mark."""
    known = [s for s in stores if s.size_bytes is not None and s.used_bytes is not None]
    kept = {
        f.entity_id: f
        for f in KeptForecast.objects.filter(
            entity_id__in=[store.pk for store in known], metric=Metric.USED
        )
    }
    return _Resource(
        name="disk_bytes",
        limits=[
            percent_of(s.size_bytes or 0, nearest_marks(s.entity).limit_percent) for s in known
        ],
        taken=[s.used_bytes for s in known],
        forecasts=[kept.get(s.pk) for s in known],
    )


def _ahead(resources: list[_Resource], *, reference: ReferenceVm, now: datetime) -> list[BerthsAt]:
    """Berths on days ahead; empty where nothing of it is forecast."""
    if not any(_is_judged(f) for resource in resources for f in resource.forecasts):
        return []
    rooms = [resource.ahead(now=now) for resource in resources]
    told = []
    for days in DAYS_AHEAD:
        likely, low = (
            berths_free([room(days, which) for room in rooms], reference=reference)
            for which in (0, 1)
        )
        told.append(
            BerthsAt(
                on=now.date() + timedelta(days=days),
                n_likely=likely.n_free,
                n_low=low.n_free,
                limited_by=likely.limited_by,
            )
        )
    return told
