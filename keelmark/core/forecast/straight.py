"""Lines that never bent: noise about a pace, and nothing in it that wanders."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Float64s
from keelmark.core.forecast.calibration import BAND_EDGE
from keelmark.core.forecast.mix import KNOTS_DAYS
from keelmark.core.forecast.noise import MEMORIES, Noise
from keelmark.core.forecast.ways import Sums

N_BLOCKS = 8
LEAST_DAYS = 160  # twenty days a block
SURE, UNSURE = 1.7, 2.5  # times what noise alone would do: up to here, and no more from here
MOST_SHARE = 1.0  # below it early comes too soon: the networks hold that all lines bend
TINY = 1e-30


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Straight:
    """How surely each is a line (n_series,), and its three quantiles (n_series, 3, n_knots)."""

    share: Float64s
    fan: Float64s


def straight_of(trend: Sums, *, noise: Noise) -> Straight:
    """Tell lines with noise about them from what wanders, and go on as they do.

    Parameters
    ----------
    trend : Sums
        Of right-aligned levels without shifts and rhythm, (n_series, n_days).
    noise : Noise
        What comes back from day to day.

    Returns
    -------
    Straight
        Share 0 for what is too short to tell, or has no noise.

    Notes
    -----
    Means of eighths of the history about its line of least squares, beside what noise of its
    variance and memory makes of such means: what wanders moves them by many times as much. The
    band is that of the line's prediction, its noise in it.
    """
    n_columns = trend.values.shape[1]
    first = np.clip(trend.first_column, 0, n_columns - 1)
    n = (n_columns - first).astype(np.float64)
    # Days are counted from the last one, 0; every day from the first on is known.
    total = trend.of_y[:, -1]
    x_mean, y_mean = -(n - 1) / 2, total / n
    square = np.maximum(n * (n**2 - 1) / 12, TINY)
    pace = (trend.of_xy[:, -1] - (n_columns - 1) * total - x_mean * total) / square
    # Eighths end with the last day; what is left over stands at the beginning of the first.
    length = np.maximum((n_columns - first) // N_BLOCKS, 1)
    ends = np.maximum(n_columns - length[:, None] * np.arange(N_BLOCKS), first[:, None])
    begins = np.hstack([ends[:, 1:], first[:, None]])
    counts = (ends - begins).astype(np.float64)
    x_of_block = (begins + ends - 1) / 2 - (n_columns - 1)
    on_line = y_mean[:, None] + pace[:, None] * (x_of_block - x_mean[:, None])
    of_y = (np.take_along_axis(trend.of_y, at, axis=1) for at in (ends, begins))
    off = next(of_y) - next(of_y) - counts * on_line
    memory = np.array(MEMORIES)[noise.memory]
    slow = noise.variance * (1 + memory) / (1 - memory)  # of many days' mean, times the days
    moved = (off**2 / np.maximum(counts, 1)).sum(axis=1) / (N_BLOCKS - 2)
    times = moved / np.maximum(slow, TINY)
    share = MOST_SHARE * np.clip((UNSURE - times) / (UNSURE - SURE), 0.0, 1.0)
    is_told = (n >= LEAST_DAYS) & (slow > TINY)
    knots = np.array(KNOTS_DAYS, dtype=np.float64)[None, :]
    middle = (y_mean - pace * x_mean)[:, None] + pace[:, None] * knots
    spread = noise.variance[:, None] + slow[:, None] * (
        1 / n[:, None] + (knots - x_mean[:, None]) ** 2 / square[:, None]
    )
    half = BAND_EDGE * np.sqrt(spread)
    return Straight(
        share=np.where(is_told, share, 0.0),
        fan=np.stack([middle - half, middle, middle + half], axis=1),
    )
