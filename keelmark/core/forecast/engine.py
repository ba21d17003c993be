"""Daily used bytes in, quantile paths and exhaustion days out, for many series at once."""

from dataclasses import dataclass, replace

import numpy as np
from scipy.special import ndtri

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.forecast.clean import CleanSeries, clean
from keelmark.core.forecast.growth import learn_growth
from keelmark.core.forecast.kin import NO_KIN, borrow
from keelmark.core.forecast.passage import Passage, first_passage_days
from keelmark.core.forecast.rhythm import Rhythm, learn_rhythm
from keelmark.core.forecast.robust import zeroed
from keelmark.core.forecast.spread import PowerLaw
from keelmark.core.forecast.structure import PaceChanges, no_changes, pace_changes

MIN_HISTORY_DAYS = 14  # two weekly rhythms
MIN_READ_SHARE = 0.3  # fewer days read than this and gaps would speak louder
YOUNG_DAYS = 42  # up to six weekly rhythms a series borrows from its kin
N_AXES = 2  # (series, day)
MAX_HORIZON_DAYS = 3650
MAX_RHYTHM_DAYS = 400  # beyond, a date is too vague for a day of the month to matter
LEAST_SHARE = 1e-6  # of the mark: the level stands there, the last reading not quite


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Outlook:
    """What is known about each series' future, counted from its own last reading.

    Every array is (n_series, …); ``is_judged`` says which rows mean anything. Variances are
    bytes² (noise), bytes² a day (wander) and bytes² a day² (drift). What is thin ends at
    ``ceiling_bytes``, inf where nothing ends it. This is all that must be kept of a forecast.
    """

    last_bytes: Float64s
    level_bytes: Float64s
    growth_bytes_per_day: Float64s
    noise_variance: Float64s
    wander_variance: Float64s
    drift_variance: Float64s
    rhythm: Rhythm
    ceiling_bytes: Float64s
    is_judged: Bools


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Forecast(Outlook):
    """An outlook with why some rows are not judged ("" where judged) and what was found.

    ``n_kin`` (n_series,) is how many others a young series borrowed its pace from, else 0.
    """

    reasons: tuple[str, ...]
    readings: CleanSeries
    changes: PaceChanges
    n_kin: Int64s


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Runway:
    """Days to a mark, each (n_series,) float64; inf = not within the horizon, NaN = unread.

    ``chance_within`` is the chance that it is reached within the horizon at all.
    """

    early_days: Float64s
    likely_days: Float64s
    late_days: Float64s
    chance_within: Float64s


