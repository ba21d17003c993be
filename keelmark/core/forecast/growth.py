"""How fast it grows and how sure that is, learnt by forecasting the known past."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s

WINDOWS_DAYS = (14, 28, 56, 112, 224, 400)
ORIGINS_DAYS_BACK = (7, 14, 21, 28, 42, 56, 70, 84, 112, 140, 168, 196, 224)
HORIZONS_DAYS = (7, 14, 28, 56, 84, 112)
MIN_WINDOW_DAYS = 7  # one weekly rhythm
RECENCY_DAYS = 90.0  # errors this old weigh 1/e
WEIGHT_POWER = 6.0  # bench/forecast_skill.py: 2 to 8 differ by a few percent
# Among paces that did equally well the longer window is the steadier guess, and that
# nothing will grow the least likely one.
NO_PACE_PRIOR = 0.1
WINDOW_PRIOR_POWER = 0.5
MEAN_ABS_TO_SPREAD = 1.2533  # sqrt(pi / 2), of a normal distribution
PRIOR_TRIALS = 4.0  # what the spread of the steps counts for beside tried forecasts
SPREAD_FACTOR = 1.0  # bench/forecast_skill.py: 79 to 85 % of futures in the 80 % band


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Growth:
    """Each (n_series,) float64: drift, variance a day of the wander, variance of the drift."""

    per_day: Float64s
    wander_variance: Float64s
    drift_variance: Float64s


def learn_growth(trend: Float64s, *, first_column: Int64s) -> Growth:
    """Combine several windows' paces by how well each would have forecast the known past.

    Parameters
    ----------
    trend : (n_series, n_days) float64
        Right-aligned, without gaps and shifts; NaN before the first reading.
    first_column : (n_series,) int64
        Column of the first reading.

    Returns
    -------
    Growth
        In the units of ``trend`` a day.

    Notes
    -----
    The combination weights every pace by a power of its inverse error.

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
    paces_at = {back: _paces(sums, at=last - back) for back in {back for back, _ in trials}}
    errors, is_tried, weights = _tried(sums, trials=trials, paces_at=paces_at)
    share = _shares(errors, is_tried=is_tried, weights=weights, horizons=trials)
    paces = _paces(sums, at=last)
    return _with_spread(
        per_day=(share * paces).sum(axis=0),
        combined=(share[:, None, :] * errors).sum(axis=0),
        is_tried=is_tried,
        weights=weights,
        horizons_days=np.array([ahead for _, ahead in trials], dtype=np.float64),
        sums=sums,
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
        known = np.nan_to_num(trend)
        columns = np.arange(trend.shape[1], dtype=np.float64)
        zero = np.zeros((len(trend), 1))
        return cls(
            values=known,
            of_y=np.hstack([zero, np.cumsum(known, axis=1)]),
            of_xy=np.hstack([zero, np.cumsum(known * columns, axis=1)]),
            first_column=first_column,
        )


def _paces(sums: _Sums, *, at: int) -> Float64s:
    """Candidate paces (n_candidates, n_series) seen from column ``at``: none, ends, lines."""
    rows = np.arange(len(sums.values))
    candidates = [np.zeros(len(rows))]
    for window in WINDOWS_DAYS:
        start = np.clip(np.maximum(sums.first_column, at - window), 0, at)
        length = (at - start).astype(np.float64)
        usable = length >= MIN_WINDOW_DAYS
        ends = (sums.values[:, at] - sums.values[rows, start]) / np.maximum(length, 1)
        n = length + 1
        middle = (start + at) / 2
        sum_y = sums.of_y[:, at + 1] - sums.of_y[rows, start]
        sum_xy = sums.of_xy[:, at + 1] - sums.of_xy[rows, start]
        moment = n * (n * n - 1) / 12
        line = (sum_xy - middle * sum_y) / np.maximum(moment, 1)
        candidates += [np.where(usable, ends, 0.0), np.where(usable, line, 0.0)]
    return np.stack(candidates)


def _tried(
    sums: _Sums, *, trials: list[tuple[int, int]], paces_at: dict[int, Float64s]
) -> tuple[Float64s, Bools, Float64s]:
    """Errors (n_candidates, n_trials, n_series), which were possible, and their weight."""
    last = sums.values.shape[1] - 1
    n_candidates, n_series = 1 + 2 * len(WINDOWS_DAYS), len(sums.values)
    errors = np.zeros((n_candidates, len(trials), n_series))
    is_tried = np.zeros((len(trials), n_series), dtype=np.bool_)
    weights = np.zeros(len(trials))
    for index, (back, ahead) in enumerate(trials):
        origin = last - back
        grown = sums.values[:, origin + ahead] - sums.values[:, origin]
        is_tried[index] = origin - sums.first_column >= MIN_WINDOW_DAYS
        errors[:, index] = np.where(is_tried[index], grown - paces_at[back] * ahead, 0.0)
        weights[index] = np.exp(-back / RECENCY_DAYS)
    return errors, is_tried, weights


def _shares(
    errors: Float64s, *, is_tried: Bools, weights: Float64s, horizons: list[tuple[int, int]]
) -> Float64s:
    """Weight of each candidate, (n_candidates, n_series), summing to 1."""
    n_candidates, _, n_series = errors.shape
    if not horizons:
        return _untried_shares(n_candidates, n_series=n_series)
    scale = weights / np.sqrt([ahead for _, ahead in horizons])
    weighed = np.einsum("cts,t->cs", np.abs(errors), scale)
    best = weighed.min(axis=0, keepdims=True)
    floor = np.maximum(best, 1e-12)
    share = _priors()[:, None] * (floor / np.maximum(weighed, floor)) ** WEIGHT_POWER
    share = share / share.sum(axis=0, keepdims=True)
    return np.where(
        np.any(is_tried, axis=0, keepdims=True),
        share,
        _untried_shares(n_candidates, n_series=n_series),
    )


def _priors() -> Float64s:
    windows = np.repeat(np.array(WINDOWS_DAYS, dtype=np.float64), 2)
    return np.concatenate([[NO_PACE_PRIOR], (windows / windows.max()) ** WINDOW_PRIOR_POWER])


def _untried_shares(n_candidates: int, *, n_series: int) -> Float64s:
    """Too young to have been tried: the line through all there is."""
    share = np.zeros((n_candidates, n_series))
    share[-1] = 1.0
    return share


def _with_spread(
    *,
    per_day: Float64s,
    combined: Float64s,
    is_tried: Bools,
    weights: Float64s,
    horizons_days: Float64s,
    sums: _Sums,
) -> Growth:
    """Split the error variance at horizon h into wander·h + drift·h²."""
    n_series = len(per_day)
    prior_wander, prior_drift = _prior_variances(sums)
    ratio, size, weight = [], [], []
    for ahead in np.unique(horizons_days):
        of = np.flatnonzero(horizons_days == ahead)
        mass = weights[of][:, None] * is_tried[of]
        total = mass.sum(axis=0)
        spread = MEAN_ABS_TO_SPREAD * (mass * np.abs(combined[of])).sum(axis=0)
        spread = spread / np.where(total > 0, total, 1.0)
        ratio.append(spread**2 / ahead)
        size.append(np.full(n_series, ahead))
        weight.append(np.where(total > 0, ahead, 0.0))  # the far end decides the dates
    if not ratio:
        fit_wander, fit_drift = prior_wander, prior_drift
    else:
        fit_wander, fit_drift = _nonnegative_line(
            np.array(size), np.array(ratio), weight=np.array(weight)
        )
    n_trials = is_tried.sum(axis=0)
    trust = n_trials / (n_trials + PRIOR_TRIALS)
    inflate = SPREAD_FACTOR**2
    return Growth(
        per_day=per_day,
        wander_variance=inflate * (trust * fit_wander + (1 - trust) * prior_wander),
        drift_variance=inflate * (trust * fit_drift + (1 - trust) * prior_drift),
    )


def _prior_variances(sums: _Sums) -> tuple[Float64s, Float64s]:
    """What the steps of the last eight weeks alone say."""
    n_days = sums.values.shape[1]
    columns = np.arange(1, n_days)[None, :]
    recent = (columns > sums.first_column[:, None]) & (columns >= n_days - 56)
    n = np.maximum(recent.sum(axis=1), 1)
    steps = np.diff(sums.values, axis=1)
    mean = (steps * recent).sum(axis=1) / n
    variance = (((steps - mean[:, None]) ** 2) * recent).sum(axis=1) / n
    return variance, variance / n


def _nonnegative_line(x: Float64s, y: Float64s, *, weight: Float64s) -> tuple[Float64s, Float64s]:
    """Weighted y ≈ a + b·x with a, b ≥ 0, per column of (n_points, n_series)."""
    total = np.maximum(weight.sum(axis=0), 1e-300)
    mean_x, mean_y = (weight * x).sum(axis=0) / total, (weight * y).sum(axis=0) / total
    spread_x = (weight * (x - mean_x) ** 2).sum(axis=0)
    slope = (weight * (x - mean_x) * (y - mean_y)).sum(axis=0) / np.maximum(spread_x, 1e-300)
    slope = np.where(spread_x > 0, np.maximum(slope, 0.0), 0.0)
    intercept = mean_y - slope * mean_x
    through_zero = (weight * x * y).sum(axis=0) / np.maximum((weight * x * x).sum(axis=0), 1e-300)
    return np.maximum(intercept, 0.0), np.where(intercept < 0, through_zero, slope)
