"""Spreads and fillings that single wild readings do not move."""

import numpy as np

from keelmark.core.arrays import Float64s

MAD_TO_SPREAD = 1.4826  # of a normal distribution


def robust_spread(deviation: Float64s) -> Float64s:
    """Return the robust spread per series, (n_series, 1); 0 where nothing is known."""
    n_known = (~np.isnan(deviation)).sum(axis=1, keepdims=True)
    ordered = np.sort(np.abs(deviation), axis=1)  # NaN sorts last
    middle = np.take_along_axis(ordered, np.maximum(n_known - 1, 0) // 2, axis=1)
    return np.where(n_known > 0, MAD_TO_SPREAD * middle, 0.0)


def gaps_filled(series: Float64s) -> Float64s:
    """Return straight lines across gaps; what lies before the first reading stays NaN."""
    rows = np.flatnonzero(np.isnan(series).any(axis=1))
    if len(rows) == 0:
        return series
    filled = series.copy()
    filled[rows] = _filled(series[rows])
    return filled


def _filled(series: Float64s) -> Float64s:
    n_days = series.shape[1]
    columns = np.arange(n_days)[None, :]
    is_read = ~np.isnan(series)
    before = np.maximum.accumulate(np.where(is_read, columns, -1), axis=1)
    after = np.minimum.accumulate(np.where(is_read, columns, n_days)[:, ::-1], axis=1)[:, ::-1]
    left = np.take_along_axis(series, np.maximum(before, 0), axis=1)
    right = np.take_along_axis(series, np.minimum(after, n_days - 1), axis=1)
    width = np.maximum(after - before, 1)
    line = left + (right - left) * ((columns - before) / width)
    # An odd last reading leaves the end open: hold the last good one.
    line = np.where(after >= n_days, left, line)
    return np.where(before < 0, np.nan, np.where(is_read, series, line))
