"""The least that keeps every limit mark until a date, and by how much growth may exceed it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_array

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.forecast import Outlook, runway
from keelmark.core.forecast.changed import grown
from keelmark.core.units import TIB

MOST_TARGETS: Final = 6  # pools of a class that are looked at, those with the most room
MOST_MOVED: Final = 400  # volumes that are looked at, the largest of each pool first
SEARCH_SECONDS: Final = 2.0
SLACK: Final = 1e-6  # of the solver
TOP_UP_WEIGHT: Final = 1_000.0  # a byte that is bought against one that is moved
MOST_GROWTH: Final = 8.0  # times the forecast that are looked at
N_HALVINGS: Final = 10


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
    A mixed integer programme over the largest volumes of pools that want, and the pools of their
    group with the most room: what moves leaves one and takes of the other, what is added counts up
    to the limit mark. By HiGHS; after two seconds the best that is known. The bound is over all
    volumes and pools, as if bytes could be moved one by one: of a group nothing less need be added
    than what its pools want together beyond what its others have left, or than what cannot be
    moved off a pool at all.
    """
    n = len(told.left_bytes)
    wants = np.nan_to_num(np.maximum(-told.left_bytes, 0.0))
    room = np.nan_to_num(np.maximum(told.left_bytes, 0.0))
    bound = _bound(told, wants=wants, room=room)
    short = np.flatnonzero(wants > 0)
    if len(short) == 0:
        none = np.zeros(0, dtype=np.int64)
        return Least(
            volume=none, target=none, added_bytes=np.zeros(n), moved_bytes=0.0, bound_bytes=0.0,
            is_exact=True,
        )  # fmt: skip
    volume, target = _ways(told, wants=wants, room=room)
    chosen, added, is_exact = _solved(
        told, volume, target, wants=wants, room=room, short=short, gap_share=gap_share
    )
    volume, target = volume[chosen], target[chosen]
    return Least(
        volume=volume, target=target, added_bytes=added,
        moved_bytes=float(told.volume_bytes[volume].sum()), bound_bytes=bound,
        is_exact=is_exact,
    )  # fmt: skip


def _bound(told: Wanting, *, wants: Float64s, room: Float64s) -> float:
    """The fewest bytes to add, were all that lies on a pool movable byte by byte."""
    n = len(wants)
    movable = np.bincount(told.volume_pool, weights=np.nan_to_num(told.volume_bytes), minlength=n)[
        :n
    ]
    share = told.limit_percent / 100.0
    stuck = np.maximum(wants - movable, 0.0)
    total = 0.0
    for group in np.unique(told.group[wants > 0]).tolist():
        mine = told.group == group
        beyond = max(float(wants[mine].sum() - room[mine].sum()), float(stuck[mine].sum()))
        total += beyond / float(share[mine & (wants > 0)].max())
    return total


def _ways(told: Wanting, *, wants: Float64s, room: Float64s) -> tuple[Int64s, Int64s]:
    """Volumes beside the pools to which each might go."""
    volumes: list[int] = []
    targets: list[int] = []
    order = np.argsort(-np.nan_to_num(told.volume_bytes), kind="stable")
    looked = [row for row in order.tolist() if wants[told.volume_pool[row]] > 0
              and told.volume_bytes[row] > 0][:MOST_MOVED]  # fmt: skip
    by_group: dict[int, list[int]] = {}
    for row in looked:
        group = int(told.group[told.volume_pool[row]])
        if group not in by_group:
            mine = np.flatnonzero((told.group == group) & (room > 0))
            by_group[group] = mine[np.argsort(-room[mine], kind="stable")][:MOST_TARGETS].tolist()
        fitting = [pool for pool in by_group[group] if room[pool] >= told.volume_bytes[row]]
        volumes += [row] * len(fitting)
        targets += fitting
    return np.array(volumes, dtype=np.int64), np.array(targets, dtype=np.int64)


