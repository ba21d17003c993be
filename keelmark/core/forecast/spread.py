"""How the spread of the future grows with the days ahead."""

from dataclasses import dataclass
from itertools import combinations

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s

MEAN_ABS_TO_SPREAD = 1.2533  # sqrt(pi / 2), of a normal distribution
PRIOR_TRIALS = 2.0  # what the spread of the steps counts for beside tried forecasts
STEP_DAYS = 56  # of the newest steps a prior is made of
CHOSEN_FACTOR = 1.3  # bench/forecast: by which errors that chose the pace flatter it
LAG_DAYS = 14  # steps this far apart still answer each other
N_POWERS = 3
TINY = 1e-300


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class PowerLaw:
    """Variance after h days, noise + wander·h + drift·h², each (n_series,) float64."""

    noise: Float64s
    wander: Float64s
    drift: Float64s

    def scaled(self, factor: Float64s) -> "PowerLaw":
        """Return the law of a series in other units."""
        return PowerLaw(
            noise=self.noise * factor**2, wander=self.wander * factor**2,
            drift=self.drift * factor**2,
        )  # fmt: skip

    def after(self, days: Float64s | Int64s) -> Float64s:
        """Return the variance after days, (n_series, n_days)."""
        return self.noise[:, None] + self.wander[:, None] * days + self.drift[:, None] * days**2


def prior_of(values: Float64s, *, first_column: Int64s) -> PowerLaw:
    """Return what the steps of the last eight weeks alone say.

    Noise that comes back makes steps that answer each other: it does not add up, so the
    variance of a sum of steps is the long-run one.

    References
    ----------
    Newey, W. K. and West, K. D. (1987), "A simple, positive semi-definite, heteroskedasticity
    and autocorrelation consistent covariance matrix", eq. 5.
    """
    n_days = values.shape[1]
    columns = np.arange(1, n_days)[None, :]
    is_recent = (columns > first_column[:, None]) & (columns >= n_days - STEP_DAYS)
    n = np.maximum(is_recent.sum(axis=1), 1)
    steps = np.diff(values, axis=1)
    mean = (steps * is_recent).sum(axis=1) / n
    off = np.where(is_recent, steps - mean[:, None], 0.0)
    variance = (off**2).sum(axis=1) / n
    long_run = variance.copy()
    for lag in range(1, min(LAG_DAYS, off.shape[1] - 1) + 1):
        weight = 1 - lag / (LAG_DAYS + 1)
        long_run += 2 * weight * (off[:, lag:] * off[:, :-lag]).sum(axis=1) / n
    wander = np.clip(long_run, 0.0, variance)
    return PowerLaw(noise=(variance - wander) / 2, wander=wander, drift=wander / n)


def fitted(
    errors: Float64s,
    *,
    is_tried: Bools,
    weights: Float64s,
    horizons_days: Float64s,
    prior: PowerLaw,
) -> PowerLaw:
    """Return the law that the errors (n_trials, n_series) of tried forecasts follow.

    With few trials the prior counts for more. The errors are those by which the pace itself
    was chosen, so they flatter it: what wanders does so by a share more than they say.
    """
    spreads, masses, sizes = [], [], np.unique(horizons_days)
    for ahead in sizes:
        of = np.flatnonzero(horizons_days == ahead)
        mass = weights[of][:, None] * is_tried[of]
        total = mass.sum(axis=0)
        mean = (mass * np.abs(errors[of])).sum(axis=0) / np.where(total > 0, total, 1.0)
        spreads.append((MEAN_ABS_TO_SPREAD * mean) ** 2)
        masses.append(total > 0)
    if not spreads:
        return prior
    law = _nonnegative_law(np.array(spreads), days=sizes, is_known=np.array(masses))
    n_trials = is_tried.sum(axis=0)
    trust = n_trials / (n_trials + PRIOR_TRIALS)
    rest = 1 - trust
    return PowerLaw(
        noise=trust * law[0] + rest * prior.noise,
        wander=CHOSEN_FACTOR * (trust * law[1] + rest * prior.wander),
        drift=trust * law[2] + rest * prior.drift,
    )


def _nonnegative_law(variance: Float64s, *, days: Float64s, is_known: Bools) -> Float64s:
    """Least squares of variance (n_days, n_series) on 1, h, h² with no negative part.

    Of all subsets of the three, the feasible one that fits best; errors count in shares of
    the variance that a wander alone would have. Returns (3, n_series).
    """
    n_series = variance.shape[1]
    unit = days.max()
    powers = np.stack([(days / unit) ** power for power in range(N_POWERS)], axis=1)
    weight = is_known / days[:, None] ** 2
    best = np.zeros((N_POWERS, n_series))
    least = np.full(n_series, np.inf)
    for size in range(1, N_POWERS + 1):
        for chosen in combinations(range(N_POWERS), size):
            part = powers[:, chosen]
            gram = np.einsum("dk,ds,dl->skl", part, weight, part)
            right = np.einsum("dk,ds,ds->sk", part, weight, variance)
            ridge = np.einsum("skk->s", gram)[:, None, None] * 1e-9 + TINY
            solved = np.linalg.solve(gram + ridge * np.eye(size), right[:, :, None])[:, :, 0]
            missed = (weight * (variance - part @ solved.T) ** 2).sum(axis=0)
            better = (solved >= 0).all(axis=1) & (missed < least)
            least = np.where(better, missed, least)
            full = np.zeros((N_POWERS, n_series))
            full[list(chosen)] = solved.T
            best = np.where(better[None, :], full, best)
    law: Float64s = best / unit ** np.arange(N_POWERS)[:, None]
    return law
