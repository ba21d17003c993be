"""How much may be added to a series at once, so that its early date still comes after a day."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.forecast.outlook import Outlook
from keelmark.core.forecast.reaching import Reaching, runways, some_at_a_time

N_LEVELS: Final = 16  # additions that are looked at together
N_HALVINGS: Final = 12  # of what is looked for, to a 4,096th of it
N_DOUBLINGS: Final = 8  # of what there is now, to what may be wanted by then
LEAST_BYTES: Final = 1.0  # that are doubled where there is nothing now


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Additions:
    """Early days (n_levels, n_series) to a mark after so many bytes more, of the same shape."""

    added_bytes: Float64s
    early_days: Float64s

    def early_after(self, added_bytes: Float64s) -> Float64s:
        """Return the early day after an addition (n, n_series), the sooner of two it lies between.

        NaN where the series is not judged.
        """
        n_series = self.added_bytes.shape[1]
        # How many levels lie below: the next one up is at least as much as is added.
        below = (self.added_bytes[None, :, :] < added_bytes[:, None, :]).sum(axis=1)
        days = np.vstack([self.early_days, np.zeros((1, n_series))])
        told: Float64s = days[below, np.arange(n_series)[None, :]]
        told[:, np.isnan(self.early_days).any(axis=0)] = np.nan
        return told


def additions_of(
    of: Outlook, *, mark_bytes: Int64s, least: Float64s, most: Float64s, horizon_days: int
) -> Additions:
    """Return the early days to a mark for additions evenly from least to most, (n_series,) each."""
    share = np.linspace(0, 1, N_LEVELS)[:, None]
    added = np.floor(least + share * np.maximum(most - least, 0.0))
    ways = runways(of, marks_bytes=(mark_bytes - added).astype(np.int64), horizon_days=horizon_days)
    return Additions(added_bytes=added, early_days=np.stack([one.early_days for one in ways]))


def room_until(
    of: Outlook,
    *,
    mark_bytes: Int64s,
    days: Int64s,
    horizon_days: int,
    planned_bytes: Float64s | None = None,
) -> Float64s:
    """Return how many bytes may be added at once, so that the early date comes after a day.

    Parameters
    ----------
    of : Outlook
        Of (n_series,) things.
    mark_bytes : (n_series,) int64
        The level that must not be reached.
    days : (n_series,) int64
        Days after each one's last reading, by which it must not be.
    horizon_days : int
        How far is looked, at least as far as the days.
    planned_bytes : (n_series, horizon_days) float64, optional
        What is planned to come besides on each day after each one's last reading.

    Returns
    -------
    (n_series,) float64
        Bytes, to a 4,000th of the mark and never more than may be; below 0 where the early
        date comes sooner as it is: what would have to go, or by how much the mark would have to
        rise; NaN where it is not judged.

    Notes
    -----
    The same first passage by which dates are told: with that much more, a mark is reached as a
    mark lower by that much is now.
    """
    told = np.empty(len(of.last_bytes))

    def look(rows: Int64s) -> None:
        told[rows] = _room(
            of.of_rows(rows), mark_bytes=mark_bytes[rows], days=days[rows],
            horizon_days=horizon_days,
            planned_bytes=None if planned_bytes is None else planned_bytes[rows],
        )  # fmt: skip

    some_at_a_time(of, look)
    return told


def _room(
    of: Outlook, *, mark_bytes: Int64s, days: Int64s, horizon_days: int,
    planned_bytes: Float64s | None,
) -> Float64s:  # fmt: skip
    ahead = Reaching(of, horizon_days=horizon_days, added_bytes=planned_bytes, are_paths_kept=True)
    last = np.nan_to_num(of.last_bytes)
    least = np.zeros(len(last)) if planned_bytes is None else planned_bytes.min(axis=1)
    most = np.zeros(len(last)) if planned_bytes is None else planned_bytes.max(axis=1)
    holds = -np.maximum(last, 0.0) - np.maximum(most, 0.0)
    fails = np.maximum(mark_bytes - last - np.minimum(least, 0.0), 0.0)

    def early(tried: Float64s) -> Float64s:
        (way,) = ahead.runways((mark_bytes - tried).astype(np.int64)[None, :])
        return way.early_days

    # What grows may want more by then than there is now.
    for _ in range(N_DOUBLINGS):
        is_wanting_more = early(holds) <= days
        if not is_wanting_more.any():
            break
        fails = np.where(is_wanting_more, holds, fails)
        holds = np.where(is_wanting_more, 2 * holds - LEAST_BYTES, holds)
    for _ in range(N_HALVINGS):
        tried = np.floor((holds + fails) / 2)
        early_days = early(tried)
        is_held = early_days > days
        # More is never later: what holds is held by all that is less.
        holds, fails = np.where(is_held, tried, holds), np.where(is_held, fails, tried)
    return np.where(np.isnan(early_days), np.nan, holds)
