"""What comes back with the week and with the month, as distances from the trend."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.forecast.robust import zeroed

WEEK_DAYS = 7
WEEK_WINDOW_DAYS = 63  # eight weeks and the half ones at both ends
MONTH_SLOTS = 31  # the first fifteen days, the last fifteen, and what lies between
HALF_MONTH = 15
MONTH_WINDOW_DAYS = 400
MIN_CYCLES = 4  # fewer show nothing that comes back
LEAST_BELIEF = 0.6  # a rhythm that is believed less is noise
NOISE_FACTOR = 2.0  # neighbours in the noise are alike, which makes it look like a rhythm
MONDAY = 3  # 1970-01-01 was a Thursday


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Rhythm:
    """Distances from the trend by weekday (n_series, 7) and by day of the month (n_series, 31).

    Rows of zeros have no rhythm. ``last_day`` is the day number of each series' last reading,
    counted from 1970, or from anywhere if no calendar is known (then there is no month).
    """

    by_weekday: Float64s
    by_month_slot: Float64s
    last_day: Int64s

    def on(self, ahead: Int64s) -> Float64s:
        """Return the distance on days ahead of the last reading, (n_series, n_days).

        ``ahead`` is (n_days,), or (n_series, n_days) where each has days of its own.
        """
        days = self.last_day[:, None] + ahead
        week = np.take_along_axis(self.by_weekday, weekday_of(days), axis=1)
        if not self.by_month_slot.any():
            return week
        return week + np.take_along_axis(self.by_month_slot, month_slot_of(days), axis=1)

    def of_rows(self, rows: Int64s) -> "Rhythm":
        """Return the rhythm of some of the series."""
        return Rhythm(
            by_weekday=self.by_weekday[rows],
            by_month_slot=self.by_month_slot[rows],
            last_day=self.last_day[rows],
        )

    def scaled(self, factor: Float64s) -> "Rhythm":
        """Return the rhythm of a series in other units."""
        return Rhythm(
            by_weekday=self.by_weekday * factor[:, None],
            by_month_slot=self.by_month_slot * factor[:, None],
            last_day=self.last_day,
        )


def weekday_of(days: Int64s) -> Int64s:
    """Return 0 for Monday to 6 for Sunday, of days since 1970."""
    return (days + MONDAY) % WEEK_DAYS


def month_slot_of(days: Int64s) -> Int64s:
    """Return 0 to 14 for the first days of a month, 16 to 30 for its last, else 15.

    So the last day of every month is slot 30, however long the month.
    """
    if days.size == 0:
        return np.zeros(days.shape, dtype=np.int64)
    first = int(days.min())
    every = _slots_of(np.arange(first, int(days.max()) + 1))
    slots: Int64s = every[days - first]  # a calendar is looked up once, not once a series
    return slots


def _slots_of(days: Int64s) -> Int64s:
    dates = days.astype("datetime64[D]")
    months = dates.astype("datetime64[M]")
    since = (dates - months.astype("datetime64[D]")).astype(np.int64)
    left = ((months + 1).astype("datetime64[D]") - dates).astype(np.int64) - 1
    from_end = np.where(left < HALF_MONTH, MONTH_SLOTS - 1 - left, HALF_MONTH)
    return np.where(since < HALF_MONTH, since, from_end)


def learn_rhythm(trend: Float64s, *, last_day: Int64s, has_calendar: bool) -> Rhythm:
    """Return what comes back in right-aligned series without gaps.

    Parameters
    ----------
    trend : (n_series, n_days) float64
        NaN before the first reading.
    last_day : (n_series,) int64
        Day number of the last column.
    has_calendar : bool
        Whether day numbers count from 1970, so that months are known.

    Returns
    -------
    Rhythm
        In the units of ``trend``; zeros where nothing comes back.

    Notes
    -----
    The mean distance from a centred mean over one cycle, drawn towards nothing by as much
    as noise alone would show.

    References
    ----------
    Efron, B. and Morris, C. (1973), "Stein's estimation rule and its competitors", eq. 1.4.
    We depart from it by doubling the noise, which is not independent from day to day.
    """
    n_series, n_days = trend.shape
    by_weekday, by_slot = np.zeros((n_series, WEEK_DAYS)), np.zeros((n_series, MONTH_SLOTS))
    if n_series == 0:
        return Rhythm(by_weekday=by_weekday, by_month_slot=by_slot, last_day=last_day)
    days = last_day[:, None] - np.arange(n_days - 1, -1, -1)[None, :]
    if n_days >= MIN_CYCLES * WEEK_DAYS + WEEK_DAYS:
        recent = slice(max(0, n_days - WEEK_WINDOW_DAYS), n_days)
        by_weekday = _returning(
            trend[:, recent], slots=weekday_of(days[:, recent]), n_slots=WEEK_DAYS,
            cycle_days=WEEK_DAYS,
        )  # fmt: skip
    if has_calendar and n_days >= (MIN_CYCLES + 1) * MONTH_SLOTS:
        recent = slice(max(0, n_days - MONTH_WINDOW_DAYS), n_days)
        level = trend - np.take_along_axis(by_weekday, weekday_of(days), axis=1)
        by_slot = _returning(
            level[:, recent], slots=month_slot_of(days[:, recent]), n_slots=MONTH_SLOTS,
            cycle_days=MONTH_SLOTS,
        )  # fmt: skip
    return Rhythm(by_weekday=by_weekday, by_month_slot=by_slot, last_day=last_day)


def _returning(trend: Float64s, *, slots: Int64s, n_slots: int, cycle_days: int) -> Float64s:
    """Mean distance of each slot from the cycle around it, believed as far as it is clear."""
    half = cycle_days // 2
    around = _centred_mean(trend, n_days=cycle_days)
    off = trend[:, half:-half] - around
    inner = slots[:, half:-half]
    n_series = len(trend)
    is_known = ~np.isnan(off)
    row = np.broadcast_to(np.arange(n_series)[:, None], inner.shape)
    at = (row * n_slots + inner)[is_known]
    values = off[is_known]
    shape = (n_series, n_slots)
    counted = np.bincount(at, minlength=n_series * n_slots).reshape(shape)
    total = np.bincount(at, weights=values, minlength=n_series * n_slots).reshape(shape)
    square = np.bincount(at, weights=values**2, minlength=n_series * n_slots).reshape(shape)
    n = np.maximum(counted, 1)
    mean = total / n
    spent = (square - n * mean**2).sum(axis=1) / np.maximum(counted.sum(axis=1) - n_slots, 1)
    shown = (mean**2).sum(axis=1)
    by_chance = NOISE_FACTOR * spent * ((n_slots - 3) / n_slots) * (1 / n).sum(axis=1)
    belief = np.where(shown > 0, 1 - by_chance / np.maximum(shown, 1e-300), 0.0)
    is_clear = (belief >= LEAST_BELIEF) & (counted.min(axis=1) >= MIN_CYCLES - 1)
    mean = mean - mean.mean(axis=1, keepdims=True)
    believed: Float64s = np.where(is_clear, belief, 0.0)[:, None] * mean
    return believed


def _centred_mean(trend: Float64s, *, n_days: int) -> Float64s:
    """Mean of the n days around each day that has them, NaN where one is unknown."""
    known = zeroed(trend)
    sums = np.cumsum(np.hstack([np.zeros((len(trend), 1)), known]), axis=1)
    unknown = np.cumsum(
        np.hstack([np.zeros((len(trend), 1)), np.isnan(trend).astype(np.float64)]), axis=1
    )
    mean: Float64s = (sums[:, n_days:] - sums[:, :-n_days]) / n_days
    return np.where(unknown[:, n_days:] - unknown[:, :-n_days] > 0, np.nan, mean)
