"""What spoils readings: days unread, wild ones, sources that got stuck, short histories."""

import numpy as np

from bench.forecast.simulate.draws import Rng, chance, wide
from keelmark.core.arrays import Float64s


def read(used: Float64s, *, rng: Rng) -> Float64s:
    """Return the readings of a known past, NaN where there is none."""
    told = used.copy()
    n = len(told)
    if chance(rng, 0.4):
        told[rng.random(n) < wide(rng, 0.002, 0.35)] = np.nan
    if chance(rng, 0.25):
        for _ in range(int(rng.integers(1, 4))):
            at = int(rng.integers(0, n))
            told[at : at + int(wide(rng, 2, 40))] = np.nan
    if chance(rng, 0.15):
        for at in rng.integers(0, n, int(rng.integers(1, 6))):
            told[at] *= rng.choice([0.0, 0.3, 0.7, 1.5, 2.5])
    if chance(rng, 0.1):
        at = int(rng.integers(0, n))
        told[at : at + int(rng.integers(5, 20))] = told[at]
    if chance(rng, 0.3):  # young
        told[: n - int(wide(rng, 16, n))] = np.nan
    if np.isnan(told[-1]) and chance(rng, 0.9):
        told[-1] = used[-1]
    return told