def _solved(
    told: Wanting,
    volume: Int64s,
    target: Int64s,
    *,
    wants: Float64s,
    room: Float64s,
    short: Int64s,
    gap_share: float,
) -> tuple[Bools, Float64s, bool]:
    """Which of the ways are taken, and what is added to each pool."""
    n_ways, n_short = len(volume), len(short)
    size = told.volume_bytes[volume] / TIB
    at = np.arange(n_ways)
    share = told.limit_percent[short] / 100.0
    place = np.full(len(wants), NOWHERE, dtype=np.int64)
    place[short] = np.arange(n_short)
    leaves = coo_array(
        (np.concatenate([size, share]),
         (np.concatenate([place[told.volume_pool[volume]], np.arange(n_short)]),
          np.concatenate([at, n_ways + np.arange(n_short)]))),
        shape=(n_short, n_ways + n_short),
    )  # fmt: skip
    constraints = [LinearConstraint(leaves.tocsr(), lb=wants[short] / TIB)]
    if n_ways:
        taken, by_pool = np.unique(target, return_inverse=True)
        comes = coo_array((size, (by_pool, at)), shape=(len(taken), n_ways + n_short))
        moved, by_volume = np.unique(volume, return_inverse=True)
        once = coo_array((np.ones(n_ways), (by_volume, at)), shape=(len(moved), n_ways + n_short))
        constraints += [
            LinearConstraint(comes.tocsr(), ub=room[taken] / TIB),
            LinearConstraint(once.tocsr(), ub=np.ones(len(moved))),
        ]
    found = milp(
        np.concatenate([size, np.full(n_short, TOP_UP_WEIGHT)]),
        constraints=constraints,
        integrality=np.concatenate([np.ones(n_ways), np.zeros(n_short)]),
        bounds=Bounds(0, np.concatenate([np.ones(n_ways), np.full(n_short, np.inf)])),
        options={"time_limit": SEARCH_SECONDS, "mip_rel_gap": gap_share},
    )
    added = np.zeros(len(wants))
    if found.x is None:  # to add everything always does
        added[short] = wants[short] / share
        return np.zeros(n_ways, dtype=np.bool_), added, False
    chosen: Bools = found.x[:n_ways] > 0.5  # noqa: PLR2004  # of 0 and 1, as the solver rounds
    gone = np.bincount(
        told.volume_pool[volume[chosen]], weights=told.volume_bytes[volume[chosen]],
        minlength=len(wants),
    )  # fmt: skip
    added[short] = np.ceil(np.maximum(wants[short] - gone[short], 0.0) / share)
    return chosen, added, found.status == 0 and (found.mip_gap or 0.0) <= SLACK


@dataclass(frozen=True, slots=True, kw_only=True)
class Stands:
    """How many times the growth of its forecast a plan stands, and what fails first beyond it.

    ``times`` is 0 where not even growth as it is forecast is stood, 8 where that and more is;
    ``first`` is a row, NOWHERE where nothing fails.
    """

    times: float
    first: int


def growth_that_is_stood(
    of: Outlook, *, mark_bytes: Int64s, planned_bytes: Float64s, until_days: Int64s
) -> Stands:
    """Return how many times the growth of its forecast a plan stands before a limit is reached.

    Parameters
    ----------
    of : Outlook
        Of (n_series,) things.
    mark_bytes : (n_series,) int64
        The levels that must not be reached.
    planned_bytes : (n_series, n_days) float64
        What is planned on each day after each one's last reading.
    until_days : (n_series,) int64
        Days after each one's last reading, at most n_days, by which none must be reached, even
        odds.

    Raises
    ------
    RangeError
        If a day is beyond what is planned.
    """
    n_days = planned_bytes.shape[1]
    if int(until_days.max(initial=0)) > n_days:
        raise RangeError(argument="until_days", found=int(until_days.max()), wanted=f"{n_days}")

    def left(times: float, rows: Int64s) -> Float64s:
        """Days that some rows have left, 0 or fewer where one fails."""
        way = runway(
            grown(of.of_rows(rows), times=times), mark_bytes=mark_bytes[rows],
            horizon_days=n_days, added_bytes=planned_bytes[rows],
        )  # fmt: skip
        return np.where(np.isnan(way.likely_days), np.inf, way.likely_days - until_days[rows])

    rows = np.arange(len(mark_bytes))
    if (days := left(1.0, rows)).min(initial=np.inf) <= 0:
        return Stands(times=0.0, first=int(days.argmin()))
    if (days := left(MOST_GROWTH, rows)).min(initial=np.inf) > 0:
        return Stands(times=MOST_GROWTH, first=NOWHERE)
    low, high, first = 1.0, MOST_GROWTH, int(days.argmin())
    failing = rows[days <= 0]  # what holds at so much growth holds at less
    for _ in range(N_HALVINGS):
        middle = (low + high) / 2
        days = left(middle, failing)
        if days.min(initial=np.inf) > 0:
            low = middle
        else:
            high, first = middle, int(failing[days.argmin()])
            failing = failing[days <= 0]
    return Stands(times=low, first=first)


def with_room(told: Wanting, *, more_bytes: Sequence[float] | Float64s) -> Wanting:
    """Return the same, with so many bytes less left on each pool: what a try left short."""
    return replace(told, left_bytes=told.left_bytes - np.asarray(more_bytes))
