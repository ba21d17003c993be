"""When a wandering, drifting level first stands at a mark."""

import numpy as np
from scipy.special import log_ndtr, ndtr

from keelmark.core.arrays import Float64s

N_DRIFTS = 9  # nodes of the drift's distribution; 7 and 15 give the same day
GRID_DAYS_PER_OCTAVE = 12
QUANTILES = (0.1, 0.5, 0.9)


def first_passage_days(
    distance: Float64s,
    *,
    per_day: Float64s,
    wander_variance: Float64s,
    drift_variance: Float64s,
    horizon_days: int,
) -> Float64s:
    """Return the 10, 50 and 90 % quantiles of the day on which the mark is first reached.

    Parameters
    ----------
    distance : (n_series,) float64
        Mark − level today, in any unit; ≤ 0 is reached already.
    per_day, wander_variance, drift_variance : (n_series,) float64
        Drift a day, variance a day of the wander, variance of the drift itself.
    horizon_days : int
        Last day looked at, 1 or more.

    Returns
    -------
    (3, n_series) float64
        Days from today, fractions included; 0 = reached, inf = not within the horizon.

    Notes
    -----
    For a known drift the passage time of a Wiener process is inverse Gaussian; its
    distribution is averaged over a normal drift by Gauss–Hermite quadrature.

    References
    ----------
    Folks, J. L. and Chhikara, R. S. (1978), "The inverse Gaussian distribution and its
    statistical application", eq. 2.
    """
    grid = _grid(horizon_days)
    nodes, node_weights = np.polynomial.hermite_e.hermegauss(N_DRIFTS)
    drift = per_day[:, None] + np.sqrt(drift_variance)[:, None] * nodes  # (series, node)
    wander = np.maximum(np.sqrt(wander_variance), 1e-9 * np.abs(distance) + 1e-300)
    chance = np.zeros((len(distance), len(grid)))
    reach = np.maximum(distance, 0.0)[:, None]
    spread = wander[:, None] * np.sqrt(grid)[None, :]
    for node, weight in enumerate(node_weights / node_weights.sum()):
        pace = drift[:, node, None]
        direct = ndtr((pace * grid - reach) / spread)
        log_back = 2 * pace * reach / wander[:, None] ** 2 + log_ndtr(
            -(reach + pace * grid) / spread
        )
        chance += weight * np.minimum(direct + np.exp(np.minimum(log_back, 0.0)), 1.0)
    chance = np.maximum.accumulate(chance, axis=1)
    days = np.stack([_day_of(chance, grid=grid, quantile=q) for q in QUANTILES])
    return np.where(distance[None, :] <= 0, 0.0, days)


def _grid(horizon_days: int) -> Float64s:
    n_points = max(2, int(np.ceil(GRID_DAYS_PER_OCTAVE * np.log2(horizon_days + 1))))
    return np.geomspace(0.5, horizon_days, n_points)


def _day_of(chance: Float64s, *, grid: Float64s, quantile: float) -> Float64s:
    """Straight line between the grid days around the quantile."""
    at = np.argmax(chance >= quantile, axis=1)
    reached = chance[:, -1] >= quantile
    rows = np.arange(len(chance))
    before = np.maximum(at - 1, 0)
    low, high = chance[rows, before], chance[rows, at]
    gap = np.where(high > low, high - low, 1.0)
    share = np.clip((quantile - low) / gap, 0.0, 1.0)
    day = grid[before] + share * (grid[at] - grid[before])
    return np.where(reached, np.where(at == 0, grid[0], day), np.inf)
