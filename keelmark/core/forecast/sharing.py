"""Parts and wholes: who made the growth, and forecasts that add up."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s
from keelmark.core.errors import ShapeError
from keelmark.core.forecast.robust import gaps_filled

OPENING_DAYS = 7  # a history does not begin for all parts on the same day


def summed(parts: Float64s) -> Float64s:
    """Add up the parts of a whole so that what was not read of one is no dip of the whole.

    Parameters
    ----------
    parts : (n_parts, n_days) float64
        Amounts a day, NaN where unread.

    Returns
    -------
    (n_days,) float64
        Gaps are bridged by straight lines, an open end holds the last reading. Before its first
        reading a part was not there, unless that is within the first week of all: then it
        stood there as it was first read.
    """
    filled = gaps_filled(parts)
    is_read = ~np.isnan(parts)
    first = np.argmax(is_read, axis=1)
    begins_late = is_read.any(axis=1) & (first > 0) & (first <= OPENING_DAYS)
    for row in np.flatnonzero(begins_late):
        filled[row, : first[row]] = filled[row, first[row]]
    whole: Float64s = np.nan_to_num(filled).sum(axis=0)
    return whole


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Contributions:
    """What each part added between two days, every array (n_parts,); NaN where unread.

    A part that had no reading at the beginning is new, one that has none at the end is gone:
    what they brought and took is theirs whole.
    """

    added_bytes: Float64s
    is_new: Bools
    is_gone: Bools

    @property
    def total_bytes(self) -> float:
        """What all parts added together."""
        return float(np.nansum(self.added_bytes))

    @property
    def new_bytes(self) -> float:
        """Of it, what came with new parts."""
        return float(np.nansum(np.where(self.is_new, self.added_bytes, 0.0)))

    @property
    def gone_bytes(self) -> float:
        """Of it, what went with parts that are gone, as a negative amount."""
        return float(np.nansum(np.where(self.is_gone, self.added_bytes, 0.0)))


def contributions(used_bytes: Float64s, *, tolerance_days: int = 3) -> Contributions:
    """Return what each part added from the first column to the last.

    Parameters
    ----------
    used_bytes : (n_parts, n_days) float64
        NaN where unread.
    tolerance_days : int
        A part that is unread for so long at either end is still taken to be there.

    Returns
    -------
    Contributions
        The last reading less the first one.
    """
    is_read = ~np.isnan(used_bytes)
    n_days = used_bytes.shape[1]
    has_any = is_read.any(axis=1)
    first = np.argmax(is_read, axis=1)
    last = n_days - 1 - np.argmax(is_read[:, ::-1], axis=1)
    rows = np.arange(len(used_bytes))
    begin, end = used_bytes[rows, first], used_bytes[rows, last]
    is_new = has_any & (first > tolerance_days)
    is_gone = has_any & (last < n_days - 1 - tolerance_days)
    added = np.where(is_gone, 0.0, end) - np.where(is_new, 0.0, begin)
    return Contributions(
        added_bytes=np.where(has_any, added, np.nan), is_new=is_new, is_gone=is_gone
    )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Reconciled:
    """Paths of parts (n_parts, n_days) and of their whole (n_days,) that add up."""

    parts_bytes: Float64s
    whole_bytes: Float64s


def reconcile(
    parts_bytes: Float64s,
    *,
    whole_bytes: Float64s,
    parts_variance: Float64s,
    whole_variance: Float64s,
) -> Reconciled:
    """Make the forecasts of parts add up to that of their whole.

    Parameters
    ----------
    parts_bytes, parts_variance : (n_parts, n_days) float64
        Expected paths and their variances, in bytes and bytes².
    whole_bytes, whole_variance : (n_days,) float64
        The same of the whole, forecast by itself.

    Returns
    -------
    Reconciled
        What differs is shared out by variance: who is least sure gives way most, the whole
        included. A day on which all are sure is given to the parts.

    Raises
    ------
    ShapeError
        If the shapes do not belong together.

    References
    ----------
    Wickramasuriya, S. L., Athanasopoulos, G. and Hyndman, R. J. (2019), "Optimal forecast
    reconciliation through trace minimization", eq. 10, with a diagonal covariance.
    """
    for name, table, wanted in (
        ("parts_variance", parts_variance, parts_bytes.shape),
        ("whole_bytes", whole_bytes, parts_bytes.shape[1:]),
        ("whole_variance", whole_variance, parts_bytes.shape[1:]),
    ):
        if table.shape != wanted:
            raise ShapeError(argument=name, wanted=str(wanted), found=table.shape)
    differs = whole_bytes - parts_bytes.sum(axis=0)
    total = parts_variance.sum(axis=0) + whole_variance
    share = np.where(total > 0, parts_variance / np.where(total > 0, total, 1.0), 0.0)
    parts = parts_bytes + share * differs
    # No part holds less than nothing: what it cannot give, the whole keeps.
    parts = np.maximum(parts, np.minimum(parts_bytes, 0.0))
    return Reconciled(parts_bytes=parts, whole_bytes=parts.sum(axis=0))
