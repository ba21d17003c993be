"""Steps seen in as many bins as a chart has room for: mean, least and most of each."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Int64s
from keelmark.core.performance.steps import Floats, operations, rolled


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Bins:
    """A thing's steps in bins of equal width.

    means (n_parts, n_bins) as of ``rolled``; least and most (n_bins,) of operations a second of
    a single step; n_read (n_bins,) steps in which anything was read.
    """

    means: Floats
    least: Floats
    most: Floats
    n_read: Int64s
    width: int


def binned(steps: Floats, *, n_bins: int) -> Bins:
    """Return steps in at most so many bins; the last bin is cut short by steps not read.

    Parameters
    ----------
    steps : (n_parts, n_steps) float
        Means by part, NaN where unread.
    n_bins : int
        At most so many.
    """
    n_steps = steps.shape[-1]
    width = max(1, -(-n_steps // n_bins))
    whole = np.full((steps.shape[0], -(-n_steps // width) * width), np.nan)
    whole[:, :n_steps] = steps
    means, most, n_read = rolled(whole, width=width)
    each = operations(whole).reshape(-1, width)
    least = np.where(np.isnan(each), np.inf, each).min(axis=-1)
    return Bins(
        means=means,
        least=np.where(np.isinf(least), np.nan, least),
        most=most,
        n_read=n_read,
        width=width,
    )
