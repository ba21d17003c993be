"""How much of a history is noise that comes back, and how long it remembers."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Float64s, Int64s

LAGS_DAYS = (1, 2, 4, 8, 16)
MEMORIES = (0.0, 0.6, 0.85)  # of yesterday's noise, what is left of it today
NOISE_DAYS = 120  # the newest ones: noise is what it is lately
TINY = 1e-24


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Noise:
    """Variance (n_series,) in units of the level squared; ``memory`` (n_series,) in MEMORIES."""

    variance: Float64s
    memory: Int64s


def noise_of(trend: Float64s) -> Noise:
    """Tell noise, which comes back, from what adds up.

    Parameters
    ----------
    trend : (n_series, n_days) float64
        Right-aligned, without shifts and rhythm; NaN before the first reading.

    Returns
    -------
    Noise
        Zeros where the series is too short to tell.

    Notes
    -----
    The variance of a change over d days is 2 s² (1 − m^d) + w² d for noise of variance s² and
    memory m on a walk of w² a day. For each m the best non-negative s² and w² by least squares,
    in shares of the variance at each lag; the m that fits best counts.
    """
    lately = trend[:, -NOISE_DAYS:]
    days = np.array(LAGS_DAYS, dtype=np.float64)
    variance = np.stack([_variance_of_change(lately, days=lag) for lag in LAGS_DAYS])
    weight = 1 / np.maximum(variance, TINY) ** 2
    best = np.full(len(trend), np.inf)
    found = np.zeros(len(trend))
    memory = np.zeros(len(trend), dtype=np.int64)
    for index, kept in enumerate(MEMORIES):
        noise = _fitted(2 * (1 - kept**days), days, variance=variance, weight=weight)
        walk = _nonnegative(
            (weight * days[:, None] * (variance - _outer(2 * (1 - kept**days), noise))).sum(axis=0),
            (weight * (days**2)[:, None]).sum(axis=0),
        )
        missed = variance - _outer(2 * (1 - kept**days), noise) - _outer(days, walk)
        misfit = (weight * missed**2).sum(axis=0)
        is_better = misfit < best - 1e-9
        best = np.where(is_better, misfit, best)
        found = np.where(is_better, noise, found)
        memory = np.where(is_better, index, memory)
    return Noise(variance=found, memory=memory)


def _fitted(shape: Float64s, days: Float64s, *, variance: Float64s, weight: Float64s) -> Float64s:
    """Noise's own part of a fit of noise and walk, (n_series,), neither below nothing."""
    aa = (weight * (shape**2)[:, None]).sum(axis=0)
    bb = (weight * (days**2)[:, None]).sum(axis=0)
    ab = (weight * (shape * days)[:, None]).sum(axis=0)
    ay = (weight * shape[:, None] * variance).sum(axis=0)
    by = (weight * days[:, None] * variance).sum(axis=0)
    determinant = aa * bb - ab**2
    both = (ay * bb - by * ab) / np.where(determinant > 0, determinant, 1.0)
    walk = by * aa - ay * ab
    alone = _nonnegative(ay, aa)
    return np.where(determinant > 0, np.where(walk < 0, alone, np.maximum(both, 0.0)), alone)


def _nonnegative(above: Float64s, below: Float64s) -> Float64s:
    return np.maximum(above / np.where(below > 0, below, 1.0), 0.0)


def _outer(shape: Float64s, amount: Float64s) -> Float64s:
    return shape[:, None] * amount[None, :]


def _variance_of_change(lately: Float64s, *, days: int) -> Float64s:
    if lately.shape[1] <= 2 * days:
        return np.zeros(len(lately))
    change = lately[:, days:] - lately[:, :-days]
    is_known = ~np.isnan(change)
    n = np.maximum(is_known.sum(axis=1), 1)
    known = np.where(is_known, change, 0.0)
    mean = known.sum(axis=1) / n
    variance: Float64s = (np.where(is_known, change - mean[:, None], 0.0) ** 2).sum(axis=1) / n
    return variance
