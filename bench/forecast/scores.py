"""How a fan did against what came."""

from dataclasses import dataclass

import numpy as np

from bench.forecast.families import Cases
from keelmark.core.arrays import Bools, Float64s

QUANTILES = (0.1, 0.5, 0.9)
WITHIN_DAYS = 90
UNFORESEEN_DAYS = 365.0  # a date that was not given counts as this far away


@dataclass(frozen=True, slots=True, kw_only=True)
class Score:
    """Of one method on one family; NaN where a family has no such case."""

    pinball: float  # mean of three quantiles over 90 days, ‰ of the level's scale
    crossing_days: float  # mean distance of the likely date from the day it came
    coverage: float  # share of days 7 to 90 in the band
    false_alarms: float  # share of those that never came which were promised within 90 days
    n_crossings: int
    n_quiet: int


def score(fan: Float64s, *, likely_days: Float64s, cases: Cases) -> Score:
    """Score a fan (n, 3, ≥ days) and its dates (n,)."""
    n_days = min(WITHIN_DAYS, cases.future.shape[1])
    future = cases.future[:, None, :n_days]
    scale = np.nanmax(cases.known, axis=1)[:, None, None]
    miss = (future - fan[:, :, :n_days]) / scale
    level = np.array(QUANTILES)[None, :, None]
    loss = np.maximum(level * miss, (level - 1) * miss)
    late = slice(6, n_days)
    inside = (cases.future[:, late] >= fan[:, 0, late]) & (cases.future[:, late] <= fan[:, 2, late])
    came, is_known = came_on(cases)
    crossed = is_known & (came <= n_days)
    quiet = is_known & np.isinf(came)
    off = np.abs(np.minimum(likely_days, UNFORESEEN_DAYS) - came)
    return Score(
        pinball=1e3 * float(np.nanmean(loss)),
        crossing_days=float(off[crossed].mean()) if crossed.any() else np.nan,
        coverage=float(inside[~np.isnan(cases.future[:, late])].mean()),
        false_alarms=float((likely_days[quiet] <= n_days).mean()) if quiet.any() else np.nan,
        n_crossings=int(crossed.sum()),
        n_quiet=int(quiet.sum()),
    )


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
