"""What changed between two judgements of the same subjects."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Int64s
from keelmark.core.errors import ShapeError
from keelmark.core.policy.states import SETTLING, Codes

MOST_RULES = 64


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Judged:
    """Verdicts that are not exempt, (n,) each: ids of subjects, places of rules, states."""

    subject: Int64s
    rule: Int64s
    state: Codes

    @property
    def key(self) -> Int64s:
        """One number for a subject and a rule."""
        told: Int64s = self.subject * MOST_RULES + self.rule
        return told


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Changes:
    """Places of what came first and of what is otherwise in the newer, and of what it was.

    ``fresh`` (n,) places in the newer that the older knows nothing of; ``other`` (n,) places in
    the newer and ``was`` (n,) in the older of the same in another state; ``gone`` (n,) places in
    the older of what nobody promises any more.
    """

    fresh: NDArray[np.intp]
    other: NDArray[np.intp]
    was: NDArray[np.intp]
    gone: NDArray[np.intp]


def changed(older: Judged, newer: Judged) -> Changes:
    """Return what changed from one judgement to the next.

    What settles is not judged: it stands as it stood, and what nobody knew of comes when it is
    judged.

    Raises
    ------
    ShapeError
        If a judgement names a subject and a rule twice.
    """
    for one in (older, newer):
        if len(np.unique(one.key)) < len(one.key):
            raise ShapeError(argument="judged", wanted="each once", found=one.key.shape)
    _, at, was = np.intersect1d(newer.key, older.key, assume_unique=True, return_indices=True)
    is_judged = newer.state != SETTLING
    is_other = is_judged[at] & (newer.state[at] != older.state[was])
    is_new = is_judged.copy()
    is_new[at] = False
    is_gone = np.ones(len(older.key), dtype=np.bool_)
    is_gone[was] = False
    return Changes(
        fresh=np.flatnonzero(is_new), other=at[is_other], was=was[is_other],
        gone=np.flatnonzero(is_gone),
    )  # fmt: skip
