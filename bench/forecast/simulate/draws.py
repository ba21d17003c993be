"""Random numbers as the behaviours draw them: wide, and in no favourite range."""

from collections.abc import Iterator

import numpy as np

from keelmark.core.arrays import Float64s

Rng = np.random.Generator


def wide(rng: Rng, low: float, high: float) -> float:
    """Return a number between low and high, every order of magnitude alike."""
    return float(np.exp(rng.uniform(np.log(low), np.log(high))))


def chance(rng: Rng, share: float) -> bool:
    """Return true in so many of all cases."""
    return bool(rng.random() < share)


def shocks(rng: Rng, n: int) -> Float64s:
    """Return n shocks of spread about one, mostly normal, sometimes with heavy tails."""
    kind = rng.random()
    if kind < 0.6:
        return rng.normal(0, 1, n)
    if kind < 0.85:
        return rng.standard_t(rng.choice([2.5, 3, 5]), n) * 0.6
    lopsided: Float64s = rng.exponential(1, n) * rng.choice([-1.0, 1.0])
    return lopsided


def moments(rng: Rng, n_days: int, *, every: float, regularity: float) -> Iterator[int]:
    """Yield days about ``every`` days apart; 0 is wholly irregular, large is like a clock."""
    shape = 1.0 + regularity
    day = rng.uniform(0, every)
    while day < n_days:
        yield int(day)
        day += max(1.0, rng.gamma(shape, every / shape))


def some_time(rng: Rng) -> float:
    """Return a share of all days: at any time, or in the last half year that is known.

    What happened lately is what people ask about. Known is about a third of all days.
    """
    return float(rng.uniform(0, 1) if chance(rng, 0.45) else rng.uniform(0.17, 0.36))


def ramp(n_days: int, *, at: int, n: int) -> Float64s:
    """Return 0 before a day and 1 after, over n days."""
    return np.clip((np.arange(n_days) - at + 1) / n, 0.0, 1.0)


def recurring(shock: Float64s, *, memory: float) -> Float64s:
    """Return shocks of which each day keeps a share of the day before."""
    from scipy.signal import lfilter

    if memory <= 0:
        return shock
    scale = np.sqrt(1 - memory**2) if memory < 1 else 1.0
    filtered: Float64s = lfilter([scale], [1.0, -memory], shock)
    return filtered
