"""Shares out what a place can do among those who want it: minimums first, then evenly."""

import numpy as np

from keelmark.core.arrays import Float64s, Int64s


def filled(wanted: Float64s, *, minimum: Float64s, group: Int64s, ceiling: Float64s) -> Float64s:
    """Return what each of a group gets under the ceiling of its group.

    Parameters
    ----------
    wanted, minimum : (n,) float64
        What each would do, and what it is promised of that; finite.
    group : (n,) int64
        To which group each belongs.
    ceiling : (n_groups,) float64
        What a group may do in all; inf where there is no ceiling.

    Returns
    -------
    (n,) float64
        Never more than wanted. Where a group wants more than its ceiling, each has its minimum
        (all of them cut in proportion where even those are too much), then who has least is
        raised first, until the ceiling is met exactly.

    Notes
    -----
    Max-min fairness with minimums (Bertsekas and Gallager, Data Networks, 1992, section 6.5.2):
    there is a level that gives each ``min(wanted, max(minimum, level))``. The sum is piecewise
    linear in the level and turns where one leaves its minimum or has all it wants, so the level
    is found by sorting those turns, for all groups at once.
    """
    n_groups = len(ceiling)
    total = np.bincount(group, weights=wanted, minlength=n_groups)
    is_over = (total > ceiling)[group]
    if not is_over.any():
        return wanted.copy()
    got = wanted.copy()
    got[is_over] = _shared(wanted[is_over], minimum[is_over], group[is_over], ceiling)
    return got


def _shared(wanted: Float64s, minimum: Float64s, group: Int64s, ceiling: Float64s) -> Float64s:
    n_groups = len(ceiling)
    base = np.minimum(wanted, minimum)
    promised = np.bincount(group, weights=base, minlength=n_groups)
    cut = np.divide(ceiling, promised, out=np.ones(n_groups), where=promised > ceiling)
    base = base * cut[group]
    rest = np.maximum(ceiling - np.minimum(promised, ceiling), 0)
    level = _level(wanted, base, group, rest)
    return np.minimum(wanted, np.maximum(base, level[group]))


def _level(wanted: Float64s, base: Float64s, group: Int64s, rest: Float64s) -> Float64s:
    """The level of each group that hands out the rest above the bases."""
    points = np.concatenate([base, wanted])
    turns = np.concatenate([np.ones(len(base)), -np.ones(len(wanted))])
    of = np.concatenate([group, group])
    order = np.lexsort((points, of))
    points, turns, of = points[order], turns[order], of[order]
    slope = np.cumsum(turns)  # 0 again behind the last turn of each group
    gained = np.concatenate([[0.0], np.cumsum(slope[:-1] * np.diff(points))])
    groups, first = np.unique(of, return_index=True)
    last = np.append(first[1:], len(of)) - 1
    wanted_sum = gained[first] + rest[groups]
    at = np.clip(np.searchsorted(gained, wanted_sum, side="left"), first, last)
    before = np.maximum(at - 1, first)
    told = points[at].copy()
    is_between = (at > first) & (slope[before] > 0)
    over = gained[at] - wanted_sum
    told[is_between] -= over[is_between] / slope[before][is_between]
    level = np.zeros(len(rest))
    level[groups] = told
    return level
