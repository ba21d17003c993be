"""How much may be added to a series at once, so that its early date still comes after a day."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.forecast.outlook import Outlook, level_reached, runway, runways

N_LEVELS: Final = 16  # additions that are looked at together
N_STEPS: Final = 4_096  # of a mark: what is nearer together is not told apart
LONGER: Final = 6.0  # each step than the one before, until what is looked for is passed


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
        date comes sooner as it is: what would have to go; NaN where it is not judged.

    Notes
    -----
    The same first passage by which dates are told: with that much more, a mark is reached as a
    mark lower by that much is now. It is looked for from where the paths themselves say it is, so
    that most need no more than the dates on either side of that.
    """
    last = np.nan_to_num(of.last_bytes)
    least = np.zeros(len(last)) if planned_bytes is None else planned_bytes.min(axis=1)
    most = np.zeros(len(last)) if planned_bytes is None else planned_bytes.max(axis=1)
    holds = -np.maximum(last, 0.0) - np.maximum(most, 0.0)
    fails = np.maximum(mark_bytes - last - np.minimum(least, 0.0), 0.0)
    step = np.maximum(mark_bytes / N_STEPS, 1.0)
    reached = level_reached(
        of, days=days, horizon_days=horizon_days, added_bytes=planned_bytes
    )  # fmt: skip
    guess = np.clip(np.where(np.isnan(reached), holds, mark_bytes - reached), holds, fails)
    near = np.floor(np.stack([guess - step / 2, guess + step / 2]))
    ways = runways(
        of, marks_bytes=(mark_bytes - near).astype(np.int64), horizon_days=horizon_days,
        added_bytes=planned_bytes,
    )  # fmt: skip
    is_held = np.stack([one.early_days > days for one in ways])
    # More is never later: what holds is held by all that is less.
    holds = np.where(is_held[1], near[1], np.where(is_held[0], near[0], holds))
    fails = np.where(is_held[0], np.where(is_held[1], fails, near[1]), near[0])
    search = _Search(holds=holds, fails=np.maximum(fails, holds), step=step,
                     side=np.where(is_held[1], 1, np.where(is_held[0], 0, -1)))  # fmt: skip
    while len(rows := search.open_rows(of.is_judged)):
        tried = search.tried(rows)
        way = runway(
            of.of_rows(rows), mark_bytes=(mark_bytes[rows] - tried).astype(np.int64),
            horizon_days=horizon_days,
            added_bytes=None if planned_bytes is None else planned_bytes[rows],
        )  # fmt: skip
        search.told(rows, tried=tried, is_held=way.early_days > days[rows])
    return np.where(of.is_judged, search.holds, np.nan)


@dataclass(slots=True, kw_only=True, eq=False)
class _Search:
    """Where each of some rows (n_series,) is held and where not any more, drawn together.

    ``side`` is on which the guess was wrong: from there it is gone on in longer and longer steps
    until it is passed, then halved.
    """

    holds: Float64s
    fails: Float64s
    step: Float64s  # that is not told apart any further
    side: Int64s
    reach: float = 1.0  # steps

    def open_rows(self, is_judged: Bools) -> Int64s:
        """Return the rows that are not told apart yet."""
        return np.flatnonzero(is_judged & (self.fails - self.holds > self.step))

    def tried(self, rows: Int64s) -> Float64s:
        """Return what is tried next of each of some rows."""
        holds, fails, side = self.holds[rows], self.fails[rows], self.side[rows]
        middle = (holds + fails) / 2
        far = np.where(side > 0, holds, fails) + side * self.reach * self.step[rows]
        is_within = (side != 0) & (np.abs(far - middle) < (fails - holds) / 2)
        self.side[rows[~is_within]] = 0
        self.reach *= LONGER
        return np.floor(np.where(is_within, far, middle))

    def told(self, rows: Int64s, *, tried: Float64s, is_held: Bools) -> None:
        """Take in what was tried."""
        self.side[rows[np.where(is_held, -1, 1) == self.side[rows]]] = 0  # it is passed
        self.holds[rows] = np.where(is_held, tried, self.holds[rows])
        self.fails[rows] = np.where(is_held, self.fails[rows], tried)
