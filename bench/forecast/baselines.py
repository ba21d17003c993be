"""What a planner could do with a spreadsheet or a statistics package."""

import warnings
from collections.abc import Callable

import numpy as np
from scipy import stats

from keelmark.core.arrays import Float64s

Fan = Float64s  # (3, n_ahead): the 10, 50 and 90 % paths
Z90 = 1.2816
LATELY_DAYS = 90


def _read(known: Float64s) -> tuple[Float64s, Float64s]:
    day = np.flatnonzero(~np.isnan(known)).astype(np.float64)
    return day, known[~np.isnan(known)]


def straight_line(known: Float64s, *, n_ahead: int) -> Fan:
    """Least squares through everything, with its prediction interval."""
    day, used = _read(known)
    return _line(day, used, ahead=len(known) + np.arange(n_ahead, dtype=np.float64))


def straight_line_lately(known: Float64s, *, n_ahead: int) -> Fan:
    """Least squares through the last 90 days."""
    day, used = _read(known)
    chosen = day >= len(known) - LATELY_DAYS
    if chosen.sum() < 3:
        chosen[:] = True
    ahead = len(known) + np.arange(n_ahead, dtype=np.float64)
    return _line(day[chosen], used[chosen], ahead=ahead)


def _line(day: Float64s, used: Float64s, *, ahead: Float64s) -> Fan:
    slope, intercept = np.polyfit(day, used, 1)
    residual = used - (slope * day + intercept)
    n = len(day)
    sigma = np.sqrt((residual**2).sum() / max(n - 2, 1))
    lever = 1 + 1 / n + (ahead - day.mean()) ** 2 / max(((day - day.mean()) ** 2).sum(), 1e-12)
    middle, span = slope * ahead + intercept, Z90 * sigma * np.sqrt(lever)
    return np.array([middle - span, middle, middle + span])


def theil_sen(known: Float64s, *, n_ahead: int) -> Fan:
    """The median slope, with the spread of its residuals and of its own confidence."""
    day, used = _read(known)
    fit = stats.theilslopes(used, day, alpha=0.8)
    ahead = len(known) + np.arange(n_ahead)
    residual = used - (fit.intercept + fit.slope * day)
    low, high = np.quantile(residual, [0.1, 0.9])
    middle = fit.intercept + fit.slope * ahead
    far = ahead - np.median(day)
    return np.array(
        [middle + low - (fit.slope - fit.low_slope) * far, middle,
         middle + high + (fit.high_slope - fit.slope) * far]
    )  # fmt: skip


def exponential_smoothing(known: Float64s, *, n_ahead: int) -> Fan:
    """Additive errors and damped trend by maximum likelihood, from statsmodels."""
    import pandas as pd
    from statsmodels.tsa.exponential_smoothing.ets import ETSModel

    day, used = _read(known)
    filled = np.interp(np.arange(day[0], len(known)), day, used)
    scale = max(float(np.ptp(filled)), 1e-6)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        model = ETSModel(pd.Series(filled / scale), error="add", trend="add", damped_trend=True)
        fitted = model.fit(disp=False, maxiter=200)
        told = fitted.get_prediction(start=len(filled), end=len(filled) + n_ahead - 1)
        frame = told.summary_frame(alpha=0.2)
    return np.array([frame["pi_lower"], frame["mean"], frame["pi_upper"]]) * scale


def drift(known: Float64s, *, n_ahead: int) -> Fan:
    """A random walk: the last reading, the mean step so far, and the spread of the steps."""
    day, used = _read(known)
    n_steps = day[-1] - day[0]
    pace = (used[-1] - used[0]) / n_steps
    gone = np.diff(used) - pace * np.diff(day)
    sigma = np.sqrt((gone**2 / np.diff(day)).mean())
    ahead = np.arange(1, n_ahead + 1)
    middle = used[-1] + pace * ahead
    span = Z90 * sigma * np.sqrt(ahead * (1 + ahead / n_steps))
    return np.array([middle - span, middle, middle + span])


BASELINES: dict[str, Callable[..., Fan]] = {
    "straight line": straight_line,
    "line, 90 days": straight_line_lately,
    "Theil–Sen": theil_sen,
    "drift": drift,
    "exp. smoothing": exponential_smoothing,
}
