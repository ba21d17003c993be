"""Finds readings that cannot be: wild ones, a source that got stuck, days told in wrong order."""

from enum import IntEnum

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from keelmark.core.arrays import Bools, Float64s
from keelmark.core.forecast.robust import gaps_filled, robust_spread, zeroed

ODD_WINDOW_DAYS = 5  # a reading is odd against the two days either side
ODD_SPREADS = 8.0  # spreads from its neighbours; normal noise reaches 8 never
ODD_STEPS = 3.0  # usual daily steps
ODD_LEVEL_SHARE = 0.01  # of the level; smaller oddities change no date
ODD_MAX_SHARE = 0.05  # more than this and it is a rhythm, not a fault
STUCK_DAYS = 5  # as many equal readings to the byte, where days otherwise differ
AT_REST_DAYS = 22  # equal for longer than three weeks it is not the source: nothing is written
STUCK_MAX_REST_SHARE = 0.05  # of other days without a change; more and it is a quiet series
SLIP_SPREADS = 8.0  # daily spreads that putting two days the other way round must save
Int8s = NDArray[np.int8]


class Repair(IntEnum):
    """Why a day's level is not the reading of that day."""

    NONE = 0
    UNREAD = 1
    ODD = 2
    STUCK = 3
    SLIPPED = 4


def repaired(aligned: Float64s) -> tuple[Float64s, Int8s]:
    """Return right-aligned series without what cannot be, and what was done to each day.

    Parameters
    ----------
    aligned : (n_series, n_days) float64
        NaN where unread.

    Returns
    -------
    (n_series, n_days) float64
        NaN where unread or not to be believed; days told in wrong order are put right.
    (n_series, n_days) int8
        A Repair for each day; days before the first reading and after the last have none.
    """
    is_read = ~np.isnan(aligned)
    began = np.maximum.accumulate(is_read, axis=1)
    why = np.where(began & ~is_read, Repair.UNREAD, Repair.NONE).astype(np.int8)
    is_stuck = _stuck(aligned)
    why[is_stuck] = Repair.STUCK
    kept = np.where(is_stuck, np.nan, aligned)
    is_odd = _odd_readings(kept, filled=gaps_filled(kept))
    why[is_odd] = Repair.ODD
    kept = np.where(is_odd, np.nan, kept)
    is_slipped = _slipped(kept)
    kept, why = kept.copy(), why.copy()
    rows, columns = np.nonzero(is_slipped)
    kept[rows, columns], kept[rows, columns + 1] = kept[rows, columns + 1], kept[rows, columns]
    why[rows, columns] = Repair.SLIPPED
    why[rows, columns + 1] = Repair.SLIPPED
    return kept, why


def _odd_readings(aligned: Float64s, *, filled: Float64s) -> Bools:
    first = np.take_along_axis(filled, np.argmax(~np.isnan(filled), axis=1)[:, None], axis=1)
    padded = zeroed(np.where(np.isnan(filled), first, filled))
    neighbours = ndimage.median_filter(padded, size=(1, ODD_WINDOW_DAYS), mode="nearest")
    off = np.where(np.isnan(aligned), np.nan, aligned - neighbours)
    # Beside a shift the neighbours are a step or two away without anything being odd.
    step = zeroed(np.diff(filled, axis=1, prepend=np.nan))
    bar = np.maximum(ODD_SPREADS * robust_spread(off), ODD_LEVEL_SHARE * np.abs(neighbours))
    bar = np.maximum(bar, ODD_STEPS * robust_spread(step))
    is_odd = zeroed(np.abs(off)) > bar
    n_read = np.maximum((~np.isnan(aligned)).sum(axis=1, keepdims=True), 1)
    is_few: Bools = is_odd.sum(axis=1, keepdims=True) <= np.maximum(ODD_MAX_SHARE * n_read, 1)
    return is_odd & is_few


def _stuck(aligned: Float64s) -> Bools:
    """Days that repeat the reading before to the byte, in a run, where days otherwise differ.

    The first day of a run is believed, and all of a run that is too long for a fault: what is
    full or not used any more. Unread days neither end a run nor lengthen it.
    """
    n_series, n_days = aligned.shape
    filled = _held(aligned)
    is_read = ~np.isnan(aligned)
    is_same = np.zeros(aligned.shape, dtype=np.bool_)
    is_same[:, 1:] = is_read[:, 1:] & (filled[:, 1:] == filled[:, :-1])
    changes = np.cumsum(is_read & ~is_same, axis=1)  # which run each day is in
    at = np.arange(n_series)[:, None] * (n_days + 1) + changes
    length = np.bincount(at[is_same], minlength=n_series * (n_days + 1))[at]
    is_long = is_same & (length >= STUCK_DAYS - 1) & (length < AT_REST_DAYS - 1)
    n_other = np.maximum((is_read & ~is_long).sum(axis=1, keepdims=True), 1)
    is_busy = (is_same & ~is_long).sum(axis=1, keepdims=True) <= STUCK_MAX_REST_SHARE * n_other
    stuck: Bools = is_long & is_busy & (is_long.sum(axis=1, keepdims=True) < n_other)
    return stuck


def _held(aligned: Float64s) -> Float64s:
    """The last reading at each day, NaN before the first."""
    columns = np.arange(aligned.shape[1])[None, :]
    last = np.maximum.accumulate(np.where(np.isnan(aligned), -1, columns), axis=1)
    held = np.take_along_axis(aligned, np.maximum(last, 0), axis=1)
    return np.where(last < 0, np.nan, held)


def _slipped(kept: Float64s) -> Bools:
    """Days whose reading and the next day's stand in each other's place."""
    is_slipped = np.zeros(kept.shape, dtype=np.bool_)
    if kept.shape[1] < 4:  # noqa: PLR2004  # two days and one at either side
        return is_slipped
    a, b, c, d = kept[:, :-3], kept[:, 1:-2], kept[:, 2:-1], kept[:, 3:]
    saved = (np.abs(b - a) + np.abs(d - c)) - (np.abs(c - a) + np.abs(d - b))
    steps = np.diff(kept, axis=1)
    n_known = (~np.isnan(steps)).sum(axis=1, keepdims=True)
    middle = np.maximum(n_known - 1, 0) // 2
    spread = robust_spread(steps - np.take_along_axis(np.sort(steps, axis=1), middle, axis=1))
    with np.errstate(invalid="ignore"):
        is_worth = (saved > SLIP_SPREADS * spread) & (spread > 0)
    # Of overlapping pairs the first is put right.
    is_worth[:, 1:] &= ~is_worth[:, :-1]
    is_slipped[:, 1:-2] = is_worth
    return is_slipped
