"""Reads pools with their runways, series and fans."""

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from django.contrib.auth.models import User
from django.db.models import Count, FilteredRelation, Prefetch, Q, QuerySet

from keelmark.core.arrays import whole_numbers
from keelmark.core.attention import Attention
from keelmark.core.forecast import contributions
from keelmark.estate import selectors as estate
from keelmark.estate.models import Pool, Volume
from keelmark.estate.sift import EVERYTHING, Sift
from keelmark.forecasts.models import KeptForecast, Metric, Reach
from keelmark.forecasts.pools.rows import AS, KEPT, PATHS
from keelmark.readings.selectors import series_of

_USED_ONLY = KeptForecast.objects.filter(metric=Metric.USED)
ORDER = (f"{AS}__reach", f"{AS}__sort_on", "pk")  # what ends first at the top
FAN_QUANTILES = (0.1, 0.25, 0.5, 0.75, 0.9)
GROWN_DAYS = 30


def pools_for(actor: User, *, sift: Sift = EVERYTHING) -> QuerySet[Pool]:
    """Return visible pools with their standing forecasts, what ends first at the top."""
    return _ordered(actor, sift=sift).prefetch_related(
        Prefetch("entity__forecasts", queryset=_USED_ONLY, to_attr=KEPT)
    )


def _ordered(actor: User, *, sift: Sift) -> QuerySet[Pool]:
    own = FilteredRelation("entity__forecasts", condition=Q(entity__forecasts__metric=Metric.USED))
    pools = estate.pools_for(actor, sift=sift).alias(**{AS: own})
    return pools.order_by(*ORDER)


def listed_for(actor: User, *, sift: Sift) -> QuerySet[Pool, tuple[Any, ...]]:
    """Return visible pools as tuples of rows.PATHS: a list needs no model objects."""
    return _ordered(actor, sift=sift).values_list(*PATHS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Facets:
    """How many pools of a scope there are by site, state and class, in a fixed order."""

    n_pools: int
    sites: list[tuple[str, int]]
    states: list[tuple[str, int]]
    classes: list[tuple[str, int]]
    reaches: list[tuple[str, int]]


def facets_for(actor: User, *, sift: Sift) -> Facets:
    """Return the counts of a scope."""
    pools = _ordered(actor, sift=sift).order_by()
    by_state = dict(_counted(pools, by=f"{AS}__attention"))
    return Facets(
        n_pools=pools.count(),
        sites=_counts(pools, field="entity__site__name"),
        states=[(state, by_state[state]) for state in Attention if state in by_state],
        classes=_counts(pools, field="service_class__name"),
        reaches=[
            ((Reach(reach) if reach is not None else Reach.NO_END).name.lower(), n)
            for reach, n in _counted(pools, by=f"{AS}__reach", order=(f"{AS}__reach",))
        ],
    )


def _counts(pools: QuerySet[Pool], *, field: str) -> list[tuple[str, int]]:
    rows = _counted(pools, by=field, order=("-n", field))
    return [(name, n) for name, n in rows if name]


def _counted(
    pools: QuerySet[Pool], *, by: str, order: tuple[str, ...] = ()
) -> QuerySet[Pool, tuple[Any, int]]:
    return pools.values_list(by).annotate(n=Count("pk")).order_by(*order)


def with_growth(volumes: list[Volume], *, today: date) -> list[tuple[Volume, int | None]]:
    """Return volumes with the bytes each added in 30 days; None where that was not read."""
    if not volumes:
        return []
    series = series_of(
        [volume.pk for volume in volumes],
        first_on=today - timedelta(days=GROWN_DAYS),
        last_on=today,
    )
    grown = whole_numbers(contributions(series.used_bytes).added_bytes)
    by_volume = dict(zip(series.entity_ids.tolist(), grown, strict=True))
    return [(volume, by_volume[volume.pk]) for volume in volumes]
