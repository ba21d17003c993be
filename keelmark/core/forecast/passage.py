"""When a wandering, drifting level first stands at a mark."""

from dataclasses import dataclass, replace

import numpy as np
from scipy.special import log_ndtr, ndtr

from keelmark.core.arrays import Float64s

N_DRIFTS = 9  # nodes of the drift's distribution; 7 and 15 give the same day
GRID_DAYS_PER_OCTAVE = 6
FIRST_DAY = 0.5
N_HALVINGS = 8  # of a bracket a ninth of its day wide: dates to well under a day
MIN_WANDER_SHARE = 1e-6  # of the distance: keeps a line without wander computable
QUANTILES = (0.1, 0.5, 0.9)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Passage:
    """Days (3, n_series) to the 10, 50 and 90 % chance: 0 = reached, inf = not in the horizon.

    ``chance_within`` (n_series,) is the chance that it is reached within the horizon.
    """

    days: Float64s
    chance_within: Float64s


def first_passage_days(
    distance: Float64s,
    *,
    per_day: Float64s,
    wander_variance: Float64s,
    drift_variance: Float64s,
    horizon_days: int,
) -> Passage:
    """Return when the mark is first reached.

    Parameters
    ----------
    distance : (n_series,) or (n_series, horizon_days) float64
        Mark − level today, in any unit; ≤ 0 is reached already. With a column a day it is the
        distance on that day, as a rhythm moves it: column 0 is tomorrow's.
    per_day, wander_variance, drift_variance : (n_series,) float64
        Drift a day, variance a day of the wander, variance of the drift itself.
    horizon_days : int
        Last day looked at, 1 or more.

    Returns
    -------
    Passage
        Days from today, fractions included where the distance does not move.

    Notes
    -----
    For a known drift the passage time of a Wiener process is inverse Gaussian; its
    distribution is averaged over a normal drift by Gauss–Hermite quadrature. Where the
    distance moves, each day's chance is that of a mark that had always been where it is on
    that day, and no chance is ever taken back.

    References
    ----------
    Folks, J. L. and Chhikara, R. S. (1978), "The inverse Gaussian distribution and its
    statistical application", eq. 2.
    """
    if distance.ndim > 1:
        return _moving(
            distance,
            per_day=per_day,
            wander_variance=wander_variance,
            drift_variance=drift_variance,
            horizon_days=horizon_days,
        )
    is_there = distance <= 0
    process = _Process.of(
        np.where(is_there, 1.0, distance),
        per_day=per_day,
        wander_variance=wander_variance,
        drift_variance=drift_variance,
    )
    grid = _grid(horizon_days)
    chance = process.chance_by(np.broadcast_to(grid, (len(distance), len(grid))))
    days = np.stack([_day_of(process, chance, grid=grid, quantile=q) for q in QUANTILES])
    return Passage(
        days=np.where(is_there[None, :], 0.0, days),
        chance_within=np.where(is_there, 1.0, chance[:, -1]),
    )


def _moving(
    distance: Float64s,
    *,
    per_day: Float64s,
    wander_variance: Float64s,
    drift_variance: Float64s,
    horizon_days: int,
) -> Passage:
    ahead = np.arange(1, horizon_days + 1, dtype=np.float64)
    process = _Process.of(
        distance[:, 0], per_day=per_day, wander_variance=wander_variance,
        drift_variance=drift_variance,
    )  # fmt: skip
    chance = replace(process, distance=np.maximum(distance, 0.0)).chance_by(
        np.broadcast_to(ahead, distance.shape)
    )
    chance = np.maximum.accumulate(np.where(distance <= 0, 1.0, chance), axis=1)
    days = [
        np.where(chance[:, -1] >= q, np.argmax(chance >= q, axis=1) + 1.0, np.inf)
        for q in QUANTILES
    ]
    return Passage(days=np.stack(days), chance_within=chance[:, -1])


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Process:
    """Distance to go, spread a root day, and the drifts with their weights."""

    distance: Float64s  # (n_series, 1), or (n_series, n_days) where it moves
    wander: Float64s  # (n_series, 1)
    drifts: Float64s  # (n_drifts, n_series, 1)
    weights: Float64s  # (n_drifts,)

    @classmethod
    def of(
        cls,
        distance: Float64s,
        *,
        per_day: Float64s,
        wander_variance: Float64s,
        drift_variance: Float64s,
    ) -> "_Process":
        nodes, weights = np.polynomial.hermite_e.hermegauss(N_DRIFTS)
        floor = MIN_WANDER_SHARE * np.maximum(distance, np.abs(per_day))
        drifts = per_day + np.sqrt(drift_variance) * nodes[:, None]
        return cls(
            distance=distance[:, None],
            wander=np.maximum(np.sqrt(wander_variance), floor)[:, None],
            drifts=drifts[:, :, None],
            weights=weights / weights.sum(),
        )

    def chance_by(self, days: Float64s) -> Float64s:
        """Chance that the mark was reached by each day, (n_series, n_days)."""
        spread = self.wander * np.sqrt(days)
        chance = np.zeros(days.shape)
        for drift, weight in zip(self.drifts, self.weights, strict=True):
            straight = ndtr((drift * days - self.distance) / spread)
            # Paths that reached it and came back, mirrored; the product in logs, it may
            # be a huge number times a tiny one.
            log_mirrored = 2 * drift * self.distance / self.wander**2 + log_ndtr(
                -(self.distance + drift * days) / spread
            )
            chance += weight * np.minimum(straight + np.exp(np.minimum(log_mirrored, 0.0)), 1.0)
        return chance


def _grid(horizon_days: int) -> Float64s:
    n_points = max(2, int(np.ceil(GRID_DAYS_PER_OCTAVE * np.log2(horizon_days + 1))))
    return np.geomspace(FIRST_DAY, horizon_days, n_points)


def _day_of(process: _Process, chance: Float64s, *, grid: Float64s, quantile: float) -> Float64s:
    """Bracket the quantile on the grid, then halve the bracket."""
    at = np.argmax(chance >= quantile, axis=1)
    low = np.where(at == 0, 0.0, grid[np.maximum(at - 1, 0)])
    high = grid[at].copy()
    for _ in range(N_HALVINGS):
        middle = (low + high) / 2
        is_reached = process.chance_by(middle[:, None])[:, 0] >= quantile
        low, high = np.where(is_reached, low, middle), np.where(is_reached, middle, high)
    return np.where(chance[:, -1] >= quantile, high, np.inf)