def forecast(
    used_bytes: Float64s,
    *,
    first_day: int | None = None,
    ceiling_bytes: Float64s | None = None,
    kin: Int64s | None = None,
    finds_changes: bool = True,
) -> Forecast:
    """Learn level, growth and spread of each series.

    Parameters
    ----------
    used_bytes : (n_series, n_days) float64
        Used bytes at the end of each day, NaN where unread. Columns are consecutive days;
        a series may begin late and end early.
    first_day : int, optional
        Day of column 0 since 1970; without it no month is known, and no month's rhythm.
    ceiling_bytes : (n_series,) float64, optional
        Size at which each series ends, inf where nothing ends it.
    kin : (n_series,) int64, optional
        Group of each series, −1 for none: the young borrow the pace of their group.
    finds_changes : bool
        Whether changes of pace are looked for; no path or date depends on it.

    Returns
    -------
    Forecast
        From each series' last reading on.

    Raises
    ------
    ShapeError
        If it is not two-dimensional with at least one day, or there is not one ceiling a series.
    RangeError
        If a reading is negative or infinite.
    """
    checked = _checked_used(used_bytes)
    readings = clean(checked)
    scale = np.maximum(zeroed(readings.level_bytes).max(axis=1), 1.0)
    trend = readings.trend_bytes / scale[:, None]
    is_judged, reasons = _judged(checked, readings=readings)
    rhythm = learn_rhythm(
        trend, last_day=(first_day or 0) + readings.last_column, has_calendar=first_day is not None
    )
    level = trend - rhythm.on(np.arange(1 - trend.shape[1], 1))
    growth = learn_growth(level, first_column=readings.first_column)
    n_span = checked.shape[1] - readings.first_column
    borrowed = borrow(
        growth.per_day,
        variance=growth.variance,
        kin=_checked_kin(kin, n_series=len(checked)),
        n_span_days=n_span,
        is_elder=is_judged & (n_span > YOUNG_DAYS),
        max_days=YOUNG_DAYS,
    )
    is_judged = is_judged | (borrowed.n_kin > 0)
    changes = (
        pace_changes(level, first_column=readings.first_column)
        if finds_changes
        else no_changes(len(level))
    )
    variance = borrowed.variance.scaled(scale)
    return Forecast(
        last_bytes=readings.level_bytes[:, -1],
        level_bytes=growth.level * scale,
        growth_bytes_per_day=np.where(is_judged, borrowed.per_day * scale, np.nan),
        noise_variance=variance.noise,
        wander_variance=variance.wander,
        drift_variance=variance.drift,
        rhythm=rhythm.scaled(scale),
        ceiling_bytes=_checked_ceiling(ceiling_bytes, n_series=len(checked)),
        is_judged=is_judged,
        reasons=tuple(
            "" if judged else reason for judged, reason in zip(is_judged, reasons, strict=True)
        ),
        readings=readings,
        changes=PaceChanges(
            column=changes.column,
            before=changes.before * scale[:, None],
            after=changes.after * scale[:, None],
        ),
        n_kin=borrowed.n_kin,
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
    marks = mark_bytes.astype(np.float64)
    passage = _passage(of, marks=marks, horizon_days=horizon)
    # What stands at its mark needs no forecast; anything else needs one that was judged.
    is_there = (of.last_bytes >= marks) & ~np.isnan(of.last_bytes)
    is_beyond = marks > of.ceiling_bytes
    days = np.where(is_beyond, np.inf, np.ceil(passage.days))
    whole = np.where(is_there, 0.0, np.where(of.is_judged, days, np.nan))
    chance = np.where(is_beyond, 0.0, passage.chance_within)
    return Runway(
        early_days=whole[0],
        likely_days=whole[1],
        late_days=whole[2],
        chance_within=np.where(is_there, 1.0, np.where(of.is_judged, chance, np.nan)),
    )


def _passage(of: Outlook, *, marks: Float64s, horizon_days: int) -> Passage:
    distance = np.maximum(marks - np.nan_to_num(of.level_bytes), LEAST_SHARE * marks)
    unit = np.maximum(np.abs(distance), 1.0)
    law = {
        "per_day": np.nan_to_num(of.growth_bytes_per_day) / unit,
        "wander_variance": of.wander_variance / unit**2,
        "drift_variance": of.drift_variance / unit**2,
    }
    passage = first_passage_days(distance / unit, horizon_days=horizon_days, **law)
    # A month's rhythm moves the date by weeks, a week's by days of little matter: only rows
    # with the former are looked at day by day, as far as that rhythm can be told.
    rows = np.flatnonzero(of.rhythm.by_month_slot.any(axis=1))
    if len(rows) == 0:
        return passage
    near_days = min(horizon_days, MAX_RHYTHM_DAYS)
    moved = of.rhythm.of_rows(rows).on(np.arange(1, near_days + 1))
    near = first_passage_days(
        (distance[rows, None] - moved) / unit[rows, None],
        horizon_days=near_days,
        **{name: part[rows] for name, part in law.items()},
    )
    days = passage.days.copy()
    days[:, rows] = np.where(np.isfinite(near.days), near.days, days[:, rows])
    return Passage(days=days, chance_within=passage.chance_within)


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
    middle = of.level_bytes[:, None] + of.growth_bytes_per_day[:, None] * ahead
    middle = middle + of.rhythm.on(ahead)
    law = PowerLaw(noise=of.noise_variance, wander=of.wander_variance, drift=of.drift_variance)
    spread = np.sqrt(law.after(ahead))
    spans = ndtri(np.array(quantiles))[None, :, None] * spread[:, None, :]
    fan = np.clip(middle[:, None, :] + spans, 0.0, of.ceiling_bytes[:, None, None])
    return np.where(of.is_judged[:, None, None], fan, np.nan)


def widened(of: Forecast, *, by: float) -> Forecast:
    """Return a forecast whose band is so many times as wide; its 50 % path stays."""
    return replace(
        of,
        noise_variance=of.noise_variance * by**2,
        wander_variance=of.wander_variance * by**2,
        drift_variance=of.drift_variance * by**2,
    )


def _checked_used(used: Float64s) -> Float64s:
    if used.ndim != N_AXES or used.shape[1] == 0:
        raise ShapeError(argument="used_bytes", wanted="(n_series, n_days ≥ 1)", found=used.shape)
    if np.isinf(used).any() or (used < 0).any():
        raise RangeError(
            argument="used_bytes", found="a negative or infinite reading", wanted="bytes ≥ 0"
        )
    return used.astype(np.float64)


def _checked_ceiling(ceiling: Float64s | None, *, n_series: int) -> Float64s:
    if ceiling is None:
        return np.full(n_series, np.inf)
    if ceiling.shape != (n_series,):
        raise ShapeError(argument="ceiling_bytes", wanted=f"({n_series},)", found=ceiling.shape)
    return ceiling.astype(np.float64)


def _checked_kin(kin: Int64s | None, *, n_series: int) -> Int64s:
    if kin is None:
        return np.full(n_series, NO_KIN, dtype=np.int64)
    if kin.shape != (n_series,):
        raise ShapeError(argument="kin", wanted=f"({n_series},)", found=kin.shape)
    return kin


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
