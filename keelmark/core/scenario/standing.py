"""By how much growth may exceed its forecast before a plan fails."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.forecast import Outlook, runway
from keelmark.core.forecast.changed import grown

MOST_GROWTH: Final = 8.0  # times the forecast that are looked at
N_HALVINGS: Final = 10


@dataclass(frozen=True, slots=True, kw_only=True)
class Stands:
    """How many times the growth of its forecast a plan stands, and what fails first beyond it.

    ``times`` is 0 where not even growth as it is forecast is stood, 8 where that and more is;
    ``first`` is a row, NOWHERE where nothing fails.
    """

    times: float
    first: int


def growth_that_is_stood(
    of: Outlook, *, mark_bytes: Int64s, planned_bytes: Float64s, until_days: Int64s
) -> Stands:
    """Return how many times the growth of its forecast a plan stands before a limit is reached.

    Parameters
    ----------
    of : Outlook
        Of (n_series,) things.
    mark_bytes : (n_series,) int64
        The levels that must not be reached.
    planned_bytes : (n_series, n_days) float64
        What is planned on each day after each one's last reading.
    until_days : (n_series,) int64
        Days after each one's last reading, at most n_days, by which none must be reached, even
        odds.

    Raises
    ------
    RangeError
        If a day is beyond what is planned.
    """
    n_days = planned_bytes.shape[1]
    if int(until_days.max(initial=0)) > n_days:
        raise RangeError(argument="until_days", found=int(until_days.max()), wanted=f"{n_days}")

    def left(times: float, rows: Int64s) -> Float64s:
        """Days that some rows have left, 0 or fewer where one fails."""
        way = runway(
            grown(of.of_rows(rows), times=times), mark_bytes=mark_bytes[rows],
            horizon_days=n_days, added_bytes=planned_bytes[rows],
        )  # fmt: skip
        return np.where(np.isnan(way.likely_days), np.inf, way.likely_days - until_days[rows])

    rows = np.arange(len(mark_bytes))
    if (days := left(1.0, rows)).min(initial=np.inf) <= 0:
        return Stands(times=0.0, first=int(days.argmin()))
    if (days := left(MOST_GROWTH, rows)).min(initial=np.inf) > 0:
        return Stands(times=MOST_GROWTH, first=NOWHERE)
    low, high, first = 1.0, MOST_GROWTH, int(days.argmin())
    failing = rows[days <= 0]  # what holds at so much growth holds at less
    for _ in range(N_HALVINGS):
        middle = (low + high) / 2
        days = left(middle, failing)
        if days.min(initial=np.inf) > 0:
            low = middle
        else:
            high, first = middle, int(failing[days.argmin()])
            failing = failing[days <= 0]
    return Stands(times=low, first=first)
