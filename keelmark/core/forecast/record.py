"""How right the forecasts of the past would have been: the record that stands beside each date."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.forecast.engine import Forecast, forecast, paths

ORIGINS_DAYS_BACK = (7, 30, 90)
HORIZONS_DAYS = (7, 30, 90)
BAND = (0.1, 0.5, 0.9)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Record:
    """What forecasts from earlier days would have missed by.

    ``error_bytes`` and ``bias_bytes`` (n_series, 3) are the mean absolute and the mean signed
    distance of what came from the 50 % path after 7, 30 and 90 days (above: positive); NaN
    where nothing could be tried. ``n_inside`` and ``n_tried`` (n_series,) count the days on
    which what came lay in the 80 % band. ``earlier`` holds the forecasts themselves by the
    days back from the last column, from which dates said before are read.
    """

    error_bytes: Float64s
    bias_bytes: Float64s
    n_inside: Int64s
    n_tried: Int64s
    earlier: dict[int, Forecast]


def record_of(
    used_bytes: Float64s,
    *,
    first_day: int | None = None,
    ceiling_bytes: Float64s | None = None,
    kin: Int64s | None = None,
    origins_days_back: tuple[int, ...] = ORIGINS_DAYS_BACK,
) -> Record:
    """Forecast again from earlier days and compare with what came.

    Parameters
    ----------
    used_bytes, first_day, ceiling_bytes, kin
        As for :func:`forecast`.
    origins_days_back : tuple of int
        Days before the last column from which to look ahead.

    Returns
    -------
    Record
        Each forecast is judged on the readings after its own last one, against the calendar
        of the columns; a day unread is no trial.

    References
    ----------
    Tashman, L. J. (2000), "Out-of-sample tests of forecasting accuracy", rolling origins.
    """
    n_series, n_days = used_bytes.shape
    missed: dict[int, list[Float64s]] = {ahead: [] for ahead in HORIZONS_DAYS}
    n_inside, n_tried = np.zeros(n_series, np.int64), np.zeros(n_series, np.int64)
    earlier: dict[int, Forecast] = {}
    for back in (back for back in origins_days_back if back < n_days):
        seen = used_bytes[:, : n_days - back]
        learnt = forecast(
            seen,
            first_day=first_day,
            ceiling_bytes=ceiling_bytes,
            kin=kin,
            finds_changes=False,
        )
        earlier[back] = learnt
        came = used_bytes[:, n_days - back :]
        fan = paths(learnt, horizon_days=back, quantiles=BAND)
        # A series that ended before the origin is not judged from it: its days would not match.
        is_fair = (learnt.readings.last_column == n_days - back - 1)[:, None]
        came = np.where(is_fair, came, np.nan)
        with np.errstate(invalid="ignore"):
            inside = (came >= fan[:, 0]) & (came <= fan[:, 2])
        known = ~np.isnan(came) & ~np.isnan(fan[:, 1])
        n_inside += (inside & known).sum(axis=1)
        n_tried += known.sum(axis=1)
        for ahead in HORIZONS_DAYS:
            if ahead <= back:
                missed[ahead].append(came[:, ahead - 1] - fan[:, 1, ahead - 1])
    columns = [_means(missed[ahead], n_series=n_series) for ahead in HORIZONS_DAYS]
    return Record(
        error_bytes=np.stack([error for error, _ in columns], axis=1),
        bias_bytes=np.stack([bias for _, bias in columns], axis=1),
        n_inside=n_inside,
        n_tried=n_tried,
        earlier=earlier,
    )


def _means(parts: list[Float64s], *, n_series: int) -> tuple[Float64s, Float64s]:
    """Mean absolute and mean signed error of each series, NaN where there is none."""
    if not parts:
        nothing = np.full(n_series, np.nan)
        return nothing, nothing
    table = np.stack(parts)
    n = (~np.isnan(table)).sum(axis=0)
    absolute = np.where(n > 0, np.nansum(np.abs(table), axis=0) / np.maximum(n, 1), np.nan)
    signed = np.where(n > 0, np.nansum(table, axis=0) / np.maximum(n, 1), np.nan)
    return absolute, signed
