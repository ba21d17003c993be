"""The ledger over columns: the same figures as core.ledger, of many things at once."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import Amounts
from keelmark.core.marks import DEFAULT_MARKS, MARK_PAIRS
from keelmark.core.units import PERCENT, percent_of


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class MarkColumns:
    """Marks of many things, whole percent and days, (n,) int64 each."""

    caution_percent: Int64s
    limit_percent: Int64s
    overcommit_caution_percent: Int64s
    overcommit_limit_percent: Int64s
    lead_time_days: Int64s


def nearest_marks(*levels: tuple[Amounts, ...], n: int) -> MarkColumns:
    """Return the nearest marks of many things, each mark by itself.

    Parameters
    ----------
    *levels : tuple of Amounts
        (n,) in the order of the fields of Marks, the nearest level first; unknown where a
        level sets none.
    n : int
        How many things there are, for what has no level at all.

    Returns
    -------
    MarkColumns
        As marks.marks_in_order has them: where nearest marks cross, the limit stands.
    """
    held = {name: np.full(n, mark, dtype=np.int64) for name, mark in DEFAULT_MARKS.items()}
    for level in reversed(levels):
        for name, told in zip(DEFAULT_MARKS, level, strict=True):
            held[name] = np.where(told.is_known, told.values, held[name])
    for caution, limit in MARK_PAIRS:
        held[caution] = np.minimum(held[caution], held[limit] - 1)
    return MarkColumns(**held)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Books:
    """Space of many things in bytes; what follows from what is not known is not known.

    ``held`` is that part of ``reserved`` which accepted scenarios hold: it will be used.
    """

    size: Amounts
    used: Amounts
    promised: Amounts
    reserved: Amounts
    held: Amounts

    @property
    def free(self) -> Amounts:
        """Size − used; negative where more is used than there is."""
        return Amounts(
            values=self.size.values - self.used.values,
            is_known=self.size.is_known & self.used.is_known,
        )

    @property
    def exposure(self) -> Amounts:
        """Bytes missing if every consumer filled what it was promised."""
        return Amounts(
            values=np.maximum(self.promised.values - self.size.values, 0),
            is_known=self.size.is_known & self.promised.is_known,
        )

    def plannable(self, limit_percent: Int64s) -> Amounts:
        """Bytes that may still be promised: limit − used − reserved, never negative."""
        limit = percent_of(self.size.values, limit_percent)
        return Amounts(
            values=np.maximum(limit - self.used.values - self.reserved.values, 0),
            is_known=self.size.is_known & self.used.is_known & self.reserved.is_known,
        )

    @property
    def fill_percent(self) -> Float64s:
        """Used in percent of size, NaN where either is not known or there is no size."""
        return _percent(self.used, of=self.size)

    @property
    def overcommit_percent(self) -> Float64s:
        """Promised in percent of size, NaN where either is not known or there is no size."""
        return _percent(self.promised, of=self.size)

    def past(self, percent: Int64s) -> Bools:
        """Return which are filled to a mark, by what is used and what is held of them.

        Where there is no room and nothing in it, none.
        """
        is_known = self.size.is_known & self.used.is_known
        is_filled = (self.used.values > 0) | (self.size.values > 0)
        taken = self.used.values + self.held.values
        reached = taken >= percent_of(self.size.values, percent)
        told: Bools = is_known & is_filled & reached
        return told


def _percent(part: Amounts, *, of: Amounts) -> Float64s:
    is_told = part.is_known & of.is_known & (of.values > 0)
    whole = np.where(is_told, of.values, 1).astype(np.float64)
    told: Float64s = np.where(is_told, PERCENT * part.values / whole, np.nan)
    return told


@dataclass(frozen=True, slots=True, kw_only=True)
class Sum:
    """Bytes of a set of things: what is known together, and how many are left out."""

    known_bytes: int
    n_known: int
    n_unread: int


def total(one: Amounts, *, of: Bools | None = None) -> Sum:
    """Return the sum of some, exact beyond 64 bits; what is not known is counted beside it."""
    is_in = np.ones(len(one), dtype=np.bool_) if of is None else of
    counted = one.values[is_in & one.is_known]
    return Sum(
        known_bytes=exact_sum(counted),
        n_known=len(counted),
        n_unread=int(np.count_nonzero(is_in & ~one.is_known)),
    )


_HALF_BITS = 32


def exact_sum(values: Int64s) -> int:
    """Return the sum of int64s without wrapping: high and low halves are added apart."""
    high = int((values >> _HALF_BITS).sum())
    low = int((values & ((1 << _HALF_BITS) - 1)).sum())
    return (high << _HALF_BITS) + low


def folded(part: Amounts, *, onto: Int64s, n: int) -> tuple[Amounts, Int64s]:
    """Return the sums of parts onto wholes, and how many parts of each are unread.

    Parameters
    ----------
    part : Amounts
        (n_parts,)
    onto : (n_parts,) int64
        Row of each part's whole, negative where it has none.
    n : int
        How many wholes there are.

    Returns
    -------
    Amounts, (n,) int64
        A whole without a part that is known is not known. Sums are exact as long as a whole
        stays under 2**63.
    """
    counts = onto >= 0
    known = counts & part.is_known
    # Where all are known, as of most kinds, nothing need be picked out.
    at, values = (onto, part.values) if known.all() else (onto[known], part.values[known])
    sums = np.zeros(n, dtype=np.int64)
    np.add.at(sums, at, values)
    n_unread = np.bincount(onto[counts & ~part.is_known], minlength=n).astype(np.int64)
    return Amounts(values=sums, is_known=np.bincount(at, minlength=n) > 0), n_unread


def added_up(few: Int64s, *, onto: Int64s, n: int) -> Int64s:
    """Return the sums onto wholes (n,) of amounts most of which are 0, rows as of `folded`."""
    rows = np.flatnonzero(few)
    rows = rows[onto[rows] >= 0]
    sums = np.zeros(n, dtype=np.int64)
    np.add.at(sums, onto[rows], few[rows])
    return sums
