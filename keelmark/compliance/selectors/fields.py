"""Fields of things that follow from promises: for sifts, facets, columns of tables."""

from functools import partial

import numpy as np

from keelmark.bearings.selectors.picture import tell_beside
from keelmark.compliance.selectors.definitions import defined
from keelmark.compliance.selectors.promised import promised_at
from keelmark.compliance.selectors.serving import STATES, WORST_FIRST, served_now
from keelmark.compliance.selectors.standing import standing_at
from keelmark.compliance.selectors.tiers import tiered_at
from keelmark.core.arrays import Int64s
from keelmark.core.estate.columns import COMMA, NOWHERE, Words
from keelmark.core.estate.reading import Reading, When
from keelmark.core.policy.facts import SUBJECTS
from keelmark.core.policy.rules import RULES
from keelmark.core.policy.states import VERDICTS, Verdict

_RULES = tuple(RULES)


def tell_fields() -> None:
    """Tell the estate of our fields."""
    for kind in SUBJECTS:
        tell_beside(kind, "policy", by=partial(_policy, kind=kind))
        tell_beside(kind, "verdict", by=partial(_verdict, kind=kind))
        tell_beside(kind, "rule", by=partial(_rules, kind=kind))
    tell_beside("disk", "tier", by=_tier)
    tell_beside("disk", "io", by=_io)
    tell_beside("vm", "io", by=_io_of_vms)


def _policy(reading: Reading, *, kind: str) -> Words:
    """The policy that bears, or the name that a feed tells and nobody drew up."""
    place = promised_at(reading, kind=kind).policy
    names = tuple(one.policy.name for one in defined())
    return _or_told(reading, place, kind=kind, column="policy", names=names)


def _tier(reading: Reading) -> Words:
    tiered = tiered_at(reading)
    names = tuple(one.core.name for one in tiered.defined)
    return _or_told(reading, tiered.tier, kind="disk", column="tier", names=names)


def _or_told(
    reading: Reading, place: Int64s, *, kind: str, column: str, names: tuple[str, ...]
) -> Words:
    """What bears by name; where nothing does, what feeds tell."""
    told = reading.estate.table(kind).columns.get(column)
    codes = np.asarray(place, dtype=np.int32)
    if not isinstance(told, Words):
        return Words(codes=codes, words=names)
    beside = np.where(told.codes == NOWHERE, NOWHERE, told.codes + len(names))
    codes = np.where(codes == NOWHERE, beside, codes).astype(np.int32)
    return Words(codes=codes, words=(*names, *told.words))


def _verdict(reading: Reading, *, kind: str) -> Words:
    standing = standing_at(reading, kind=kind)
    has = standing.promised.policy != NOWHERE
    codes = np.where(has, standing.verdicts.worst, NOWHERE).astype(np.int32)
    return Words(codes=codes, words=tuple(one.value for one in VERDICTS))


def _rules(reading: Reading, *, kind: str) -> Words:
    """The rules that each breaks, together as one word."""
    standing = standing_at(reading, kind=kind)
    is_broken = standing.verdicts.states == VERDICTS.index(Verdict.BROKEN)
    sets, codes = np.unique(is_broken @ (1 << np.arange(len(_RULES))), return_inverse=True)
    words = [
        COMMA.join(rule for at, rule in enumerate(_RULES) if one >> at & 1) for one in sets.tolist()
    ]
    codes = np.where(is_broken.any(axis=1), codes, NOWHERE)
    return Words(codes=codes.astype(np.int32), words=tuple(words), are_many=True)


def _io(reading: Reading) -> Words:
    """How disks are served; of other days than today nobody looked at all of them."""
    n = len(reading.estate.table("disk"))
    words = tuple(one.value for one in STATES)
    if reading.when is not When.NOW:
        return Words(codes=np.full(n, NOWHERE, dtype=np.int32), words=words)
    return Words(codes=served_now(reading).codes.astype(np.int32), words=words)


def _io_of_vms(reading: Reading) -> Words:
    """The worst of their disks."""
    told = _io(reading)
    vm = reading.link("disk", "vm")
    rank = np.full(len(reading.estate.table("vm")), len(STATES), dtype=np.int64)
    is_of = (vm != NOWHERE) & (told.codes != NOWHERE) & reading.is_there["disk"]
    ranks = np.array([WORST_FIRST.index(state) for state in STATES], dtype=np.int64)
    np.minimum.at(rank, vm[is_of], ranks[told.codes[is_of]])
    of_rank = np.array([*(STATES.index(state) for state in WORST_FIRST), NOWHERE])
    return Words(codes=of_rank[rank].astype(np.int32), words=told.words)
