"""Readings as they are made into a line that can be extrapolated."""

from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from keelmark.core.arrays import Bools, Float64s, Int64s

ODD_WINDOW_DAYS = 5  # a reading is odd against the two days either side
ODD_SPREADS = 8.0  # spreads from its neighbours; normal noise reaches 8 never
ODD_STEPS = 3.0  # usual daily steps
ODD_LEVEL_SHARE = 0.01  # of the level; smaller oddities change no date
ODD_MAX_SHARE = 0.05  # more than this and it is a rhythm, not a fault
SHIFT_SPREADS = 8.0
SHIFT_LEVEL_SHARE = 0.015  # of the level, in a day or two
BLOCK_DAYS = 28  # four weeks carry a common pace, whatever the weekday
RHYTHM_MIN_SHIFTS = 4  # as many steps one way in RHYTHM_DAYS are how it grows
RHYTHM_DAYS = 180
MAD_TO_SPREAD = 1.4826  # of a normal distribution


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class CleanSeries:
    """Right-aligned series: the last column is each series' own last reading.

    All arrays are (n_series, n_days). ``level_bytes`` has gaps and odd readings filled;
    ``trend_bytes`` has the shifts taken out too, so that it ends at the same last level.
    Both are NaN before the first reading.
    """

    level_bytes: Float64s
    trend_bytes: Float64s
    shift_bytes: Float64s
    is_odd: Bools
    first_column: Int64s
    last_column: Int64s


def clean(used_bytes: Float64s) -> CleanSeries:
    """Fill gaps, leave out odd readings and take level shifts out of the trend.

    Parameters
    ----------
    used_bytes : (n_series, n_days) float64
        Daily used bytes, NaN where unread.

    Returns
    -------
    CleanSeries
        ``shift_bytes`` and ``is_odd`` are right-aligned too; ``last_column`` says where
        each series ended in the input (−1: never read).
    """
    aligned, last_column = _right_aligned(used_bytes)
    filled = _gaps_filled(aligned)
    is_odd = _odd_readings(aligned, filled=filled)
    level = _gaps_filled(np.where(is_odd, np.nan, aligned))
    shift = _shifts(level)
    later_shifts = np.cumsum(shift[:, ::-1], axis=1)[:, ::-1]
    trend = level.copy()
    trend[:, :-1] += later_shifts[:, 1:]
    first = np.argmax(~np.isnan(level), axis=1)
    return CleanSeries(
        level_bytes=level,
        trend_bytes=trend,
        shift_bytes=shift,
        is_odd=is_odd,
        first_column=np.where(last_column < 0, level.shape[1], first).astype(np.int64),
        last_column=last_column,
    )


def _right_aligned(used: Float64s) -> tuple[Float64s, Int64s]:
    n_days = used.shape[1]
    is_read = ~np.isnan(used)
    last = np.where(is_read.any(axis=1), n_days - 1 - np.argmax(is_read[:, ::-1], axis=1), -1)
    columns = np.arange(n_days)[None, :] - (n_days - 1 - last)[:, None]
    taken = np.take_along_axis(used, np.maximum(columns, 0), axis=1)
    return np.where(columns >= 0, taken, np.nan), last.astype(np.int64)


def _gaps_filled(series: Float64s) -> Float64s:
    """Straight lines across gaps; what lies before the first reading stays NaN."""
    n_days = series.shape[1]
    columns = np.arange(n_days)[None, :]
    is_read = ~np.isnan(series)
    before = np.maximum.accumulate(np.where(is_read, columns, -1), axis=1)
    after = np.minimum.accumulate(np.where(is_read, columns, n_days)[:, ::-1], axis=1)[:, ::-1]
    left = np.take_along_axis(series, np.maximum(before, 0), axis=1)
    right = np.take_along_axis(series, np.minimum(after, n_days - 1), axis=1)
    width = np.maximum(after - before, 1)
    line = left + (right - left) * ((columns - before) / width)
    # An odd last reading leaves the end open: hold the last good one.
    line = np.where(after >= n_days, left, line)
    return np.where(before < 0, np.nan, np.where(is_read, series, line))


def _spread(deviation: Float64s) -> Float64s:
    """Robust spread per series, (n_series, 1); 0 where nothing is known."""
    n_known = (~np.isnan(deviation)).sum(axis=1, keepdims=True)
    ordered = np.sort(np.abs(deviation), axis=1)  # NaN sorts last
    middle = np.take_along_axis(ordered, np.maximum(n_known - 1, 0) // 2, axis=1)
    return np.where(n_known > 0, MAD_TO_SPREAD * middle, 0.0)


def _odd_readings(aligned: Float64s, *, filled: Float64s) -> Bools:
    first = np.take_along_axis(filled, np.argmax(~np.isnan(filled), axis=1)[:, None], axis=1)
    padded = np.nan_to_num(np.where(np.isnan(filled), first, filled))
    neighbours = ndimage.median_filter(padded, size=(1, ODD_WINDOW_DAYS), mode="nearest")
    off = np.where(np.isnan(aligned), np.nan, aligned - neighbours)
    # Beside a shift the neighbours are a step or two away without anything being odd.
    step = np.nan_to_num(np.diff(filled, axis=1, prepend=np.nan), nan=0.0)
    bar = np.maximum(ODD_SPREADS * _spread(off), ODD_LEVEL_SHARE * np.abs(neighbours))
    bar = np.maximum(bar, ODD_STEPS * _spread(step))
    is_odd = np.nan_to_num(np.abs(off), nan=0.0) > bar
    n_read = np.maximum((~np.isnan(aligned)).sum(axis=1, keepdims=True), 1)
    is_few: Bools = is_odd.sum(axis=1, keepdims=True) <= np.maximum(ODD_MAX_SHARE * n_read, 1)
    return is_odd & is_few


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


def _shifts(level: Float64s) -> Float64s:
    """Bytes by which each day stands off its pace for good, 0 on ordinary days."""
    steps = np.diff(level, axis=1, prepend=np.nan)
    excess = steps - _local_pace(steps)
    bar = np.maximum(SHIFT_SPREADS * _spread(excess), SHIFT_LEVEL_SHARE * np.abs(level))
    size = np.nan_to_num(excess)
    is_shift = np.abs(size) > np.nan_to_num(bar, nan=np.inf)
    recent = is_shift[:, -RHYTHM_DAYS:] * np.sign(size[:, -RHYTHM_DAYS:])
    grows_by_steps = (recent > 0).sum(axis=1, keepdims=True) >= RHYTHM_MIN_SHIFTS
    shrinks_by_steps = (recent < 0).sum(axis=1, keepdims=True) >= RHYTHM_MIN_SHIFTS
    is_rhythm = np.where(size > 0, grows_by_steps, shrinks_by_steps)
    return np.where(is_shift & ~is_rhythm, size, 0.0)
