"""Parts by their wholes, sorted once, so that the worst of each whole is a few passes."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.policy.states import EXEMPT, Codes, Found, unproven


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Groups:
    """Which parts (rows of one table) belong to which wholes (rows of another).

    ``parts`` (n_pairs,) is sorted by whole; ``wholes`` (n_groups,) are those that have any, and
    ``begins`` (n_groups,) is where the parts of each begin.
    """

    n_wholes: int
    parts: Int64s
    wholes: Int64s
    begins: Int64s

    def worst(
        self, of: Found, *, missing: Found | None = None, is_least_worst: bool = False
    ) -> Found:
        """Return the worst that was found of the parts of each whole.

        Parameters
        ----------
        of : Found
            (n_parts,), what was found of each part.
        missing : Found, optional
            (n_wholes,), what stands where a whole has no part: unproven unless said.
        is_least_worst : bool
            Whether a small amount is the worse one.

        Returns
        -------
        Found
            (n_wholes,). Of several parts that stand equally badly the one with the worst
            amount is told, of equal ones the first.
        """
        told = unproven(self.n_wholes) if missing is None else missing
        if not len(self.wholes):
            return told
        states, amounts = of.states[self.parts], of.amounts[self.parts]
        worst = np.maximum.reduceat(states, self.begins)
        sizes = np.diff(np.append(self.begins, len(self.parts)))
        is_worst = states == np.repeat(worst, sizes)
        badness = np.where(np.isnan(amounts), -np.inf, -amounts if is_least_worst else amounts)
        weight = np.where(is_worst, badness, -np.inf)
        most = np.maximum.reduceat(weight, self.begins)
        is_chosen = is_worst & (weight == np.repeat(most, sizes))
        at = np.where(is_chosen, np.arange(len(self.parts)), len(self.parts))
        first = self.parts[np.minimum.reduceat(at, self.begins)]
        states, amounts, places = told.states.copy(), told.amounts.copy(), told.places.copy()
        states[self.wholes] = worst
        amounts[self.wholes] = of.amounts[first]
        places[self.wholes] = of.places[first]
        return Found(states=states, amounts=amounts, places=places)

    def any_of(self, of: Bools) -> Bools:
        """Return which wholes (n_wholes,) have a part of which something is so."""
        told = np.zeros(self.n_wholes, dtype=np.bool_)
        if len(self.wholes):
            told[self.wholes] = np.logical_or.reduceat(of[self.parts], self.begins)
        return told

    def least(self, of: Float64s) -> Float64s:
        """Return the least of the parts of each whole, NaN where one is NaN or there is none."""
        told = np.full(self.n_wholes, np.nan)
        if len(self.wholes):
            told[self.wholes] = np.minimum.reduceat(of[self.parts], self.begins)
        return told

    def most_known(self, of: Float64s) -> Float64s:
        """Return the most of the known parts of each whole, NaN where none is known."""
        told = np.full(self.n_wholes, np.nan)
        if len(self.wholes):
            told[self.wholes] = np.fmax.reduceat(of[self.parts], self.begins)
        return told

    @property
    def n_parts_of(self) -> Int64s:
        """How many parts each whole has, (n_wholes,)."""
        told = np.zeros(self.n_wholes, dtype=np.int64)
        told[self.wholes] = np.diff(np.append(self.begins, len(self.parts)))
        return told


def grouped(onto: Int64s, *, n: int) -> Groups:
    """Return parts by the whole that each of them names; NOWHERE is of none."""
    return paired(onto, np.arange(len(onto), dtype=np.int64), n=n)


def paired(wholes: Int64s, parts: Int64s, *, n: int) -> Groups:
    """Return parts by whole of pairs (n_pairs,) of both; pairs that lead nowhere are left out."""
    kept = np.flatnonzero((wholes != NOWHERE) & (parts != NOWHERE))
    order = kept[np.argsort(wholes[kept], kind="stable")]
    told, begins = np.unique(wholes[order], return_index=True)
    return Groups(
        n_wholes=n,
        parts=parts[order].astype(np.int64),
        wholes=told.astype(np.int64),
        begins=begins.astype(np.int64),
    )


def better(one: Found, other: Found) -> Found:
    """Return of each thing what stands better of two; what is exempt of one is as the other.

    Of equals the one stands of which something was found.
    """
    ours = np.where(one.states == EXEMPT, np.int8(127), one.states)
    theirs = np.where(other.states == EXEMPT, np.int8(127), other.states)
    tells_more = (theirs == ours) & np.isnan(one.amounts) & ~np.isnan(other.amounts)
    return _chosen(one, other, takes_other=(theirs < ours) | tells_more)


def worse(one: Found, other: Found) -> Found:
    """Return of each thing what stands worse of two."""
    return _chosen(one, other, takes_other=other.states > one.states)


def _chosen(one: Found, other: Found, *, takes_other: Bools) -> Found:
    states: Codes = np.where(takes_other, other.states, one.states)
    return Found(
        states=states,
        amounts=np.where(takes_other, other.amounts, one.amounts),
        places=np.where(takes_other, other.places, one.places),
    )
