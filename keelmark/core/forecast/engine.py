"""Daily used bytes in, quantile paths and exhaustion days out, for many series at once."""

from dataclasses import dataclass

import numpy as np
from scipy.special import ndtri

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.forecast.clean import CleanSeries, clean
from keelmark.core.forecast.growth import learn_growth
from keelmark.core.forecast.passage import first_passage_days

MIN_HISTORY_DAYS = 14  # two weekly rhythms
MIN_READ_SHARE = 0.3  # fewer days read than this and gaps would speak louder
N_AXES = 2  # (series, day)
WEEK_DAYS = 7
WEEKS_OF_RHYTHM = 8
RHYTHM_SHRINK = 0.8  # eight weeks are few: believe four fifths of what they show
MAX_HORIZON_DAYS = 3650


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Outlook:
    """What is known about each series' future, counted from its own last reading.

    Every array is (n_series, …); ``is_judged`` says which rows mean anything. Variances are
    bytes² a day (wander) and bytes² a day² (drift). ``rhythm_bytes`` (n_series, 7) is the
    weekly rhythm, column h % 7 for h days ahead. This is all that must be kept of a forecast.
    """

    last_bytes: Float64s
    growth_bytes_per_day: Float64s
    wander_variance: Float64s
    drift_variance: Float64s
    rhythm_bytes: Float64s
    is_judged: Bools


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Forecast(Outlook):
    """An outlook with why some rows are not judged ("" where judged) and what was left out."""

    reasons: tuple[str, ...]
    readings: CleanSeries


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Runway:
    """Days to a mark, each (n_series,) float64; inf = not within the horizon, NaN = unread."""

    early_days: Float64s
    likely_days: Float64s
    late_days: Float64s


def forecast(used_bytes: Float64s) -> Forecast:
    """Learn level, growth and spread of each series.

    Parameters
    ----------
    used_bytes : (n_series, n_days) float64
        Used bytes at the end of each day, NaN where unread. Columns are consecutive days;
        a series may begin late and end early.

    Returns
    -------
    Forecast
        From each series' last reading on.

    Raises
    ------
    ShapeError
        If it is not two-dimensional with at least one day.
    RangeError
        If a reading is negative or infinite.
    """
    checked = _checked_used(used_bytes)
    readings = clean(checked)
    scale = np.maximum(np.nanmax(np.nan_to_num(readings.level_bytes), axis=1), 1.0)
    trend = readings.trend_bytes / scale[:, None]
    is_judged, reasons = _judged(checked, readings=readings)
    growth = learn_growth(trend, first_column=readings.first_column)
    rhythm = _weekly_rhythm(trend)
    return Forecast(
        last_bytes=readings.level_bytes[:, -1],
        growth_bytes_per_day=np.where(is_judged, growth.per_day * scale, np.nan),
        wander_variance=growth.wander_variance * scale**2,
        drift_variance=growth.drift_variance * scale**2,
        rhythm_bytes=rhythm * scale[:, None],
        is_judged=is_judged,
        reasons=reasons,
        readings=readings,
    )


def runway(of: Outlook, *, mark_bytes: Int64s, horizon_days: int) -> Runway:
    """Return the days until each series first stands at or above its mark.

    Parameters
    ----------
    of : Outlook
        From :func:`forecast`, or kept from one.
    mark_bytes : (n_series,) int64
        Level to reach.
    horizon_days : int
        1 to 3650.

    Returns
    -------
    Runway
        Whole days from each series' last reading, rounded up; 0 where it stands there now.

    Raises
    ------
    ShapeError
        If there is not one mark per series.
    RangeError
        If the horizon is out of range.
    """
    n_series = len(of.last_bytes)
    if mark_bytes.shape != (n_series,):
        raise ShapeError(argument="mark_bytes", wanted=f"({n_series},)", found=mark_bytes.shape)
    horizon = _checked_horizon(horizon_days)
    distance = mark_bytes.astype(np.float64) - np.nan_to_num(of.last_bytes)
    unit = np.maximum(np.abs(distance), 1.0)
    days = first_passage_days(
        distance / unit,
        per_day=np.nan_to_num(of.growth_bytes_per_day) / unit,
        wander_variance=of.wander_variance / unit**2,
        drift_variance=of.drift_variance / unit**2,
        horizon_days=horizon,
    )
    # What stands at its mark needs no forecast; anything else needs one that was judged.
    is_there = (distance <= 0) & ~np.isnan(of.last_bytes)
    whole = np.where(is_there, 0.0, np.where(of.is_judged, np.ceil(days), np.nan))
    return Runway(early_days=whole[0], likely_days=whole[1], late_days=whole[2])


