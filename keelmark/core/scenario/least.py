"""The least that keeps every limit mark until a date: what is moved, what is added."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_array

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.units import TIB

MOST_WAYS: Final = 3_000  # of a group, a way being a volume and a pool, that the programme weighs
MOST_MOVED: Final = 300  # volumes of a group that it weighs, the largest first
MOST_WEIGHED: Final = 12  # volumes of a pool of which all sets are looked at
MOST_COVERS: Final = 24  # sets of those that are tried, the least first
SEARCH_SECONDS: Final = 2.0  # of all groups together
SLACK: Final = 1e-6  # of the solver
TOP_UP_WEIGHT: Final = 1_000.0  # a byte that is bought against one that is moved


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Wanting:
    """Pools (n_pools,) at a date, and what may be moved off those that would not hold.

    ``left_bytes`` is what may still come onto each so that its limit mark holds, below 0 what must
    go; NaN where nobody can judge. ``group`` is who may take from whom: pools of one class.
    ``limit_percent`` of what is added to a pool counts. ``volume_pool`` and ``volume_bytes``
    (n_volumes,) is what each volume will hold of its pool by then.
    """

    left_bytes: Float64s
    group: Int64s
    limit_percent: Int64s
    volume_pool: Int64s
    volume_bytes: Float64s


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Least:
    """What keeps every limit: volumes moved (n,) to pools (n,), and bytes added to each pool.

    ``bound_bytes`` is what must be added at least whatever is moved; ``is_exact`` where nothing
    less was left to be looked for.
    """

    volume: Int64s
    target: Int64s
    added_bytes: Float64s
    moved_bytes: float
    bound_bytes: float
    is_exact: bool


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Group:
    """Pools that may take from each other: some want bytes, and what lies on these may move.

    ``wants``, ``share`` and ``short`` (n_short,), ``room`` and ``places`` (n_places,), ``on`` and
    ``size`` (n_volumes,), the largest first: ``on`` counts in what is short. In TiB, all of it.
    """

    short: Int64s
    wants: Float64s
    share: Float64s
    places: Int64s
    room: Float64s
    volumes: Int64s
    on: Int64s
    size: Float64s

    def added(self, volume: Int64s) -> Float64s:
        """Return what must be added to what is short once some volumes have gone."""
        gone = np.bincount(self.on[volume], weights=self.size[volume], minlength=len(self.wants))
        return np.maximum(self.wants - gone, 0.0) / self.share

    def is_better(self, one: Int64s, other: Int64s) -> bool:
        """Return whether less is added once some volumes have gone than others, or less moved."""
        more = float(self.added(one).sum() - self.added(other).sum())
        if abs(more) > SLACK:
            return more < 0
        return float(self.size[one].sum()) < float(self.size[other].sum())

    @property
    def bound(self) -> float:
        """The fewest bytes to add, were what fits anywhere movable byte by byte."""
        fits = self.size <= self.room.max(initial=0.0)
        movable = np.bincount(self.on[fits], weights=self.size[fits], minlength=len(self.wants))
        stuck = np.maximum(self.wants - movable, 0.0)
        return max(self.beyond, float((stuck / self.share).sum()))

    @property
    def beyond(self) -> float:
        """What must be added since all wants are more than all that there is room for."""
        return float(self.wants.sum() - self.room.sum()) / float(self.share.max())


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Moved:
    """Volumes of a group and the places that they go to; whether nothing better is left.

    ``gap_share`` is by how much more is moved than the least that any way moves, infinite where it
    may be that less can be added.
    """

    volume: Int64s
    place: Int64s
    is_exact: bool
    gap_share: float = np.inf


def least_that_keeps(told: Wanting, *, gap_share: float = 0.0) -> Least:
    """Return the fewest bytes to add, and of those ways the fewest to move.

    Parameters
    ----------
    told : Wanting
        Pools that want bytes, and those that have some left.
    gap_share : float
        How near to the best it need be, as a share of it; nearer is not looked for.

    Notes
    -----
    Groups have nothing to do with each other. Of each, one pool after the other, the one that
    wants most first, is rid of the least set of volumes that covers it and finds places, each in
    the fullest that has room. Where that does not prove to be the best, a mixed integer programme
    by HiGHS looks for a better one, over the largest volumes and the pools with the most room where
    there are too many, for two seconds in all. The bound is over all volumes and pools, as if
    bytes could be moved one by one: nothing less need be added than what the pools of a group want
    together beyond what its others have left, or than what cannot be moved off a pool at all.
    """
    groups = _groups(told)

    def better(group: _Group, by_hand: _Moved) -> _Moved:
        found = _programmed(group, gap_share=gap_share, seconds=seconds)
        if found is None or group.is_better(by_hand.volume, found.volume):
            return by_hand
        return found

    ways = [_by_hand(one) for one in groups]
    is_near = [way.is_exact or way.gap_share <= gap_share for way in ways]
    seconds = SEARCH_SECONDS / max(is_near.count(False), 1)
    return _together(
        told, groups,
        [way if near else better(group, way)
         for group, way, near in zip(groups, ways, is_near, strict=True)],
    )  # fmt: skip


def _together(told: Wanting, groups: list[_Group], ways: list[_Moved]) -> Least:
    added = np.zeros(len(told.left_bytes))
    none = np.zeros(0, dtype=np.int64)
    for group, way in zip(groups, ways, strict=True):
        added[group.short] = np.ceil(group.added(way.volume) * TIB)
    volume = np.concatenate(
        [none, *(group.volumes[way.volume] for group, way in zip(groups, ways, strict=True))]
    )
    target = np.concatenate(
        [none, *(group.places[way.place] for group, way in zip(groups, ways, strict=True))]
    )
    return Least(
        volume=volume, target=target, added_bytes=added,
        moved_bytes=float(told.volume_bytes[volume].sum()),
        bound_bytes=sum(group.bound for group in groups) * TIB,
        is_exact=all(way.is_exact for way in ways),
    )  # fmt: skip


def with_room(told: Wanting, *, more_bytes: Sequence[float] | Float64s) -> Wanting:
    """Return the same, with so many bytes less left on each pool: what a try left short."""
    return replace(told, left_bytes=told.left_bytes - np.asarray(more_bytes))


def _groups(told: Wanting) -> list[_Group]:
    """The groups in which anything is short."""
    wants = np.nan_to_num(np.maximum(-told.left_bytes, 0.0)) / TIB
    room = np.nan_to_num(np.maximum(told.left_bytes, 0.0)) / TIB
    size = np.nan_to_num(told.volume_bytes) / TIB
    moves = np.flatnonzero((wants[told.volume_pool] > 0) & (size > 0))
    moves = moves[np.argsort(-size[moves], kind="stable")]
    group_of = told.group[told.volume_pool[moves]]
    place = np.zeros(len(wants), dtype=np.int64)
    groups = []
    for one in np.unique(told.group[wants > 0]).tolist():
        mine = told.group == one
        short, places = np.flatnonzero(mine & (wants > 0)), np.flatnonzero(mine & (room > 0))
        places = places[np.argsort(-room[places], kind="stable")]
        place[short] = np.arange(len(short))
        volumes = moves[group_of == one]
        groups.append(
            _Group(
                short=short, wants=wants[short], share=told.limit_percent[short] / 100.0,
                places=places, room=room[places],
                volumes=volumes, on=place[told.volume_pool[volumes]], size=size[volumes],
            )
        )  # fmt: skip
    return groups


def _by_hand(group: _Group) -> _Moved:
    """Each pool that wants, most first, is rid of what covers it with the least to move.

    No way that adds as little moves less than each pool would, were it alone; where the room is not
    enough for all, than what is not added.
    """
    room = group.room.copy()
    goes: list[int] = []
    to: list[int] = []
    least_moved = 0.0
    fits = group.size <= room.max(initial=0.0)
    for short in np.argsort(-group.wants, kind="stable").tolist():
        want = float(group.wants[short])
        lie = np.flatnonzero((group.on == short) & fits)  # the largest first
        covers, is_all = _covers(group.size[lie], want)
        alone = float(group.size[lie[covers[0]]].sum()) if covers and is_all else want
        least_moved += min(alone, float(group.size[lie].sum()))
        for some in covers:
            if (places := _put(group.size[lie[some]], room)) is not None:
                break
        else:
            some, places = _as_much_as_fits(group.size[lie], want, room)
        room -= np.bincount(places, weights=group.size[lie[some]], minlength=len(room))
        goes += lie[some].tolist()
        to += places.tolist()
    if group.bound == group.beyond:
        least_moved = float(group.wants.sum()) - group.bound * float(group.share.max())
    volume = np.array(goes, dtype=np.int64)
    moved = float(group.size[volume].sum())
    is_least_added = float(group.added(volume).sum()) <= group.bound + SLACK
    gap_share = (moved - least_moved) / max(least_moved, SLACK) if is_least_added else np.inf
    return _Moved(
        volume=volume, place=np.array(to, dtype=np.int64), is_exact=gap_share <= SLACK,
        gap_share=gap_share,
    )  # fmt: skip


def _covers(size: Float64s, want: float) -> tuple[list[Int64s], bool]:
    """Some sets of volumes that hold what is wanted, the least first; whether all were looked at.

    Of many volumes the largest go first, as long as they hold no more than is wanted.
    """
    first: list[int] = []
    left = want
    for at in range(len(size) - MOST_WEIGHED):
        if size[at] <= left:
            first.append(at)
            left -= float(size[at])
    rest = np.arange(max(len(size) - MOST_WEIGHED, 0), len(size))
    sets = np.arange(1 << len(rest))[:, None] >> np.arange(len(rest))[None, :] & 1
    sums = sets @ size[rest]
    enough = np.flatnonzero(sums >= left)
    enough = enough[np.argsort(sums[enough], kind="stable")][:MOST_COVERS]
    told = [np.append(np.array(first, dtype=np.int64), rest[sets[one] == 1]) for one in enough]
    return told, len(size) <= MOST_WEIGHED


def _put(size: Float64s, room: Float64s) -> Int64s | None:
    """Where some volumes go, the largest first, each where it fits tightest; None: not all fit."""
    left, places = room.copy(), np.zeros(len(size), dtype=np.int64)
    for at in np.argsort(-size, kind="stable").tolist():
        fits = np.flatnonzero(left >= size[at])
        if not len(fits):
            return None
        places[at] = fits[left[fits].argmin()]
        left[places[at]] -= size[at]
    return places


def _as_much_as_fits(size: Float64s, want: float, room: Float64s) -> tuple[Int64s, Int64s]:
    """Volumes that fit one after the other, until no more is wanted, and where they go."""
    left, some, places = room.copy(), [], []
    for at in range(len(size)):
        fits = np.flatnonzero(left >= size[at])
        if want <= 0 or not len(fits):
            continue
        places.append(int(fits[left[fits].argmin()]))
        some.append(at)
        left[places[-1]] -= size[at]
        want -= float(size[at])
    return np.array(some, dtype=np.int64), np.array(places, dtype=np.int64)


def _ways(group: _Group) -> tuple[Int64s, Int64s, bool]:
    """Volumes beside the places to which each might go, and whether these are all."""
    n_volumes = min(len(group.size), MOST_MOVED)
    n_places = min(len(group.room), max(MOST_WAYS // max(n_volumes, 1), 1))
    size, room = group.size[:n_volumes], group.room[:n_places]
    volume, place = np.nonzero(size[:, None] <= room[None, :])
    is_all = n_volumes == len(group.size) and n_places == len(group.room)
    return volume, place, is_all


def _programmed(group: _Group, *, gap_share: float, seconds: float) -> _Moved | None:
    """The best of the ways that are weighed; None where none was found in time."""
    volume, place, is_all = _ways(group)
    n_ways, n_short = len(volume), len(group.wants)
    size, at = group.size[volume], np.arange(len(volume))
    width = n_ways + n_short
    leaves = coo_array(
        (np.concatenate([size, group.share]),
         (np.concatenate([group.on[volume], np.arange(n_short)]),
          np.concatenate([at, n_ways + np.arange(n_short)]))),
        shape=(n_short, width),
    )  # fmt: skip
    constraints = [LinearConstraint(leaves.tocsr(), lb=group.wants)]
    if n_ways:
        comes = coo_array((size, (place, at)), shape=(len(group.room), width))
        once = coo_array((np.ones(n_ways), (volume, at)), shape=(len(group.size), width))
        constraints += [
            LinearConstraint(comes.tocsr(), ub=group.room),
            LinearConstraint(once.tocsr(), ub=np.ones(len(group.size))),
        ]
    found = milp(
        np.concatenate([size, np.full(n_short, TOP_UP_WEIGHT)]),
        constraints=constraints,
        integrality=np.concatenate([np.ones(n_ways), np.zeros(n_short)]),
        bounds=Bounds(0, np.concatenate([np.ones(n_ways), np.full(n_short, np.inf)])),
        options={"time_limit": seconds, "mip_rel_gap": gap_share},
    )
    if found.x is None:
        return None
    chosen: Bools = found.x[:n_ways] > 0.5  # noqa: PLR2004  # of 0 and 1, as the solver rounds
    is_best = found.status == 0 and (found.mip_gap or 0.0) <= SLACK
    return _Moved(volume=volume[chosen], place=place[chosen], is_exact=is_all and is_best)
