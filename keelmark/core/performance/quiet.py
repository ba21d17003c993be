"""When a week is quietest, from what was done hour by hour."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from keelmark.core.arrays import Float64s
from keelmark.core.errors import RangeError

HOURS_A_WEEK: Final = 168


@dataclass(frozen=True, slots=True, kw_only=True)
class Quiet:
    """The quietest hours in a row of a week: from which hour on, what is done then and usually."""

    begins_at: int  # hours from the beginning of the week that was asked for
    n_hours: int
    mean: float
    usual: float


def quietest(done: Float64s, *, n_hours: int) -> Quiet | None:
    """Return the quietest hours in a row of a week, None where some hour was never read.

    Parameters
    ----------
    done : (n,) float64
        What was done in the mean of each hour, in any unit, from the beginning of a week on; NaN
        where unread. More than a week is folded onto one.
    n_hours : int
        How many hours in a row; they may reach over the end of the week.

    Raises
    ------
    RangeError
        Unless 1 ≤ n_hours ≤ 168.
    """
    if not 1 <= n_hours <= HOURS_A_WEEK:
        raise RangeError(argument="n_hours", found=n_hours, wanted="1 to 168")
    n_weeks = -(-len(done) // HOURS_A_WEEK)
    folded = np.full(n_weeks * HOURS_A_WEEK, np.nan)
    folded[: len(done)] = done
    weeks = folded.reshape(n_weeks, HOURS_A_WEEK)
    n_read = (~np.isnan(weeks)).sum(axis=0)
    if n_weeks == 0 or (n_read == 0).any():
        return None
    hours = np.nansum(weeks, axis=0) / n_read
    rows = np.concatenate([hours, hours[: n_hours - 1]])
    means = np.lib.stride_tricks.sliding_window_view(rows, n_hours).mean(axis=1)
    at = int(means.argmin())
    return Quiet(begins_at=at, n_hours=n_hours, mean=float(means[at]), usual=float(hours.mean()))