def paths(of: Outlook, *, horizon_days: int, quantiles: tuple[float, ...]) -> Float64s:
    """Return the demand expected on each day ahead, not cut off at any capacity.

    Parameters
    ----------
    of : Outlook
        From :func:`forecast`, or kept from one.
    horizon_days : int
        1 to 3650.
    quantiles : tuple of float
        Each between 0 and 1, exclusive.

    Returns
    -------
    (n_series, n_quantiles, horizon_days) float64
        Bytes from the day after each series' last reading; NaN where not judged, never
        below 0.

    Raises
    ------
    RangeError
        If the horizon or a quantile is out of range.
    """
    for quantile in quantiles:
        if not 0 < quantile < 1:
            raise RangeError(argument="quantiles", found=quantile, wanted="between 0 and 1")
    ahead = np.arange(1, _checked_horizon(horizon_days) + 1)
    middle = of.last_bytes[:, None] + of.growth_bytes_per_day[:, None] * ahead
    middle = middle + of.rhythm_bytes[:, ahead % WEEK_DAYS] - of.rhythm_bytes[:, :1]
    spread = np.sqrt(of.wander_variance[:, None] * ahead + of.drift_variance[:, None] * ahead**2)
    spans = ndtri(np.array(quantiles))[None, :, None] * spread[:, None, :]
    fan = np.maximum(middle[:, None, :] + spans, 0.0)
    return np.where(of.is_judged[:, None, None], fan, np.nan)


def _checked_used(used: Float64s) -> Float64s:
    if used.ndim != N_AXES or used.shape[1] == 0:
        raise ShapeError(argument="used_bytes", wanted="(n_series, n_days ≥ 1)", found=used.shape)
    if np.isinf(used).any() or (np.nan_to_num(used) < 0).any():
        raise RangeError(
            argument="used_bytes", found="a negative or infinite reading", wanted="bytes ≥ 0"
        )
    return used.astype(np.float64)


def _checked_horizon(horizon_days: int) -> int:
    if not 1 <= horizon_days <= MAX_HORIZON_DAYS:
        raise RangeError(
            argument="horizon_days", found=horizon_days, wanted=f"1 to {MAX_HORIZON_DAYS}"
        )
    return horizon_days


def _judged(used: Float64s, *, readings: CleanSeries) -> tuple[Bools, tuple[str, ...]]:
    n_read = (~np.isnan(used)).sum(axis=1)
    n_span = used.shape[1] - readings.first_column
    is_short = n_read < MIN_HISTORY_DAYS
    is_sparse = n_read < MIN_READ_SHARE * n_span
    reasons = tuple(
        "no readings"
        if n == 0
        else f"only {n} days read, {MIN_HISTORY_DAYS} needed"
        if short
        else f"only {n} of {span} days read"
        if sparse
        else ""
        for n, span, short, sparse in zip(n_read, n_span, is_short, is_sparse, strict=True)
    )
    return ~(is_short | is_sparse), reasons


def _weekly_rhythm(trend: Float64s) -> Float64s:
    """Mean distance of each weekday from the week around it, column h % 7 for h ahead."""
    n_days = WEEK_DAYS * WEEKS_OF_RHYTHM
    if trend.shape[1] < n_days + WEEK_DAYS:
        return np.zeros((len(trend), WEEK_DAYS))
    recent = trend[:, -(n_days + WEEK_DAYS - 1) :]
    week = np.lib.stride_tricks.sliding_window_view(recent, WEEK_DAYS, axis=1).mean(axis=2)
    inner = recent[:, 3:-3] - week  # ends three days before the last reading
    rhythm = np.zeros((len(trend), WEEK_DAYS))
    days_from_last = np.arange(-inner.shape[1] - 2, -2)
    for weekday in range(WEEK_DAYS):
        rhythm[:, weekday] = inner[:, days_from_last % WEEK_DAYS == weekday].mean(axis=1)
    return RHYTHM_SHRINK * np.nan_to_num(rhythm)
