"""How high it stands, how fast it grows and how sure that is, learnt by forecasting the past."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.forecast.robust import zeroed
from keelmark.core.forecast.spread import PowerLaw, fitted, prior_of

WINDOWS_DAYS = (14, 28, 56, 112, 224, 400)
REST_DAYS = (1, 7, 28, 112, 400)  # means that a series without a pace may return to
ORIGINS_DAYS_BACK = (7, 14, 21, 28, 42, 56, 70, 84, 112, 140, 168, 196, 224, 252, 280)
HORIZONS_DAYS = (7, 14, 28, 56, 84, 112)
MIN_WINDOW_DAYS = 7  # one weekly rhythm
MIN_SEEN_SHARE = 0.1  # of the days ahead: who saw a week tells nothing of four months
RECENCY_DAYS = 90.0  # errors this old weigh 1/e
WEIGHT_POWER = 12.0  # bench/forecast: 9 to 12 differ by a few percent
POWER_TRIALS = 8.0  # with as many trials half that power: few trials prove little
# Among paces that did equally well the longer window is the steadier guess, and that
# nothing will grow the least likely one.
NO_PACE_PRIOR = 0.2
WINDOW_PRIOR_POWER = 0.7


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Growth:
    """Each (n_series,) float64: level today, drift a day, and how the variance grows with days."""

    level: Float64s
    per_day: Float64s
    variance: PowerLaw


def learn_growth(trend: Float64s, *, first_column: Int64s) -> Growth:
    """Combine several levels and paces by how well each would have forecast the known past.

    Parameters
    ----------
    trend : (n_series, n_days) float64
        Right-aligned, without gaps and shifts; NaN before the first reading.
    first_column : (n_series,) int64
        Column of the first reading.

    Returns
    -------
    Growth
        In the units of ``trend``.

    Notes
    -----
    A candidate is a level and a pace: the last reading or a mean of the last days at rest,
    the last reading with the pace since some days ago, and the line through a window. The
    combination weighs each by a power of its inverse error.

    References
    ----------
    Bates, J. M. and Granger, C. W. J. (1969), "The combination of forecasts", eq. 4. We
    depart from it by absolute errors, a steeper power and weights that fade with age.
    """
    sums = _Sums.of(trend, first_column=first_column)
    last = trend.shape[1] - 1
    trials = [
        (back, ahead)
        for back in ORIGINS_DAYS_BACK
        for ahead in HORIZONS_DAYS
        if ahead <= back <= last
    ]
    seen_at = {back: _candidates(sums, at=last - back) for back in {back for back, _ in trials}}
    errors, is_tried, weights = _tried(sums, trials=trials, seen_at=seen_at)
    share = _shares(errors, is_tried=is_tried, weights=weights, trials=trials)
    now = _candidates(sums, at=last)
    combined = np.einsum("cs,cts->ts", share, errors)
    return Growth(
        level=(share * now.levels).sum(axis=0),
        per_day=(share * now.paces).sum(axis=0),
        variance=fitted(
            combined,
            is_tried=is_tried,
            weights=weights,
            horizons_days=np.array([ahead for _, ahead in trials], dtype=np.float64),
            prior=prior_of(sums.values, first_column=first_column),
        ),
    )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Sums:
    """Running sums that make the line through any window cheap."""

    values: Float64s  # 0 before the first reading
    of_y: Float64s  # exclusive running sums, (n_series, n_days + 1)
    of_xy: Float64s
    first_column: Int64s

    @classmethod
    def of(cls, trend: Float64s, *, first_column: Int64s) -> "_Sums":
        known = zeroed(trend)
        columns = np.arange(trend.shape[1], dtype=np.float64)
        zero = np.zeros((len(trend), 1))
        return cls(
            values=known,
            of_y=np.hstack([zero, np.cumsum(known, axis=1)]),
            of_xy=np.hstack([zero, np.cumsum(known * columns, axis=1)]),
            first_column=first_column,
        )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Candidates:
    """Levels and paces seen from one day, each (n_candidates, n_series)."""

    levels: Float64s
    paces: Float64s

    def after(self, days: int) -> Float64s:
        return self.levels + self.paces * days


def _candidates(sums: _Sums, *, at: int) -> _Candidates:
    rows = np.arange(len(sums.values))
    last = sums.values[:, at]
    levels, paces = [], []
    for days in REST_DAYS:
        start = np.clip(np.maximum(sums.first_column, at - days + 1), 0, at)
        levels.append((sums.of_y[:, at + 1] - sums.of_y[rows, start]) / (at + 1 - start))
        paces.append(np.zeros(len(rows)))
    for window in WINDOWS_DAYS:
        start = np.clip(np.maximum(sums.first_column, at - window), 0, at)
        length = (at - start).astype(np.float64)
        usable = length >= MIN_WINDOW_DAYS
        ends = np.where(usable, (last - sums.values[rows, start]) / np.maximum(length, 1), 0.0)
        n = length + 1
        middle = (start + at) / 2
        sum_y = sums.of_y[:, at + 1] - sums.of_y[rows, start]
        sum_xy = sums.of_xy[:, at + 1] - sums.of_xy[rows, start]
        moment = n * (n * n - 1) / 12
        line = np.where(usable, (sum_xy - middle * sum_y) / np.maximum(moment, 1), 0.0)
        line_end = np.where(usable, sum_y / n + line * (at - middle), last)
        levels += [last, last, line_end]
        paces += [ends, line, line]
    return _Candidates(levels=np.stack(levels), paces=np.stack(paces))


def _tried(
    sums: _Sums, *, trials: list[tuple[int, int]], seen_at: dict[int, _Candidates]
) -> tuple[Float64s, Bools, Float64s]:
    """Errors (n_candidates, n_trials, n_series), which were possible, and their weight."""
    last = sums.values.shape[1] - 1
    n_candidates, n_series = len(REST_DAYS) + 3 * len(WINDOWS_DAYS), len(sums.values)
    errors = np.zeros((n_candidates, len(trials), n_series))
    is_tried = np.zeros((len(trials), n_series), dtype=np.bool_)
    weights = np.zeros(len(trials))
    for index, (back, ahead) in enumerate(trials):
        origin = last - back
        is_tried[index] = origin - sums.first_column >= max(MIN_WINDOW_DAYS, MIN_SEEN_SHARE * ahead)
        missed = sums.values[:, origin + ahead] - seen_at[back].after(ahead)
        errors[:, index] = np.where(is_tried[index], missed, 0.0)
        weights[index] = np.exp(-back / RECENCY_DAYS)
    return errors, is_tried, weights


def _shares(
    errors: Float64s, *, is_tried: Bools, weights: Float64s, trials: list[tuple[int, int]]
) -> Float64s:
    """Weight of each candidate, (n_candidates, n_series), summing to 1."""
    n_candidates, _, n_series = errors.shape
    if not trials:
        return _untried_shares(n_candidates, n_series=n_series)
    scale = weights / np.sqrt([ahead for _, ahead in trials])
    weighed = np.einsum("cts,t->cs", np.abs(errors), scale)
    best = weighed.min(axis=0, keepdims=True)
    floor = np.maximum(best, 1e-12)
    n_trials = is_tried.sum(axis=0)
    power = WEIGHT_POWER * n_trials / (n_trials + POWER_TRIALS)
    share = _priors()[:, None] * (floor / np.maximum(weighed, floor)) ** power
    share = share / share.sum(axis=0, keepdims=True)
    return np.where(
        np.any(is_tried, axis=0, keepdims=True),
        share,
        _untried_shares(n_candidates, n_series=n_series),
    )


def _priors() -> Float64s:
    windows = np.repeat(np.array(WINDOWS_DAYS, dtype=np.float64), 3)
    return np.concatenate(
        [[NO_PACE_PRIOR] * len(REST_DAYS), (windows / windows.max()) ** WINDOW_PRIOR_POWER]
    )


def _untried_shares(n_candidates: int, *, n_series: int) -> Float64s:
    """Too young to have been tried: the line through all there is."""
    share = np.zeros((n_candidates, n_series))
    share[-1] = 1.0
    return share
