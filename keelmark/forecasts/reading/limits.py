"""What ends first of a thing and of what carries it: space, CPU, memory, I/O."""

from dataclasses import dataclass

from django.contrib.auth.models import User
from django.db.models import Q, QuerySet

from keelmark.core.attention import Attention
from keelmark.estate import selectors as estate
from keelmark.estate.models import Datastore, Entity, Kind, VirtualMachine
from keelmark.estate.sift import Sift, found_among
from keelmark.estate.trace import knot_ids, trace
from keelmark.forecasts.models import KeptForecast, Metric
from keelmark.forecasts.reading.standing import scale_of

MAX_LIMITS = 40
BESIDE_SPACE = (Metric.CPU, Metric.MEMORY, Metric.IOPS, Metric.THROUGHPUT)  # their limit is all


@dataclass(frozen=True, slots=True, kw_only=True)
class LimitTold:
    """One resource of one thing, where it stands and when it ends."""

    entity: Entity
    metric: Metric
    forecast: KeptForecast
    limit: int  # in the metric's unit
    is_own: bool  # of the thing itself, not of what carries it


def limits_of(entity: Entity, *, seen: QuerySet[Entity]) -> list[LimitTold]:
    """Return what ends of a thing and of its carriers, the first at the top.

    ``seen`` is what the reader may see. What is promised ends nothing by itself and is not
    among them, nor is what has no limit.
    """
    carriers = seen.filter(pk__in=_carriers(entity, seen=seen)).select_related("site")
    things = {thing.pk: thing for thing in carriers} | {entity.pk: entity}
    kept: list[tuple[int, Metric, KeptForecast]] = [
        (one.entity_id, Metric(one.metric), one)
        for one in KeptForecast.objects.filter(
            entity_id__in=things, limit_chance__isnull=False
        ).exclude(metric=Metric.PROVISIONED)
    ]
    kept.sort(key=lambda told: (told[2].sort_on, -(told[2].limit_chance or 0), told[0], told[1]))
    told = []
    for pk, metric, forecast in kept[:MAX_LIMITS]:
        scale = scale_of(things[pk], metric=metric)
        if scale is not None:
            told.append(
                LimitTold(
                    entity=things[pk], metric=metric, forecast=forecast, limit=scale.limit,
                    is_own=pk == entity.pk,
                )
            )  # fmt: skip
    return told


def limits_beside_space(actor: User, *, sift: Sift) -> list[LimitTold]:
    """Return what else than space ends within two years in a scope, the first at the top.

    It lies in arrays and clusters; a scope finds those as it finds anything.
    """
    kept = KeptForecast.objects.filter(
        Q(limit_early_on__isnull=False) | Q(attention=Attention.OVER),
        metric__in=BESIDE_SPACE,
        limit_chance__isnull=False,
        entity__in=estate.entities_for(actor).values("pk"),
    )
    if not sift.is_everything:
        kinds = kept.order_by().values_list("kind", flat=True).distinct()
        among = found_among(actor, kinds=list(kinds), sift=sift)
        kept = kept.filter(entity__in=[pk for ids in among.values() for pk in ids])
    return [
        LimitTold(
            entity=one.entity, metric=Metric(one.metric), forecast=one,
            limit=one.size_amount or 0, is_own=True,
        )
        for one in kept.select_related("entity").order_by("sort_on", "pk")[:MAX_LIMITS]
    ]  # fmt: skip


def _carriers(entity: Entity, *, seen: QuerySet[Entity]) -> set[int]:
    """What a thing lies on, and the cluster whose hosts run it."""
    found = knot_ids(trace(entity, seen=seen))
    clusters: list[int | None] = []
    if entity.kind == Kind.VM:
        clusters = list(
            VirtualMachine.objects.filter(pk=entity.pk).values_list("cluster_id", flat=True)
        )
    elif entity.kind == Kind.DATASTORE:
        clusters = list(Datastore.objects.filter(pk=entity.pk).values_list("cluster_id", flat=True))
    return found | {pk for pk in clusters if pk is not None}
