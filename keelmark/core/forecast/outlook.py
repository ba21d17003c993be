"""What is known of a future as it is kept, and its paths."""

from dataclasses import dataclass

import numpy as np
from scipy.special import ndtri

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError
from keelmark.core.forecast.calibration import BAND_EDGE
from keelmark.core.forecast.fan import Fan
from keelmark.core.forecast.rhythm import Rhythm

N_AXES = 2  # (series, day)
MAX_HORIZON_DAYS = 3650
MAX_RHYTHM_DAYS = 400  # beyond, all is too vague for a day of the month to matter


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Outlook:
    """What is known about each series' future, counted from its own last reading.

    ``fan`` is without the rhythm; ``level_bytes`` (n_series,) is where its middle starts today,
    ``growth_bytes_per_day`` (n_series,) what it adds a day in the next four weeks.
    What is thin ends at ``ceiling_bytes``, inf where nothing ends it. ``is_judged`` says which
    rows mean anything. This is all that must be kept of a forecast.
    """

    last_bytes: Float64s
    level_bytes: Float64s
    growth_bytes_per_day: Float64s
    fan: Fan
    rhythm: Rhythm
    ceiling_bytes: Float64s
    is_judged: Bools

    def of_rows(self, rows: Int64s) -> "Outlook":
        """Return some of them."""
        return Outlook(
            last_bytes=self.last_bytes[rows],
            level_bytes=self.level_bytes[rows],
            growth_bytes_per_day=self.growth_bytes_per_day[rows],
            fan=self.fan.of_rows(rows),
            rhythm=self.rhythm.of_rows(rows),
            ceiling_bytes=self.ceiling_bytes[rows],
            is_judged=self.is_judged[rows],
        )


def rhythm_on(rhythm: Rhythm, *, ahead: Int64s) -> Float64s:
    """Return the rhythm of series on days ahead, as far as it can be told, as `Rhythm.on`."""
    if ahead.size and ahead.min() > MAX_RHYTHM_DAYS:
        return np.zeros((len(rhythm.last_day), ahead.shape[-1]))
    return np.where(ahead <= MAX_RHYTHM_DAYS, rhythm.on(ahead), 0.0)


def paths(of: Outlook, *, horizon_days: int, quantiles: tuple[float, ...]) -> Float64s:
    """Return the demand expected on each day ahead, not cut off at any capacity.

    Parameters
    ----------
    of : Outlook
        From :func:`forecast`, or kept from one.
    horizon_days : int
        1 to 3650.
    quantiles : tuple of float
        Each between 0 and 1, exclusive.

    Returns
    -------
    (n_series, n_quantiles, horizon_days) float64
        Bytes from the day after each series' last reading; NaN where not judged, never
        below 0.

    Raises
    ------
    RangeError
        If the horizon or a quantile is out of range.
    """
    spans = _spans(quantiles)
    ahead = np.arange(1, checked_horizon(horizon_days) + 1)
    return _quantiles(of, fan=of.fan.on(ahead), ahead=ahead, spans=spans)


def amounts_after(of: Outlook, *, days: Int64s, quantiles: tuple[float, ...]) -> Float64s:
    """Return the demand expected of each series after days of its own.

    Parameters
    ----------
    of : Outlook
        From :func:`forecast`, or kept from one.
    days : (n_series,) int64
        Days after each series' last reading, 1 to 3650.
    quantiles : tuple of float
        Each between 0 and 1, exclusive.

    Returns
    -------
    (n_quantiles, n_series) float64
        What :func:`paths` has on that day.

    Raises
    ------
    RangeError
        If a day or a quantile is out of range.
    """
    spans = _spans(quantiles)
    if len(days) == 0:
        return np.zeros((len(quantiles), 0))
    for one in (int(days.min()), int(days.max())):
        checked_horizon(one)
    ahead = days[:, None]
    return _quantiles(of, fan=of.fan.at(ahead), ahead=ahead, spans=spans)[:, :, 0].T


def _spans(quantiles: tuple[float, ...]) -> Float64s:
    """How many half bands each quantile lies off the middle."""
    for quantile in quantiles:
        if not 0 < quantile < 1:
            raise RangeError(argument="quantiles", found=quantile, wanted="between 0 and 1")
    spans: Float64s = ndtri(np.array(quantiles)) / BAND_EDGE
    return spans


def _quantiles(of: Outlook, *, fan: Float64s, ahead: Int64s, spans: Float64s) -> Float64s:
    """Quantiles of a fan (n_series, 3, n_days) on days ahead, within what each can hold."""
    middle = fan[:, 1] + rhythm_on(of.rhythm, ahead=ahead)
    half = np.where(
        (spans > 0)[None, :, None],
        (fan[:, 2] - fan[:, 1])[:, None, :],
        (fan[:, 1] - fan[:, 0])[:, None, :],
    )
    told = middle[:, None, :] + spans[None, :, None] * half
    told = np.clip(told, 0.0, of.ceiling_bytes[:, None, None])
    return np.where(of.is_judged[:, None, None], told, np.nan)


def checked_horizon(horizon_days: int) -> int:
    """Return a horizon that can be looked at; raise RangeError where it is out of range."""
    if not 1 <= horizon_days <= MAX_HORIZON_DAYS:
        raise RangeError(
            argument="horizon_days", found=horizon_days, wanted=f"1 to {MAX_HORIZON_DAYS}"
        )
    return horizon_days
