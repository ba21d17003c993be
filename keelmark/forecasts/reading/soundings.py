"""What was read of one metric of anything, day by day."""

from dataclasses import dataclass
from datetime import date, timedelta

from keelmark.core.arrays import whole_numbers
from keelmark.estate.models import Entity, Kind
from keelmark.forecasts.definitions.ways import WAYS, days_of
from keelmark.forecasts.definitions.wholes import OWNERS, days_of_whole
from keelmark.forecasts.models import Metric
from keelmark.readings.selectors import Series, series_of

MAX_DAYS_SUMMED = 400  # a whole has too many parts for more at a glance


@dataclass(frozen=True, slots=True, kw_only=True)
class Soundings:
    """Readings over a window, a list element a day, None where unread.

    ``amounts`` are in the metric's unit, ``sizes`` what the thing could hold on that day.
    """

    metric: Metric
    first_on: date
    amounts: list[int | None]
    sizes: list[int | None]


def soundings_of(entity: Entity, *, metric: Metric, n_days: int, today: date) -> Soundings | None:
    """Return the last n days of a thing that was found for its reader.

    None where its kind has no such metric, or nothing to add up. Wholes reach back 400 days.
    """
    series = _series(entity, metric=metric, n_days=n_days, today=today)
    if series is None:
        return None
    return Soundings(
        metric=metric,
        first_on=series.first_on,
        amounts=whole_numbers(series.used_bytes[0]),
        sizes=whole_numbers(series.capacity_bytes[0]),
    )


def _series(entity: Entity, *, metric: Metric, n_days: int, today: date) -> Series | None:
    kind, first_on = Kind(entity.kind), today - timedelta(days=n_days - 1)
    if (kind, metric) == (Kind.POOL, Metric.USED):
        return series_of([entity.pk], first_on=first_on, last_on=today)
    if way := WAYS.get((kind, metric)):
        return days_of(way, metric=metric, ids=[entity.pk], first_on=first_on, last_on=today)
    if kind in OWNERS and metric == Metric.USED:
        return days_of_whole(entity, n_days=min(n_days, MAX_DAYS_SUMMED), today=today)
    return None
