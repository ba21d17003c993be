"""Reads pools with their runways, series and fans."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

import numpy as np
from django.contrib.auth.models import User
from django.db.models import Count, QuerySet

from keelmark.core.arrays import Float64s
from keelmark.core.forecast import Outlook, Rhythm, paths
from keelmark.core.forecast.rhythm import MONTH_SLOTS, WEEK_DAYS
from keelmark.core.ledger import Attention
from keelmark.estate import selectors as estate
from keelmark.estate.models import Pool, Volume
from keelmark.estate.sift import Term
from keelmark.forecasts.models import KeptForecast
from keelmark.forecasts.rows import PATHS
from keelmark.readings.rows import EPOCH
from keelmark.readings.selectors import series_of

FAN_QUANTILES = (0.1, 0.25, 0.5, 0.75, 0.9)
GROWN_DAYS = 30


def pools_for(actor: User, *, terms: list[Term] | None = None) -> QuerySet[Pool]:
    """Return visible pools with their standing forecasts, what ends first at the top."""
    pools = estate.pools_for(actor, terms=terms).select_related("forecast")
    for term in terms or []:
        if term.key == "state":
            states = {"forecast__attention": term.text}
            pools = pools.exclude(**states) if term.is_excluding else pools.filter(**states)
    return pools.order_by("forecast__reach", "forecast__sort_on", "pk")


def listed_for(actor: User, *, terms: list[Term]) -> QuerySet[Pool, tuple[Any, ...]]:
    """Return visible pools as tuples of rows.PATHS: a list needs no model objects."""
    return pools_for(actor, terms=terms).values_list(*PATHS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Facets:
    """How many pools of a scope there are by site, state and class, in a fixed order."""

    n_pools: int
    sites: list[tuple[str, int]]
    states: list[tuple[str, int]]
    classes: list[tuple[str, int]]


def facets_for(actor: User, *, terms: list[Term]) -> Facets:
    """Return the counts of a scope."""
    pools = pools_for(actor, terms=terms).order_by()
    by_state = dict(pools.values_list("forecast__attention").annotate(n=Count("pk")))
    return Facets(
        n_pools=pools.count(),
        sites=_counts(pools, field="entity__site__name"),
        states=[(state, by_state[state]) for state in Attention if state in by_state],
        classes=_counts(pools, field="service_class__name"),
    )


def _counts(pools: QuerySet[Pool], *, field: str) -> list[tuple[str, int]]:
    rows = pools.values_list(field).annotate(n=Count("pk")).order_by("-n", field)
    return [(name, n) for name, n in rows if name]


def outlook_of(forecasts: Sequence[KeptForecast | None]) -> Outlook:
    """Return kept outlooks as one; what has no forecast is not judged."""
    nan = float("nan")

    def column(name: str) -> Float64s:
        kept = [None if f is None else getattr(f, name) for f in forecasts]
        return np.array([nan if x is None else x for x in kept], dtype=np.float64)

    growth = column("growth_per_day")
    return Outlook(
        last_bytes=column("last_amount"),
        level_bytes=column("level"),
        growth_bytes_per_day=growth,
        noise_variance=np.nan_to_num(column("noise_variance")),
        wander_variance=np.nan_to_num(column("wander_variance")),
        drift_variance=np.nan_to_num(column("drift_variance")),
        rhythm=Rhythm(
            by_weekday=_rhythms(forecasts, name="by_weekday", n_slots=WEEK_DAYS),
            by_month_slot=_rhythms(forecasts, name="by_month_slot", n_slots=MONTH_SLOTS),
            last_day=np.array([(f.as_of - EPOCH).days if f and f.as_of else 0 for f in forecasts]),
        ),
        ceiling_bytes=np.nan_to_num(column("ceiling"), nan=np.inf),
        is_judged=~np.isnan(growth),
    )


def _rhythms(forecasts: Sequence[KeptForecast | None], *, name: str, n_slots: int) -> Float64s:
    """Kept rhythms as rows; an empty one is a row of zeros."""
    flat = [0.0] * n_slots
    rows = [(getattr(f, name) if f is not None else None) or flat for f in forecasts]
    return np.array(rows, dtype=np.float64).reshape(len(forecasts), n_slots)


def fan_told(
    outlook: Outlook, *, horizon_days: int, quantiles: tuple[float, ...]
) -> dict[str, list[int | None]]:
    """Return the fan of the only series of an outlook by quantile name."""
    fan = paths(outlook, horizon_days=horizon_days, quantiles=quantiles)[0]
    return {
        f"p{round(quantile * 100)}": _whole(path)
        for quantile, path in zip(quantiles, fan, strict=True)
    }


def volumes_with_growth(pool: Pool, *, today: date) -> list[tuple[Volume, int | None]]:
    """Return a pool's volumes, largest first, with the bytes each grew in 30 days."""
    volumes = list(estate.volumes_of(pool.pk))
    if not volumes:
        return []
    series = series_of(
        [volume.pk for volume in volumes],
        first_on=today - timedelta(days=GROWN_DAYS),
        last_on=today,
    )
    grown: dict[int, int | None] = {}
    for volume_id, row in zip(series.entity_ids.tolist(), series.used_bytes, strict=True):
        read = row[~np.isnan(row)]
        grown[volume_id] = int(read[-1] - read[0]) if len(read) > 1 else None
    return [(volume, grown[volume.pk]) for volume in volumes]


def _whole(amounts: Float64s) -> list[int | None]:
    return [None if np.isnan(x) else round(x) for x in amounts.tolist()]
