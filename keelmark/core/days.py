"""Days of the calendar."""

from datetime import date, timedelta
from math import isfinite
from typing import Final

EPOCH: Final = date(1970, 1, 1)  # from which days are counted in columns


def date_after(as_of: date | None, *, days: float | None) -> date | None:
    """Return the date so many days after a day; None for never, not known, or from no day.

    Parameters
    ----------
    as_of : date or None
        Where the days are counted from.
    days : float or None
        Whole days count; inf and NaN are beyond any horizon.
    """
    if as_of is None or days is None or not isfinite(days):
        return None
    return as_of + timedelta(days=int(days))
