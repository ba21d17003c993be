"""How right the forecasts of the past would have been: the record that stands beside each date."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.errors import ShapeError
from keelmark.core.forecast.engine import Forecast, forecast, paths

ORIGINS_DAYS_BACK = (7, 30, 90)
HORIZONS_DAYS = (7, 30, 90)
BAND = (0.1, 0.5, 0.9)
NEAR_DAYS = 2  # today is often not read yet


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
        of the columns; a day unread is no trial, and where the day of a horizon was not read,
        one of the two before stands for it.

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
                missed[ahead].append(_missed_after(ahead, came=came, middle=fan[:, 1]))
    columns = [_means(missed[ahead], n_series=n_series) for ahead in HORIZONS_DAYS]
    return Record(
        error_bytes=np.stack([error for error, _ in columns], axis=1),
        bias_bytes=np.stack([bias for _, bias in columns], axis=1),
        n_inside=n_inside,
        n_tried=n_tried,
        earlier=earlier,
    )


def _missed_after(ahead: int, *, came: Float64s, middle: Float64s) -> Float64s:
    """What came less what was said after so many days, or up to two fewer."""
    missed: Float64s = np.full(len(came), np.nan)
    for day in range(max(0, ahead - 1 - NEAR_DAYS), ahead):
        off = came[:, day] - middle[:, day]
        missed = np.where(np.isnan(off), missed, off)
    return missed


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


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class RecordOfMany:
    """How right the forecasts of many series would have been, together.

    ``error_share`` and ``bias_share`` (3,) are medians over the series, in shares of what each
    held last, after 7, 30 and 90 days; NaN where none could be tried. ``inside_share`` is the
    share of all days tried that lay in the 80 % band. ``date_error_days`` is the median
    distance of the dates said a month before from those that came, NaN where none came.
    """

    n_series: int
    error_share: Float64s
    bias_share: Float64s
    n_tried: int
    inside_share: float
    n_came: int
    date_error_days: float


def record_of_many(
    *,
    last: Float64s,
    error: Float64s,
    bias: Float64s,
    n_inside: Int64s,
    n_tried: Int64s,
    date_errors_days: Float64s,
) -> RecordOfMany:
    """Sum up the records of many series, whatever their sizes and units.

    Parameters
    ----------
    last : (n_series,) float64
        What each held last, NaN or 0 where that is not known: it then counts for its days only.
    error, bias : (n_series, 3) float64
        As in :class:`Record`, NaN where nothing could be tried.
    n_inside, n_tried : (n_series,) int64
        Days in the band, days tried.
    date_errors_days : (n_came,) float64
        Days from what was said a month before to what came, negative where it came sooner.

    Returns
    -------
    RecordOfMany
        Medians, since a few empty or exploding series would carry any mean away.

    Raises
    ------
    ShapeError
        If the columns are not of as many series.
    """
    if not len(last) == len(error) == len(bias) == len(n_inside) == len(n_tried):
        raise ShapeError(argument="error", found=error.shape, wanted=f"({len(last)}, 3)")
    level = np.where(last > 0, last, np.nan)[:, None]
    tried = int(n_tried.sum())
    return RecordOfMany(
        n_series=len(last),
        error_share=_medians(error / level),
        bias_share=_medians(bias / level),
        n_tried=tried,
        inside_share=float(n_inside.sum()) / tried if tried else float("nan"),
        n_came=len(date_errors_days),
        date_error_days=float(np.median(np.abs(date_errors_days)))
        if len(date_errors_days)
        else float("nan"),
    )


def _medians(shares: Float64s) -> Float64s:
    columns = [column[~np.isnan(column)] for column in shares.T]
    return np.array([np.median(known) if len(known) else np.nan for known in columns])
