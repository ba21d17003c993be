"""Verdicts as codes: the higher the code, the worse a subject stands."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Final

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE

Codes = NDArray[np.int8]


class Verdict(StrEnum):
    """How a rule, or a policy, stands with a subject; from best to worst."""

    EXEMPT = "exempt"
    MET = "met"
    SETTLING = "settling"
    UNPROVEN = "unproven"
    BROKEN = "broken"


VERDICTS: Final = tuple(Verdict)
EXEMPT, MET, SETTLING, UNPROVEN, BROKEN = (np.int8(code) for code in range(len(VERDICTS)))


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Found:
    """What one rule found of many things, (n,) each.

    ``states`` are codes of :class:`Verdict`. ``amounts`` is what was found in the unit of the
    rule, NaN where there is nothing to say. ``places`` is the row of the thing at which it was
    found, in the table that the rule names, NOWHERE where it was found nowhere.
    """

    states: Codes
    amounts: Float64s
    places: Int64s

    def __len__(self) -> int:
        return len(self.states)

    def of_rows(self, rows: Int64s) -> "Found":
        """Return what was found at some rows; NOWHERE is a row of which nothing is known."""
        is_known = rows != NOWHERE
        at = np.where(is_known, rows, 0)
        if len(self.states) == 0:
            return unproven(len(rows))
        return Found(
            states=np.where(is_known, self.states[at], UNPROVEN),
            amounts=np.where(is_known, self.amounts[at], np.nan),
            places=np.where(is_known, self.places[at], NOWHERE),
        )


def found(states: Codes, *, amounts: Float64s | None = None, places: Int64s | None = None) -> Found:
    """Return what was found of things at themselves, unless other places are said."""
    n = len(states)
    return Found(
        states=states,
        amounts=np.full(n, np.nan) if amounts is None else amounts,
        places=np.arange(n, dtype=np.int64) if places is None else places,
    )


def unproven(n: int) -> Found:
    """Return so many of which nothing is known."""
    return Found(
        states=np.full(n, UNPROVEN),
        amounts=np.full(n, np.nan),
        places=np.full(n, NOWHERE, dtype=np.int64),
    )


def exempt(n: int) -> Found:
    """Return so many on which the rule does not bear."""
    return Found(
        states=np.full(n, EXEMPT),
        amounts=np.full(n, np.nan),
        places=np.full(n, NOWHERE, dtype=np.int64),
    )


def by_truth(is_kept: Bools, *, is_known: Bools) -> Codes:
    """Return met where it is so, broken where it is not, unproven where nobody knows."""
    return np.where(is_known, np.where(is_kept, MET, BROKEN), UNPROVEN)
