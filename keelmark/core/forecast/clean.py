"""Readings as they are made into a line that can be extrapolated."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.forecast.repairs import Int8s, Repair, repaired
from keelmark.core.forecast.robust import gaps_filled, robust_spread, zeroed

SHIFT_SPREADS = 8.0
SHIFT_LEVEL_SHARE = 0.015  # of the level, in a day or two
BLOCK_DAYS = 28  # four weeks carry a common pace, whatever the weekday
RHYTHM_MIN_SHIFTS = 4  # as many steps one way in RHYTHM_DAYS are how it grows
RHYTHM_DAYS = 180


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class CleanSeries:
    """Right-aligned series: the last column is each series' own last reading.

    All arrays are (n_series, n_days). ``level_bytes`` has what cannot be filled by straight
    lines, and ``repairs`` says on which days and why; ``trend_bytes`` has the shifts taken out
    too, so that it ends at the same last level. Both are NaN before the first reading.
    ``jump_bytes`` are the steps of a series that grows by steps: part of its trend.
    ``n_stuck_days`` (n_series,) counts days after the last column on which the source told the
    same as on it, and was not believed.
    """

    level_bytes: Float64s
    trend_bytes: Float64s
    shift_bytes: Float64s
    jump_bytes: Float64s
    repairs: Int8s
    first_column: Int64s
    last_column: Int64s
    n_stuck_days: Int64s

    @property
    def is_odd(self) -> Bools:
        """Which days' readings were left out as single wild ones."""
        odd: Bools = self.repairs == Repair.ODD
        return odd


def clean(used_bytes: Float64s) -> CleanSeries:
    """Fill gaps, leave out odd readings and take level shifts out of the trend.

    Parameters
    ----------
    used_bytes : (n_series, n_days) float64
        Daily used bytes, NaN where unread.

    Returns
    -------
    CleanSeries
        All right-aligned; ``last_column`` says where each series ended in the input (−1: never
        read).

    Notes
    -----
    A day is a shift where its step stands more than eight robust spreads off the pace of its
    four weeks and by more than 1.5 % of the level: normal noise does the former once in
    8·10¹⁴ days, noise with the tails of a t distribution of four degrees once in 1,080 days.

    References
    ----------
    Iglewicz, B. and Hoaglin, D. C. (1993), "How to detect and handle outliers", the modified
    z-score. We depart from it by the threshold, 8 instead of 3.5.
    """
    aligned, last_column = _right_aligned(used_bytes)
    kept, repairs = repaired(aligned)
    n_stuck_days = _stuck_tail(repairs)
    if n_stuck_days.any():
        # What is stuck to this day ends at the last reading that is believed.
        columns = np.arange(used_bytes.shape[1])[None, :]
        is_stuck = columns > (last_column - n_stuck_days)[:, None]
        aligned, last_column = _right_aligned(np.where(is_stuck, np.nan, used_bytes))
        kept, repairs = repaired(aligned)
    level = gaps_filled(kept)
    shift, jump = _shifts(level)
    later_shifts = np.cumsum(shift[:, ::-1], axis=1)[:, ::-1]
    trend = level.copy()
    trend[:, :-1] += later_shifts[:, 1:]
    first = np.argmax(~np.isnan(level), axis=1)
    return CleanSeries(
        level_bytes=level,
        trend_bytes=trend,
        shift_bytes=shift,
        jump_bytes=jump,
        repairs=repairs,
        first_column=np.where(last_column < 0, level.shape[1], first).astype(np.int64),
        last_column=last_column,
        n_stuck_days=n_stuck_days,
    )


def _stuck_tail(repairs: Int8s) -> Int64s:
    """Days at the end on which nothing but the last good reading was told, unread ones between."""
    is_tail = np.isin(repairs[:, ::-1], (Repair.STUCK, Repair.UNREAD))
    n_days = np.where(is_tail.all(axis=1), 0, np.argmin(is_tail, axis=1))
    return np.where(repairs[:, -1] == Repair.STUCK, n_days, 0).astype(np.int64)


def _right_aligned(used: Float64s) -> tuple[Float64s, Int64s]:
    n_days = used.shape[1]
    is_read = ~np.isnan(used)
    last = np.where(is_read.any(axis=1), n_days - 1 - np.argmax(is_read[:, ::-1], axis=1), -1)
    columns = np.arange(n_days)[None, :] - (n_days - 1 - last)[:, None]
    taken = np.take_along_axis(used, np.maximum(columns, 0), axis=1)
    return np.where(columns >= 0, taken, np.nan), last.astype(np.int64)


def _local_pace(steps: Float64s) -> Float64s:
    """Median daily step of each block of four weeks, counted from the end."""
    n_series, n_days = steps.shape
    n_blocks = -(-n_days // BLOCK_DAYS)
    padded = np.full((n_series, n_blocks * BLOCK_DAYS), np.nan)
    padded[:, -n_days:] = steps
    blocks = np.sort(padded.reshape(n_series, n_blocks, BLOCK_DAYS), axis=2)
    n_known = (~np.isnan(blocks)).sum(axis=2, keepdims=True)
    middle = np.take_along_axis(blocks, np.maximum(n_known - 1, 0) // 2, axis=2)
    pace = np.where(n_known > 0, middle, 0.0)
    return np.repeat(pace[:, :, 0], BLOCK_DAYS, axis=1)[:, -n_days:]


def _shifts(level: Float64s) -> tuple[Float64s, Float64s]:
    """Bytes by which each day stands off its pace for good; and the steps that are how it grows."""
    steps = np.diff(level, axis=1, prepend=np.nan)
    excess = steps - _local_pace(steps)
    bar = np.maximum(SHIFT_SPREADS * robust_spread(excess), SHIFT_LEVEL_SHARE * np.abs(level))
    size = zeroed(excess)
    is_shift = np.abs(size) > bar
    recent = is_shift[:, -RHYTHM_DAYS:] * np.sign(size[:, -RHYTHM_DAYS:])
    grows_by_steps = (recent > 0).sum(axis=1, keepdims=True) >= RHYTHM_MIN_SHIFTS
    shrinks_by_steps = (recent < 0).sum(axis=1, keepdims=True) >= RHYTHM_MIN_SHIFTS
    is_rhythm = np.where(size > 0, grows_by_steps, shrinks_by_steps)
    return np.where(is_shift & ~is_rhythm, size, 0.0), np.where(is_shift & is_rhythm, size, 0.0)
