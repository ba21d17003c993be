"""How right the forecasts of the past would have been: the record that stands beside each date."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import ShapeError
from keelmark.core.forecast.calibration import (
    BAND_EDGE,
    NOT_WIDENED,
    ORIGINS_DAYS_BACK,
    TRIALS,
    Widening,
    widening_of,
)
from keelmark.core.forecast.engine import Forecast, forecast, widened
from keelmark.core.forecast.outlook import N_AXES, paths

HORIZONS_DAYS = (7, 30, 90)
BAND = (0.1, 0.5, 0.9)
NEAR_DAYS = 2  # today is often not read yet
LEAST_SHARE = 1e-6  # of what was forecast: nothing is exact to less
MOST_SPREADS = 1000.0  # what missed by more missed by as much: no infinity is kept


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Record:
    """What forecasts from earlier days would have missed by.

    ``error_bytes`` and ``bias_bytes`` (n_series, 3) are the mean absolute and the mean signed
    distance of what came from the 50 % path after 7, 30 and 90 days (above: positive); NaN
    where nothing could be tried. ``n_inside`` and ``n_tried`` (n_series,) count the days on
    which what came lay in the 80 % band, widened by what was known on the day it was drawn.
    ``earlier`` holds the forecasts themselves by the days back from the last column, from which
    dates said before are read. ``misses`` (n_series, len(TRIALS)) are those that a kind's
    ``widening`` is learnt from.
    """

    error_bytes: Float64s
    bias_bytes: Float64s
    n_inside: Int64s
    n_tried: Int64s
    earlier: dict[int, Forecast]
    misses: Float64s
    widening: Widening


def record_of(
    used_bytes: Float64s,
    *,
    first_day: int | None = None,
    ceiling_bytes: Float64s | None = None,
    kin: Int64s | None = None,
    shift_bytes: Float64s | None = None,
    is_one_kind: bool = False,
    widening: Widening | None = None,
) -> Record:
    """Forecast again from earlier days and compare with what came.

    Parameters
    ----------
    used_bytes, first_day, kin
        As for :func:`forecast`.
    ceiling_bytes : (n_series,) or (n_series, n_days) float64, optional
        As for :func:`forecast`; with a column a day each origin knows that of its own day.
    shift_bytes : (n_series, n_days) float64, optional
        Level shifts as they are known now. No band is to hold them, so they ask for no widening;
        in the record itself they are misses.
    is_one_kind : bool
        Whether the series are alike, so that their bands are widened together.
    widening : dict of int to float, optional
        What is known of the whole kind already, instead of what these series alone tell.

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
    tries = {}
    for back in ORIGINS_DAYS_BACK:
        if back < n_days:
            seen = used_bytes[:, : n_days - back]
            ceiling = ceiling_bytes
            if ceiling is not None and ceiling.ndim == N_AXES:
                ceiling = ceiling[:, n_days - back - 1]
            learnt = forecast(
                seen, first_day=first_day, ceiling_bytes=ceiling, kin=kin,
                finds_changes=False,
            )  # fmt: skip
            tries[back] = _Try.of(learnt, came=used_bytes[:, n_days - back :])
    nothing = np.full(n_series, np.nan)
    shifts = np.zeros(used_bytes.shape) if shift_bytes is None else shift_bytes
    misses = np.stack(
        [
            tries[back].missed_by(ahead, shifted=shifts[:, n_days - back :][:, :ahead])
            if back in tries
            else nothing
            for back, ahead in TRIALS
        ],
        axis=1,
    )
    if widening is None:
        widening = widening_of(misses) if is_one_kind else NOT_WIDENED
    columns = [
        _means([tried.off_after(ahead) for tried in tries.values() if ahead <= tried.n_days],
               n_series=n_series)
        for ahead in HORIZONS_DAYS
    ]  # fmt: skip
    inside = [tried.inside(widening[back]) for back, tried in tries.items()]
    n_inside, n_tried = np.zeros(n_series, np.int64), np.zeros(n_series, np.int64)
    for is_inside, is_tried in inside:
        n_inside += is_inside.sum(axis=1)
        n_tried += is_tried.sum(axis=1)
    return Record(
        error_bytes=np.stack([error for error, _ in columns], axis=1),
        bias_bytes=np.stack([bias for _, bias in columns], axis=1),
        n_inside=n_inside,
        n_tried=n_tried,
        earlier={back: widened(tried.learnt, by=widening[back]) for back, tried in tries.items()},
        misses=misses,
        widening=widening,
    )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Try:
    """A forecast from an earlier day, what came after it, and how far off that was.

    ``off`` and ``half`` (n_series, n_days) are what came less the 50 % path and the 80 % band
    on that side of it, NaN where there is nothing to compare.
    """

    learnt: Forecast
    off: Float64s
    half: Float64s

    @classmethod
    def of(cls, learnt: Forecast, *, came: Float64s) -> "_Try":
        fan = paths(learnt, horizon_days=came.shape[1], quantiles=BAND)
        low, middle, high = fan[:, 0], fan[:, 1], fan[:, 2]
        # A series that ended before the origin is not judged from it: its days would not match.
        n_seen = learnt.readings.level_bytes.shape[1]
        is_fair = learnt.readings.last_column == n_seen - 1
        off = np.where(is_fair[:, None], came - middle, np.nan)
        # What is exact to a millionth is no miss, however thin its band.
        half = np.maximum(np.where(off < 0, middle - low, high - middle), LEAST_SHARE * middle)
        return cls(learnt=learnt, off=off, half=half)

    @property
    def n_days(self) -> int:
        return int(self.off.shape[1])

    def inside(self, factor: float) -> tuple[Bools, Bools]:
        """Which days lay in the band made so much wider, and which could be compared."""
        return np.abs(self.off) <= factor * self.half, ~np.isnan(self.off)

    def off_after(self, ahead: int) -> Float64s:
        return _nearest_to(ahead, of=self.off)

    def missed_by(self, ahead: int, *, shifted: Float64s) -> Float64s:
        """How far off in standard deviations, as they were forecast, but for the shifts since."""
        off = self.off[:, :ahead] - np.cumsum(shifted, axis=1)
        half = self.half[:, :ahead]
        exact = np.where(off == 0, 0.0, np.where(np.isnan(off), np.nan, MOST_SPREADS))
        spreads = np.abs(off) * BAND_EDGE / np.where(half > 0, half, 1.0)
        missed = np.where(half > 0, np.minimum(spreads, MOST_SPREADS), exact)
        return _nearest_to(ahead, of=missed)


def _nearest_to(ahead: int, *, of: Float64s) -> Float64s:
    """What stands on a day, or on one of the two before where it was not read."""
    found: Float64s = np.full(len(of), np.nan)
    for day in range(max(0, ahead - 1 - NEAR_DAYS), ahead):
        found = np.where(np.isnan(of[:, day]), found, of[:, day])
    return found


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
