"""Forecasts of a whole and its parts that add up, for what is shown together."""

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from django.db.models import QuerySet

from keelmark.core.arrays import Float64s
from keelmark.core.forecast import paths, reconcile
from keelmark.core.forecast.spread import PowerLaw
from keelmark.estate.models import Entity, Kind
from keelmark.forecasts.contributors import parts_of
from keelmark.forecasts.models import KeptForecast, Metric, PoolForecast, ThingForecast
from keelmark.forecasts.selectors import outlook_of

AHEAD_DAYS = (30, 90, 180, 365)
MAX_PARTS = 200
MAX_FORECAST = 5000  # parts that are made to add up at once


@dataclass(frozen=True, slots=True, kw_only=True)
class PartAhead:
    """One part on each of the days, None where it is not forecast."""

    entity: Entity
    bytes_on: list[int]


@dataclass(frozen=True, slots=True, kw_only=True)
class Together:
    """A whole and its parts on some days ahead; the parts add up to the whole."""

    days: list[date]
    whole_bytes: list[int]
    alone_bytes: list[int]  # the whole's own forecast, before they were made to add up
    parts: list[PartAhead]
    n_left_out: int  # parts that are not forecast: they are in no sum


def together_of(entity: Entity, *, seen: QuerySet[Entity], today: date) -> Together | None:
    """Return the reconciled paths of a whole, None where it or its parts are not forecast."""
    whole = ThingForecast.objects.filter(entity=entity, metric=Metric.USED).first()
    if whole is None and entity.kind == Kind.POOL:
        kept: KeptForecast | None = PoolForecast.objects.filter(pool_id=entity.pk).first()
    else:
        kept = whole
    found = parts_of(entity, seen=seen)
    if len(found) > MAX_FORECAST:
        return None
    if kept is None or kept.growth_per_day is None or not found:
        return None
    forecasts = _kept(list(found))
    chosen = [pk for pk, one in forecasts.items() if one.growth_per_day is not None]
    if not chosen:
        return None
    middle, variance = _ahead([forecasts[pk] for pk in chosen], today=today)
    whole_middle, whole_variance = _ahead([kept], today=today)
    told = reconcile(
        middle,
        whole_bytes=whole_middle[0],
        parts_variance=variance,
        whole_variance=whole_variance[0],
    )
    order = np.argsort(-told.parts_bytes[:, 0], kind="stable")[:MAX_PARTS]
    return Together(
        days=[today + timedelta(days=days) for days in AHEAD_DAYS],
        whole_bytes=_whole(told.whole_bytes),
        alone_bytes=_whole(whole_middle[0]),
        parts=[
            PartAhead(entity=found[chosen[at]], bytes_on=_whole(told.parts_bytes[at]))
            for at in order.tolist()
        ],
        n_left_out=len(found) - len(chosen),
    )


def total_of(kind: Kind, *, seen: QuerySet[Entity], today: date) -> Together | None:
    """Return all tenants or all sites as parts of their total, None where none is forecast.

    Nothing tells of the total itself: it is the sum of its parts.
    """
    found = {one.pk: one for one in seen.filter(kind=kind, retired_at=None)}
    if len(found) > MAX_FORECAST:
        return None
    forecasts = _kept(list(found))
    chosen = [pk for pk, one in forecasts.items() if one.growth_per_day is not None]
    if not chosen:
        return None
    middle, _ = _ahead([forecasts[pk] for pk in chosen], today=today)
    parts = [_whole(row) for row in middle]
    total = [sum(column) for column in zip(*parts, strict=True)]
    order = sorted(range(len(chosen)), key=lambda at: -parts[at][0])[:MAX_PARTS]
    return Together(
        days=[today + timedelta(days=days) for days in AHEAD_DAYS],
        whole_bytes=total,
        alone_bytes=total,
        parts=[PartAhead(entity=found[chosen[at]], bytes_on=parts[at]) for at in order],
        n_left_out=len(found) - len(chosen),
    )


def _kept(ids: list[int]) -> dict[int, KeptForecast]:
    kept: dict[int, KeptForecast] = {
        one.entity_id: one
        for one in ThingForecast.objects.filter(entity_id__in=ids, metric=Metric.USED)
    }
    return kept | {one.pool_id: one for one in PoolForecast.objects.filter(pool_id__in=ids)}


def _ahead(kept: list[KeptForecast], *, today: date) -> tuple[Float64s, Float64s]:
    """Median and variance on each of the days from today, (n_parts, n_days) both."""
    outlook = outlook_of(kept)
    ages = np.array([(today - (one.as_of or today)).days for one in kept])
    ahead = np.array(AHEAD_DAYS)[None, :] + ages[:, None]
    fan = paths(outlook, horizon_days=int(ahead.max()), quantiles=(0.5,))[:, 0]
    law = PowerLaw(
        noise=outlook.noise_variance, wander=outlook.wander_variance, drift=outlook.drift_variance
    )
    variance = law.noise[:, None] + law.wander[:, None] * ahead + law.drift[:, None] * ahead**2
    return np.take_along_axis(fan, ahead - 1, axis=1), variance


def _whole(amounts: Float64s) -> list[int]:
    return [round(x) for x in amounts.tolist()]
