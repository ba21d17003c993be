"""Forecasts of a whole and its parts that add up, for what is shown together."""

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from django.db.models import QuerySet

from keelmark.core.arrays import Float64s
from keelmark.core.forecast import paths, reconcile
from keelmark.estate.models import Entity, Kind
from keelmark.forecasts.definitions.kept import outlook_of
from keelmark.forecasts.models import KeptForecast, Metric
from keelmark.forecasts.reading.contributors import parts_of

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
    """A whole on some days ahead, its parts, and what is left out: they add up to the whole."""

    days: list[date]
    whole_bytes: list[int]
    alone_bytes: list[int]  # the whole's own forecast, before they were made to add up
    parts: list[PartAhead]
    n_left_out: int  # parts that are not forecast
    left_out_bytes: int  # what those of them hold that were read, taken to stay: in the whole


def together_of(entity: Entity, *, seen: QuerySet[Entity], today: date) -> Together | None:
    """Return the reconciled paths of a whole, None where it or its parts are not forecast."""
    kept = KeptForecast.objects.filter(entity=entity, metric=Metric.USED).first()
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
    held = _held(forecasts)
    told = reconcile(
        middle,
        whole_bytes=whole_middle[0] - held,  # not theirs to account for
        parts_variance=variance,
        whole_variance=whole_variance[0],
    )
    order = np.argsort(-told.parts_bytes[:, 0], kind="stable")[:MAX_PARTS]
    return Together(
        days=[today + timedelta(days=days) for days in AHEAD_DAYS],
        whole_bytes=_whole(told.whole_bytes + held),
        alone_bytes=_whole(whole_middle[0]),
        parts=[
            PartAhead(entity=found[chosen[at]], bytes_on=_whole(told.parts_bytes[at]))
            for at in order.tolist()
        ],
        n_left_out=len(found) - len(chosen),
        left_out_bytes=held,
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
    held = _held(forecasts)
    total = [sum(column) + held for column in zip(*parts, strict=True)]
    order = sorted(range(len(chosen)), key=lambda at: -parts[at][0])[:MAX_PARTS]
    return Together(
        days=[today + timedelta(days=days) for days in AHEAD_DAYS],
        whole_bytes=total,
        alone_bytes=total,
        parts=[PartAhead(entity=found[chosen[at]], bytes_on=parts[at]) for at in order],
        n_left_out=len(found) - len(chosen),
        left_out_bytes=held,
    )


def _held(forecasts: dict[int, KeptForecast]) -> int:
    """What the parts without a path hold, as they were last read."""
    still = [one.last_amount for one in forecasts.values() if one.growth_per_day is None]
    return sum(round(amount) for amount in still if amount is not None)


def _kept(ids: list[int]) -> dict[int, KeptForecast]:
    kept = KeptForecast.objects.filter(entity_id__in=ids, metric=Metric.USED)
    return {one.entity_id: one for one in kept}


def _ahead(kept: list[KeptForecast], *, today: date) -> tuple[Float64s, Float64s]:
    """Median and variance on each of the days from today, (n_parts, n_days) both."""
    outlook = outlook_of(kept)
    ages = np.array([(today - (one.as_of or today)).days for one in kept])
    ahead = np.array(AHEAD_DAYS)[None, :] + ages[:, None]
    fan = paths(outlook, horizon_days=int(ahead.max()), quantiles=(0.5,))[:, 0]
    variance = np.concatenate(
        [outlook.fan.of_rows(np.array([row])).variance(days) for row, days in enumerate(ahead)]
    )
    return np.take_along_axis(fan, ahead - 1, axis=1), variance


def _whole(amounts: Float64s) -> list[int]:
    return [round(x) for x in amounts.tolist()]
