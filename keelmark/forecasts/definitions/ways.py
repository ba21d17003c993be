"""How each metric of each kind is forecast: what it is, where it ends, who its kin are."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date

from django.db.models import Model

from keelmark.core.marks import Marks
from keelmark.core.units import PERCENT
from keelmark.estate.marks import PATHS, PATHS_OF_POOLS
from keelmark.estate.models import (
    Array,
    Bucket,
    Cluster,
    Datastore,
    Kind,
    Pool,
    VirtualDisk,
    VirtualMachine,
    Volume,
)
from keelmark.forecasts.definitions.hosting import held_by_hosts
from keelmark.forecasts.models import Metric
from keelmark.readings.models import Measure
from keelmark.readings.selectors import Series, measured, series_of

Sizes = Callable[[list[int]], dict[int, int]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """One metric of one kind: its table, what it reads, where it ends, who its kin are.

    It reads either a column (and the daily bytes behind it) or a measure.
    """

    model: type[Model]
    kin: str
    used: str | None = None
    measure: Measure | None = None
    size: str | None = None
    sizes: Sizes | None = None  # where no column says it
    ends_at_size: bool = False  # thin: it fills up to its size and no further
    limit_percent: int | None = None  # None: the thing's own limit mark
    word: str = "used"  # of what the judgement speaks

    @property
    def marks_from(self) -> tuple[str, ...]:
        """Paths to what may have marks of it, the nearest first."""
        return PATHS_OF_POOLS if self.model is Pool else PATHS

    def sizes_of(self, ids: list[int]) -> dict[int, int]:
        """Return what each thing can hold; what is not known is left out."""
        if self.sizes is not None:
            return self.sizes(ids)
        if self.size is None:
            return {}
        found = self.model._default_manager.filter(pk__in=ids, **{f"{self.size}__isnull": False})
        return dict(found.values_list("pk", self.size))


def percents_of(metric: Metric, *, way: Way) -> Callable[[Marks], tuple[int, int]]:
    """Return what gives the caution and the limit mark of a metric, in percent of its size."""

    def told(marks: Marks) -> tuple[int, int]:
        if metric == Metric.PROVISIONED:
            return marks.overcommit_caution_percent, marks.overcommit_limit_percent
        return marks.caution_percent, way.limit_percent or marks.limit_percent

    return told


def days_of(way: Way, *, metric: Metric, ids: list[int], first_on: date, last_on: date) -> Series:
    """Return what was read of things by one way, both days included."""
    if way.measure is not None:
        return measured(way.measure, entity_ids=ids, first_on=first_on, last_on=last_on)
    amount = "provisioned_bytes" if metric == Metric.PROVISIONED else "used_bytes"
    return series_of(ids, first_on=first_on, last_on=last_on, amount=amount)


def _held(metric: Metric) -> Sizes:
    return lambda ids: held_by_hosts(ids)[metric]


def _measured(
    model: type[Model], measure: Measure, *, kin: str, word: str, **ends: str | Sizes
) -> Way:
    """A way of what has no limit mark of its own.

    What can be sustained, or promised with a host lost, has its reserve in it already: its
    limit is all of it.
    """
    return Way(
        model=model, measure=measure, kin=kin, word=word, limit_percent=PERCENT, **ends  # type: ignore[arg-type]  # fields by name
    )  # fmt: skip


_SITE = "entity__site_id"
WAYS: dict[tuple[Kind, Metric], Way] = {
    (Kind.DATASTORE, Metric.USED): Way(
        model=Datastore, used="used_bytes", size="size_bytes", kin="cluster_id"
    ),
    (Kind.VOLUME, Metric.USED): Way(
        model=Volume, used="written_bytes", size="size_bytes", kin="pool_id", ends_at_size=True
    ),
    (Kind.BUCKET, Metric.USED): Way(model=Bucket, used="used_bytes", kin="account_id"),
    (Kind.POOL, Metric.PROVISIONED): Way(
        model=Pool, used="provisioned_bytes", size="usable_bytes", kin="service_class_id"
    ),
    (Kind.DISK, Metric.USED): Way(
        model=VirtualDisk, used="on_array_bytes", size="size_bytes", kin="entity__tenant_id",
        ends_at_size=True,
    ),
    (Kind.ARRAY, Metric.IOPS): _measured(
        Array, Measure.IOPS, size="sustainable_iops", kin=_SITE, word="I/O in the busy hours"
    ),
    (Kind.ARRAY, Metric.THROUGHPUT): _measured(
        Array, Measure.THROUGHPUT, size="sustainable_bytes_per_second", kin=_SITE,
        word="throughput in the busy hours",
    ),
    (Kind.CLUSTER, Metric.CPU): _measured(
        Cluster, Measure.CPU, sizes=_held(Metric.CPU), kin=_SITE, word="promised CPU"
    ),
    (Kind.CLUSTER, Metric.MEMORY): _measured(
        Cluster, Measure.MEMORY, sizes=_held(Metric.MEMORY), kin=_SITE, word="promised memory"
    ),
    **{
        (kind, Metric.SNAPSHOTS): _measured(model, Measure.SNAPSHOTS, kin=kin, word="snapshots")
        for kind, model, kin in (
            (Kind.POOL, Pool, "service_class_id"),
            (Kind.VOLUME, Volume, "pool_id"),
            (Kind.VM, VirtualMachine, "entity__tenant_id"),
        )
    },
    **{
        (Kind.BUCKET, Metric(measure)): _measured(
            Bucket, measure, kin="account_id", word=f"{measure.label.lower()}"
        )
        for measure in (Measure.OBJECTS_HOT, Measure.OBJECTS_WARM, Measure.OBJECTS_COLD)
    },
}  # fmt: skip
