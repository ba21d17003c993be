"""Names of policies and tiers that feeds tell and nobody drew up."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np

from keelmark.compliance.selectors.definitions import defined
from keelmark.compliance.selectors.tiers import defined_tiers
from keelmark.core.arrays import Bools
from keelmark.core.estate.columns import Words
from keelmark.core.estate.reading import Reading
from keelmark.core.policy.facts import SUBJECTS

POLICY, TIER = "policy", "tier"
SOME: Final = 12
TIERED: Final = ("disk",)


@dataclass(frozen=True, slots=True, kw_only=True)
class UnknownName:
    """One name, of a policy or a tier, and the things that are told to be in it."""

    word: str
    name: str
    n: int
    some: tuple[int, ...]


def unknown_names(reading: Reading, *, seen: dict[str, Bools]) -> list[UnknownName]:
    """Return the names that nobody drew up, by word and name, of the things that are seen."""
    known = {
        POLICY: {one.policy.name.casefold() for one in defined()},
        TIER: {one.core.name.casefold() for one in defined_tiers()},
    }
    found: dict[tuple[str, str], list[int]] = {}
    for word, kinds in ((POLICY, SUBJECTS), (TIER, TIERED)):
        for kind in kinds:
            for name, ids in _told(reading, kind=kind, column=word, seen=seen[kind]):
                if name.casefold() not in known[word]:
                    found.setdefault((word, name), []).extend(ids)
    return [
        UnknownName(word=word, name=name, n=len(ids), some=tuple(sorted(ids)[:SOME]))
        for (word, name), ids in sorted(found.items())
    ]


def _told(
    reading: Reading, *, kind: str, column: str, seen: Bools
) -> Iterator[tuple[str, list[int]]]:
    table = reading.estate.table(kind)
    words = table.columns.get(column)
    if not isinstance(words, Words):
        return
    there = reading.is_there[kind] & seen
    for code, name in enumerate(words.words):
        ids = table.ids[np.flatnonzero((words.codes == code) & there)].tolist()
        if ids:
            yield name, ids
