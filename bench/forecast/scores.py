"""How a fan and its dates did against what came."""

from dataclasses import dataclass

import numpy as np

from bench.forecast.families import Cases
from keelmark.core.arrays import Bools, Float64s

QUANTILES = (0.1, 0.5, 0.9)
WITHIN_DAYS = 90
UNFORESEEN_DAYS = 365.0  # a date that was not given counts as this far away


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Answer:
    """A fan (n, 3, n_days) and the days (3, n) early, likely and late to the mark."""

    fan: Float64s
    days: Float64s


@dataclass(frozen=True, slots=True, kw_only=True)
class Score:
    """Of one method on one family; NaN where a family has no such case."""

    pinball: float  # mean of three quantiles over all days ahead, points of the highest known
    crossing_days: float  # mean distance of the likely date from the day it came
    coverage: float  # share of days from the seventh on in the band
    before_early: float  # share of those that crossed before early, of all
    between: float  # share of those that crossed between early and late, of those that did
    false_alarms: float  # share of those that never came which were promised within 90 days
    n_crossings: int


def score(answer: Answer, *, cases: Cases) -> Score:
    """Score an answer on some cases."""
    n_days = cases.future.shape[1]
    fan = answer.fan[:, :, :n_days]
    scale = np.nanmax(cases.known, axis=1)[:, None, None]
    miss = (cases.future[:, None] - fan) / scale
    level = np.array(QUANTILES)[None, :, None]
    loss = np.maximum(level * miss, (level - 1) * miss)
    later = cases.future[:, 6:]
    # What is exact to a millionth is in the band.
    slack = 1e-6 * scale[:, 0]
    inside = (later >= fan[:, 0, 6:] - slack) & (later <= fan[:, 2, 6:] + slack)
    came, is_known = came_on(cases)
    crossed = is_known & np.isfinite(came)
    quiet = is_known & np.isinf(came)
    early, likely, late = np.nan_to_num(answer.days, nan=np.inf)
    off = np.abs(np.minimum(likely, UNFORESEEN_DAYS) - came)
    return Score(
        pinball=100 * float(np.nanmean(loss)),
        crossing_days=_mean(off, of=crossed),
        coverage=float(inside[~np.isnan(later)].mean()),
        before_early=_mean(came < early, of=is_known),
        between=_mean((early <= came) & (came <= late), of=crossed),
        false_alarms=_mean(likely <= WITHIN_DAYS, of=quiet),
        n_crossings=int(crossed.sum()),
    )


def _mean(told: Float64s | Bools, *, of: Bools) -> float:
    return float(told[of].mean()) if of.any() else float("nan")


def came_on(cases: Cases) -> tuple[Float64s, Bools]:
    """Return the day each mark was reached (inf: not in the known future), and where it is known.

    It counts from when the readings of three days stand there: one noisy day is no exhaustion.
    """
    smooth = np.lib.stride_tricks.sliding_window_view(cases.future, 3, axis=1)
    held = np.nanmedian(np.where(np.isnan(smooth), -np.inf, smooth), axis=2) >= cases.mark[:, None]
    came = np.where(held.any(axis=1), held.argmax(axis=1) + 1.0, np.inf)
    last = np.array([row[~np.isnan(row)][-1] for row in cases.known])
    return came, last < cases.mark


def crossings(path: Float64s, mark: Float64s) -> Float64s:
    """Return the first day on which a path (n, days) stands at its mark, inf where never."""
    reached = path >= mark[:, None]
    return np.where(reached.any(axis=1), reached.argmax(axis=1) + 1.0, np.inf)
