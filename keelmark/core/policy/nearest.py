"""Which of several promises bears on a subject: the nearest."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.errors import ShapeError
from keelmark.core.estate.columns import NOWHERE


class Level(StrEnum):
    """Who may name a policy for a subject, the nearest first."""

    ITSELF = "itself"
    TOLD = "told"  # by the name that a feed tells for it
    VM = "vm"
    PROJECT = "project"
    TENANT = "tenant"
    CLASS = "class"
    ESTATE = "estate"


LEVELS: Final = tuple(Level)
# Columns of words in which a plan names things itself, before whoever else does.
PLANNED_POLICY: Final = "planned_policy"
PLANNED_TIER: Final = "planned_tier"
PLANNED_SNAPSHOTS: Final = "planned_snapshots"  # of a volume, every so many minutes


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Named:
    """What one level names for each subject, (n,): a place in what is defined, NOWHERE if none.

    ``since`` is the minute in which it named that, or took back what it had named; NaN where
    nobody knows of one.
    """

    what: Int64s
    since: Float64s

    def at(self, rows: Int64s) -> "Named":
        """Return the same for whoever belongs to these rows; who belongs to none is named none."""
        return Named(
            what=np.append(self.what, NOWHERE)[rows], since=np.append(self.since, np.nan)[rows]
        )


def over(named: Named, planned: Int64s) -> Named:
    """Return what one level names with what a plan names there instead, (n,), NOWHERE for none."""
    is_planned = planned != NOWHERE
    return Named(
        what=np.where(is_planned, planned, named.what),
        since=np.where(is_planned, np.nan, named.since),
    )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Nearest:
    """What bears on each subject (n,), the place in LEVELS of who named it, and since when."""

    what: Int64s
    by: NDArray[np.int8]
    since: Float64s

    @property
    def named(self) -> Named:
        """The same as if one level named it."""
        return Named(what=self.what, since=self.since)


def nearest(levels: Mapping[Level, Named], *, n: int) -> Nearest:
    """Return what bears on each subject, and which level named it.

    Parameters
    ----------
    levels : mapping
        What each level names for the (n,) subjects.
    n : int
        How many subjects there are.

    Returns
    -------
    Nearest
        The first level that names one; both NOWHERE where none does. It bears since it was named
        there, or since a nearer level took back what it had named, whichever is later.

    Raises
    ------
    ShapeError
        If a level has not one name a subject.
    """
    told = np.full(n, NOWHERE, dtype=np.int64)
    by = np.full(n, NOWHERE, dtype=np.int8)
    since = np.full(n, np.nan)
    for place, level in enumerate(LEVELS):
        named = levels.get(level)
        if named is None:
            continue
        if named.what.shape != (n,):
            raise ShapeError(argument=level.value, wanted=f"({n},)", found=named.what.shape)
        is_open = told == NOWHERE
        since = np.where(is_open, np.fmax(since, named.since), since)
        takes = is_open & (named.what != NOWHERE)
        told[takes] = named.what[takes]
        by[takes] = place
    return Nearest(what=told, by=by, since=since)
