"""Daily used bytes in, quantile paths and exhaustion days out, for many series at once."""

from dataclasses import dataclass, replace

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.forecast.clean import CleanSeries, clean
from keelmark.core.forecast.kin import NO_KIN, borrow
from keelmark.core.forecast.learnt import Learnt, learnt
from keelmark.core.forecast.outlook import N_AXES, Outlook
from keelmark.core.forecast.robust import zeroed
from keelmark.core.forecast.structure import PaceChanges, no_changes, pace_changes
from keelmark.core.forecast.telling import (
    GROWTH_DAYS,
    GROWTH_KNOT,
    past_of,
    told_of,
    with_what_happened_once,
)

MIN_HISTORY_DAYS = 14  # two weekly rhythms
MIN_READ_SHARE = 0.3  # fewer days read than this and gaps would speak louder
YOUNG_DAYS = 42  # up to six weekly rhythms a series borrows from its kin
MOST_BYTES = 2.0**100  # far above what any of them can be
NOT_SOUND = "its readings are too large to reckon with"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Forecast(Outlook):
    """An outlook with why some rows are not judged ("" where judged) and what was found.

    ``share`` (N_WAYS, n_series) is how much each way counts, ``learnt_bytes`` (n_series,) what
    was learnt on top of the mix after GROWTH_DAYS, ``is_unlike`` (n_series,) whether a history is
    unlike all that was simulated, ``always_share`` (n_series,) how much counts what would be said
    if the few shifts there were had always been there, ``line_share`` (n_series,) how much what a
    line that never bent does. ``n_kin`` (n_series,) is how many others a
    young series borrowed its pace from, else 0.
    """

    reasons: tuple[str, ...]
    readings: CleanSeries
    changes: PaceChanges
    share: Float64s
    learnt_bytes: Float64s
    is_unlike: Bools
    always_share: Float64s
    line_share: Float64s
    n_kin: Int64s


def forecast(
    used_bytes: Float64s,
    *,
    first_day: int | Int64s | None = None,
    ceiling_bytes: Float64s | None = None,
    kin: Int64s | None = None,
    finds_changes: bool = True,
    by: Learnt | None = None,
) -> Forecast:
    """Learn where each series goes, how surely, and by which ways.

    Parameters
    ----------
    used_bytes : (n_series, n_days) float64
        Used bytes at the end of each day, NaN where unread. Columns are consecutive days;
        a series may begin late and end early.
    first_day : int or (n_series,) int64, optional
        Day of column 0 since 1970; without it no month is known, and no month's rhythm.
    ceiling_bytes : (n_series,) float64, optional
        Size at which each series ends, inf where nothing ends it.
    kin : (n_series,) int64, optional
        Group of each series, −1 for none: the young borrow the pace of their group.
    finds_changes : bool
        Whether changes of pace are looked for; no path or date depends on it.
    by : Learnt, optional
        What was learnt from simulated histories, instead of what is shipped.

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
    # One bad series stops no other: it is left, with a reason.
    is_too_large: Bools = np.asarray((zeroed(checked) > MOST_BYTES).any(axis=1))
    checked = np.where(is_too_large[:, None], np.nan, checked)
    readings = clean(checked)
    scale = np.maximum(zeroed(readings.level_bytes).max(axis=1), 1.0)
    is_judged, reasons = _judged(checked, readings=readings)
    last_day = (0 if first_day is None else first_day) + readings.last_column
    past, rhythm = past_of(
        readings, scale=scale, last_day=last_day, has_calendar=first_day is not None
    )
    told = told_of(past, by=by or learnt())
    told = with_what_happened_once(
        told,
        readings=readings,
        scale=scale,
        last_day=last_day,
        has_calendar=first_day is not None,
        by=by or learnt(),
    )
    n_span = checked.shape[1] - readings.first_column
    is_read = readings.last_column >= 0
    borrowed = borrow(
        told.fan,
        level=told.level,
        # What was never read has no day to count from, whatever its kin do.
        kin=np.where(is_read, _checked_kin(kin, n_series=len(checked)), NO_KIN),
        n_span_days=n_span,
        is_judged=is_judged,
        is_elder=is_judged & (n_span > YOUNG_DAYS),
        max_days=YOUNG_DAYS,
    )
    is_sound = borrowed.fan.is_finite() & ~is_too_large
    is_judged = (is_judged | (borrowed.n_kin > 0)) & is_sound
    reasons = tuple(
        reason if sound else NOT_SOUND for reason, sound in zip(reasons, is_sound, strict=True)
    )
    first = readings.first_column
    changes = pace_changes(past.trend, first_column=first) if finds_changes else None
    changes = changes or no_changes(len(checked))
    return Forecast(
        last_bytes=readings.level_bytes[:, -1],
        level_bytes=told.level * scale,
        growth_bytes_per_day=np.where(
            is_judged,
            (borrowed.fan.middle[:, GROWTH_KNOT] - told.level) * scale / GROWTH_DAYS,
            np.nan,
        ),
        fan=borrowed.fan.scaled(scale),
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
        share=told.share,
        learnt_bytes=told.learnt * scale,
        is_unlike=told.is_unlike,
        always_share=told.always_share,
        line_share=told.line_share,
        n_kin=borrowed.n_kin,
    )


def widened(of: Forecast, *, by: float) -> Forecast:
    """Return a forecast whose band is so many times as wide; its 50 % path stays."""
    return replace(of, fan=of.fan.widened(by))


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


def _judged(used: Float64s, *, readings: CleanSeries) -> tuple[Bools, tuple[str, ...]]:
    n_read = (~np.isnan(used)).sum(axis=1)
    n_span = used.shape[1] - readings.first_column
    is_short = n_read < MIN_HISTORY_DAYS
    is_sparse = n_read < MIN_READ_SHARE * n_span
    reasons = tuple(
        "no readings"
        if n == 0
        else f"only {n} day{'s' if n > 1 else ''} read, {MIN_HISTORY_DAYS} needed"
        if short
        else f"only {n} of {span} days read"
        if sparse
        else ""
        for n, span, short, sparse in zip(n_read, n_span, is_short, is_sparse, strict=True)
    )
    return ~(is_short | is_sparse), reasons
