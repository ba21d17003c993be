"""Which of several promises bears on a subject: the nearest."""

from enum import StrEnum
from typing import Final

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Int64s
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


def nearest(levels: dict[Level, Int64s], *, n: int) -> tuple[Int64s, NDArray[np.int8]]:
    """Return the nearest policy of each subject, and which level named it.

    Parameters
    ----------
    levels : dict
        (n,) int64 by level: a place in the policies, NOWHERE where it names none.
    n : int
        How many subjects there are.

    Returns
    -------
    (n,) int64, (n,) int8
        The policy, and the place of the level in LEVELS; both NOWHERE where none is named.

    Raises
    ------
    ShapeError
        If a level has not one policy a subject.
    """
    told = np.full(n, NOWHERE, dtype=np.int64)
    by = np.full(n, NOWHERE, dtype=np.int8)
    for place, level in enumerate(LEVELS):
        named = levels.get(level)
        if named is None:
            continue
        if named.shape != (n,):
            raise ShapeError(argument=level.value, wanted=f"({n},)", found=named.shape)
        takes = (told == NOWHERE) & (named != NOWHERE)
        told[takes] = named[takes]
        by[takes] = place
    return told, by
