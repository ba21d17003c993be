"""From one kind to another: which things stand over, under or beside those that were found.

A way leads down from a kind to what lies on it or belongs to it, and from there up to what that
lies on or belongs to, never up and down again: two things are related if they share bytes, not
because they stand at one site.
"""

from dataclasses import dataclass
from functools import cache

import numpy as np

from keelmark.core.arrays import Bools, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.kinds import KINDS, PAIRS
from keelmark.core.estate.reading import Reading


@dataclass(frozen=True, slots=True)
class Step:
    """One step of a way: up a link or a relation of `kind`, or down it to `kind`."""

    kind: str  # whose link it is
    name: str
    other: str
    is_up: bool


# No way leads through these: what stands at one site shares no bytes for that, and a file or a
# snapshot is of one thing or of another.
_ENDS = frozenset({"site", "tenant", "snapshot", "file", "drive", "port"})
# Told beside what is worked out: the cluster that builds a shared pool is not all that it serves,
# an array is told of volumes without a pool alone, a project of few volumes.
_BESIDE = frozenset({("pool", "cluster"), ("volume", "array"), ("volume", "project")})


@cache
def way_between(kind: str, other: str) -> tuple[Step, ...] | None:
    """Return the shortest way from a kind to another, None where there is none."""
    if kind == other:
        return ()
    # Breadth first over (kind, whether it has turned upwards), ups before downs.
    reached: dict[tuple[str, bool], tuple[Step, ...]] = {(kind, False): ()}
    front = [(kind, False)]
    while front:
        following = []
        for at, has_turned in front:
            for step, to in _steps(at, may_descend=not has_turned):
                turned = has_turned or step.is_up
                if (to, turned) in reached:
                    continue
                reached[to, turned] = (*reached[at, has_turned], step)
                if to == other:
                    return reached[to, turned]
                if to not in _ENDS:
                    following.append((to, turned))
        front = following
    return None


def _steps(kind: str, *, may_descend: bool) -> list[tuple[Step, str]]:
    ups = [
        (Step(kind, name, target, is_up=True), target)
        for name, target in KINDS[kind].links
        if (kind, name) not in _BESIDE
    ] + [
        (Step(kind, name, lower, is_up=True), lower)
        for name, (upper, lower) in PAIRS.items()
        if upper == kind and name not in _INNER
    ]
    if not may_descend:
        return ups
    downs = [
        (Step(one.name, name, kind, is_up=False), one.name)
        for one in KINDS.values()
        for name, target in one.links
        if target == kind and (one.name, name) not in _BESIDE
    ] + [
        (Step(upper, name, kind, is_up=False), upper)
        for name, (upper, lower) in PAIRS.items()
        if lower == kind and name not in _INNER
    ]
    return ups + downs


# Pools over volumes are followed where they are met; who only sees a datastore has no bytes on it.
_INNER = frozenset({"backings", "replicas", "seen_by"})


def pulled(reading: Reading, mask: Bools, *, kind: str, other: str) -> Bools:
    """Return which of a kind stand on, carry or share bytes with the marked ones of another.

    Parameters
    ----------
    mask : (n_other,) bool
        The marked ones.

    Returns
    -------
    (n_kind,) bool
        None where no way leads from one to the other.
    """
    way = way_between(kind, other)
    if way is None:
        return np.zeros(len(reading.estate.table(kind)), dtype=np.bool_)
    # The way is walked from its far end: what is marked there marks what leads to it.
    marked: dict[str, Bools] = {}
    for step in reversed(way):
        marked[step.other if step.is_up else step.kind] = mask
        mask = _through_pools(reading, mask, step=step)
        mask = _up(reading, mask, step=step) if step.is_up else _down(reading, mask, step=step)
        mask = mask | _without_pool(reading, marked, step=step)
    if kind == "pool" and way and way[0].is_up:
        mask = mask | _shared(reading, mask)
    return mask


def _without_pool(reading: Reading, marked: dict[str, Bools], *, step: Step) -> Bools | bool:
    """Volumes of an array that tells of no pool for them lead to it straight."""
    if step.is_up and (step.kind, step.name) == ("volume", "pool") and "array" in marked:
        return taken(marked["array"], rows=reading.link("volume", "array"))
    if not step.is_up and (step.kind, step.name) == ("pool", "array") and "volume" in marked:
        return _down(reading, marked["volume"], step=Step("volume", "array", "array", is_up=False))
    return False


def _up(reading: Reading, mask: Bools, *, step: Step) -> Bools:
    """Whoever has a link to what is marked."""
    if step.name in PAIRS:
        pairs = reading.estate.pairs.get(step.name)
        told = np.zeros(len(reading.estate.table(step.kind)), dtype=np.bool_)
        if pairs is not None:
            told[pairs.left[mask[pairs.right]]] = True
        return told
    return taken(mask, rows=reading.link(step.kind, step.name))


def _down(reading: Reading, mask: Bools, *, step: Step) -> Bools:
    """What the marked ones have a link to."""
    told = np.zeros(len(reading.estate.table(step.other)), dtype=np.bool_)
    if step.name in PAIRS:
        pairs = reading.estate.pairs.get(step.name)
        if pairs is not None:
            told[pairs.right[mask[pairs.left]]] = True
        return told
    rows = reading.link(step.kind, step.name)[mask]
    told[rows[rows != NOWHERE]] = True
    return told


def _through_pools(reading: Reading, mask: Bools, *, step: Step) -> Bools:
    """A shared pool stands where the pools under it stand: volumes in either lead there."""
    if (step.kind, step.name) == ("volume", "pool"):
        if step.is_up:
            return mask | _shared(reading, mask)
        return mask | _carriers(reading, mask)
    return mask


def _shared(reading: Reading, mask: Bools) -> Bools:
    """Pools that lie on volumes of the marked pools."""
    pairs = reading.estate.pairs.get("backings")
    told = np.zeros(len(mask), dtype=np.bool_)
    if pairs is None or len(pairs) == 0:
        return told
    under = reading.link("volume", "pool")[pairs.right]
    is_known = under != NOWHERE
    told[pairs.left[is_known][mask[under[is_known]]]] = True
    return told


def _carriers(reading: Reading, mask: Bools) -> Bools:
    """Volumes under the shared pools that hold the marked volumes."""
    pairs = reading.estate.pairs.get("backings")
    told = np.zeros(len(mask), dtype=np.bool_)
    if pairs is None or len(pairs) == 0:
        return told
    pools = reading.link("volume", "pool")
    is_pool = np.zeros(len(reading.estate.table("pool")), dtype=np.bool_)
    inside = pools[mask]
    is_pool[inside[inside != NOWHERE]] = True
    told[pairs.right[is_pool[pairs.left]]] = True
    return told


def taken(mask: Bools, *, rows: Int64s) -> Bools:
    """Return what a mask says of the rows that links lead to; nowhere is never marked."""
    if len(mask) == 0:
        return np.zeros(len(rows), dtype=np.bool_)
    told: Bools = np.where(rows == NOWHERE, False, mask[rows])
    return told
