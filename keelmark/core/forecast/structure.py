"""Changes of pace: where a series began to grow faster or slower for good."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s

CRITICAL = 1.80  # 2·exp(−2·1.80²): 0.3 % of long series without a change reach it
MIN_REGIME_DAYS = 21  # three weekly rhythms at either side
MIN_PACE_SHARE = 0.5  # of the larger pace of both sides: a smaller change moves no date
LAG_DAYS = 14  # noise this far apart is taken to be independent
ROUNDS = 3  # changes looked for, newest regime first


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class PaceChanges:
    """The newest changes of each series, each array (n_series, 3), newest first.

    ``column`` is the first day of the new pace, −1 where there is none; paces are a day.
    """

    column: Int64s
    before: Float64s
    after: Float64s

    @property
    def newest_column(self) -> Int64s:
        """Return the first column of the newest regime, −1 where the pace never changed."""
        newest: Int64s = self.column[:, 0]
        return newest


def pace_changes(level: Float64s, *, first_column: Int64s) -> PaceChanges:
    """Find where the mean daily step changed.

    Parameters
    ----------
    level : (n_series, n_days) float64
        Right-aligned, without gaps, shifts and rhythm; NaN before the first reading.
    first_column : (n_series,) int64
        Column of the first reading.

    Returns
    -------
    PaceChanges
        In the units of ``level`` a day.

    Notes
    -----
    The largest distance of the level from the line between both ends of a regime, in spreads
    of a long-run sum, is the largest of a Brownian bridge where the pace never changed: 0.3 %
    of such series reach the bar, 1 to 2 % of series of 400 days, where the variance is itself
    a guess (measured). The regime after a change is searched
    again, then what lay before.

    References
    ----------
    Ploberger, W. and Krämer, W. (1992), "The CUSUM test with OLS residuals", theorem 1. The
    long-run variance is that of Newey and West (1987), eq. 5.
    """
    n_series, n_days = level.shape
    steps = np.diff(np.nan_to_num(level), axis=1, prepend=0.0)
    begin = np.minimum(first_column + 1, n_days)
    end = np.full(n_series, n_days)
    found: list[tuple[Int64s, Float64s, Float64s]] = []
    newest = begin
    for _ in range(ROUNDS - 1):
        change = _one_change(steps, begin=newest, end=end)
        found.append(change)
        newest = np.where(change[0] >= 0, change[0], n_days)
    first = found[0][0]
    found.append(_one_change(steps, begin=begin, end=np.where(first >= 0, first, 0)))
    return _newest_first(found)


def no_changes(n_series: int) -> PaceChanges:
    """Return what is found where nothing is looked for."""
    nothing = np.zeros((n_series, ROUNDS))
    return PaceChanges(
        column=np.full((n_series, ROUNDS), -1, dtype=np.int64), before=nothing, after=nothing
    )


def _one_change(
    steps: Float64s, *, begin: Int64s, end: Int64s
) -> tuple[Int64s, Float64s, Float64s]:
    """The clearest change between begin and end, with the paces at either side of it."""
    columns = np.arange(steps.shape[1])[None, :]
    inside = (columns >= begin[:, None]) & (columns < end[:, None])
    n = inside.sum(axis=1)
    taken = np.where(inside, steps, 0.0)
    mean = taken.sum(axis=1) / np.maximum(n, 1)
    off = np.where(inside, steps - mean[:, None], 0.0)
    bridge = np.cumsum(off, axis=1)
    past = columns - begin[:, None] + 1
    is_place = inside & (past >= MIN_REGIME_DAYS) & (n[:, None] - past >= MIN_REGIME_DAYS)
    height = np.where(is_place, np.abs(bridge), -1.0)
    at = np.argmax(height, axis=1)
    rows = np.arange(len(steps))
    top = height[rows, at]
    before = np.where(columns <= at[:, None], taken, 0.0).sum(axis=1)
    n_before = np.maximum(past[rows, at], 1)
    pace_before = before / n_before
    pace_after = (taken.sum(axis=1) - before) / np.maximum(n - n_before, 1)
    # Off either side's own pace: off a common one, the change itself would look like noise.
    own = np.where(columns <= at[:, None], pace_before[:, None], pace_after[:, None])
    off = np.where(inside, steps - own, 0.0)
    spread = np.sqrt(_long_run_variance(off, n=n))
    larger = np.maximum(np.abs(pace_before), np.abs(pace_after))
    is_change: Bools = (
        (top >= 0)
        & (top > CRITICAL * spread * np.sqrt(np.maximum(n, 1)))
        & (np.abs(pace_after - pace_before) >= MIN_PACE_SHARE * larger)
        & (larger > 0)
    )
    return np.where(is_change, at + 1, -1).astype(np.int64), pace_before, pace_after


def _long_run_variance(off: Float64s, *, n: Int64s) -> Float64s:
    """Variance a day of a long sum of steps."""
    counted = np.maximum(n, 1)
    variance: Float64s = (off**2).sum(axis=1) / counted
    for lag in range(1, min(LAG_DAYS, off.shape[1] - 1) + 1):
        weight = 1 - lag / (LAG_DAYS + 1)
        variance = variance + 2 * weight * (off[:, lag:] * off[:, :-lag]).sum(axis=1) / counted
    return np.maximum(variance, 1e-300)


def _newest_first(found: list[tuple[Int64s, Float64s, Float64s]]) -> PaceChanges:
    column, before, after = (np.stack(parts, axis=1) for parts in zip(*found, strict=True))
    order = np.argsort(-column, axis=1, kind="stable")
    return PaceChanges(
        column=np.take_along_axis(column, order, axis=1),
        before=np.take_along_axis(before, order, axis=1),
        after=np.take_along_axis(after, order, axis=1),
    )
