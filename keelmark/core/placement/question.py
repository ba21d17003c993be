"""Many workloads and the places they might go to, as columns of what adds up and what does not."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.estate.columns import NOWHERE

SLACK = 1e-9  # of a room: sums of floats that differ by less are the same


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Limit:
    """One kind of room that adds up: bytes of pools, minimums of arrays, CPUs of clusters.

    ``room`` (n_rows,) is what is left before anything is placed. ``demand`` (n_workloads,) is
    what one unit of each workload takes, and ``at`` (n_places,) from which row, NOWHERE where a
    place takes from none. ``of`` (n_workloads,) instead, where the row goes by the workload: a
    tenant's quota, wherever its bytes lie.
    """

    name: str
    room: Float64s
    demand: Float64s
    at: Int64s | None = None
    of: Int64s | None = None

    def rows(self, n_workloads: int, n_places: int) -> Int64s:
        """Return the row each workload takes from at each place, (n_workloads, n_places)."""
        told = self.at[None, :] if self.at is not None else _column(self.of)
        return np.broadcast_to(told, (n_workloads, n_places))

    def rows_at(self, workload: int, places: Int64s) -> Int64s:
        """Return the row that one workload takes from at some places."""
        if self.at is not None:
            return self.at[places]
        return np.full(len(places), self.row(workload, 0))

    def row(self, workload: int, place: int) -> int:
        """Return the row that one workload takes from at one place."""
        if self.at is not None:
            return int(self.at[place])
        return NOWHERE if self.of is None else int(self.of[workload])


def _column(of: Int64s | None) -> Int64s:
    return np.zeros((0, 1), dtype=np.int64) if of is None else of[:, None]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Question:
    """What is to be placed where.

    Parameters
    ----------
    worth : (n_workloads, n_places) float64
        What a unit there is worth, above 0; -inf where it must not go whatever is left.
    units : (n_workloads,) int64
        Into how many equal parts a workload comes apart; 1 keeps it together.
    limits : sequence of Limit
        What all that is placed takes together.
    apart : (n_workloads,) int64
        Which of ``groups`` may hold one unit of a workload at most, NOWHERE where any may hold
        several.
    groups : sequence of (n_places,) int64
        The pool, the array, the site … of each place.

    Raises
    ------
    ShapeError
        If lengths differ.
    RangeError
        If a demand, a number of units or a worth is below nought.
    """

    worth: Float64s
    units: Int64s
    limits: Sequence[Limit]
    apart: Int64s
    groups: Sequence[Int64s] = ()

    def __post_init__(self) -> None:
        """Refuse what does not belong together."""
        n_workloads, n_places = self.worth.shape
        for name, told, wanted in (
            ("units", self.units.shape, (n_workloads,)),
            ("apart", self.apart.shape, (n_workloads,)),
            *((f"groups[{at}]", one.shape, (n_places,)) for at, one in enumerate(self.groups)),
            *((f"{one.name}.demand", one.demand.shape, (n_workloads,)) for one in self.limits),
            *((f"{one.name}.at", one.at.shape, (n_places,)) for one in self.limits
              if one.at is not None),
            *((f"{one.name}.of", one.of.shape, (n_workloads,)) for one in self.limits
              if one.of is not None),
        ):  # fmt: skip
            if told != wanted:
                raise ShapeError(argument=name, wanted=str(wanted), found=told)
        for one in self.limits:
            if (one.at is None) == (one.of is None):
                raise RangeError(argument=one.name, found="both or none", wanted="one of at and of")
            if (one.demand < 0).any():
                raise RangeError(argument=one.name, found="below 0", wanted="demands of 0 or more")
        if (self.units < 1).any() or (self.worth[np.isfinite(self.worth)] <= 0).any():
            raise RangeError(argument="units, worth", found="below", wanted="1 unit, worth above 0")

    @property
    def n_workloads(self) -> int:
        """How many workloads there are."""
        return len(self.units)

    @property
    def n_places(self) -> int:
        """How many places there are."""
        return int(self.worth.shape[1])


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Placed:
    """Which units went where: one row each workload and place, (n,) each.

    ``worth`` is what that is worth in all.
    """

    workload: Int64s
    place: Int64s
    n_units: Int64s
    worth: float

    def n_of(self, workload: int) -> int:
        """Return how many units of a workload are placed."""
        return int(self.n_units[self.workload == workload].sum())


def placed_of(question: Question, counts: dict[tuple[int, int], int]) -> Placed:
    """Return what is placed out of how many units each workload has at each place."""
    told = sorted((key, n) for key, n in counts.items() if n)
    workload = np.array([key[0] for key, _ in told], dtype=np.int64)
    place = np.array([key[1] for key, _ in told], dtype=np.int64)
    n_units = np.array([n for _, n in told], dtype=np.int64)
    worth = float((question.worth[workload, place] * n_units).sum()) if told else 0.0
    return Placed(workload=workload, place=place, n_units=n_units, worth=worth)


class Left:
    """What is left while units are placed and taken away again."""

    def __init__(self, question: Question) -> None:
        self.question = question
        self.rooms = [one.room.astype(np.float64).copy() for one in question.limits]
        self.slack = [SLACK * np.maximum(np.abs(one.room), 1.0) for one in question.limits]
        self.counts: dict[tuple[int, int], int] = {}
        self.in_group: dict[tuple[int, int], int] = {}
        self.units = question.units.copy()

    def fits(self, workload: int, places: Int64s) -> Int64s:
        """Return how many units of a workload still fit at each of some places."""
        question = self.question
        most = np.where(
            np.isfinite(question.worth[workload, places]), self.units[workload], 0
        ).astype(np.float64)
        for limit, room, slack in zip(question.limits, self.rooms, self.slack, strict=True):
            demand = limit.demand[workload]
            if demand == 0:
                continue
            rows = limit.rows_at(workload, places)
            if len(room) == 0:
                continue
            # From none as much as is wanted.
            free = np.where(rows == NOWHERE, np.inf, room[rows] + slack[rows])
            most = np.minimum(most, np.floor(free / demand))
        by = int(question.apart[workload])
        if by != NOWHERE:
            groups = question.groups[by][places].tolist()
            taken = np.array([self.in_group.get((workload, one), 0) for one in groups])
            most = np.minimum(most, 1 - np.minimum(taken, 1))
        return np.maximum(most, 0).astype(np.int64)

    def fits_one(self, workload: int, place: int) -> int:
        """Return how many units of a workload still fit at one place."""
        question = self.question
        if not np.isfinite(question.worth[workload, place]):
            return 0
        most = float(self.units[workload])
        for limit, room, slack in zip(question.limits, self.rooms, self.slack, strict=True):
            demand, row = float(limit.demand[workload]), limit.row(workload, place)
            if demand > 0 and row != NOWHERE:
                most = min(most, float(room[row] + slack[row]) // demand)
        by = int(question.apart[workload])
        if by != NOWHERE:
            group = int(question.groups[by][place])
            most = min(most, 1 - min(self.in_group.get((workload, group), 0), 1))
        return max(int(most), 0)

    def ok(self, workloads: Int64s, places: Int64s) -> Bools:
        """Return which of some workloads still fit a unit at which of some places."""
        question = self.question
        told = np.isfinite(question.worth[np.ix_(workloads, places)])
        for limit, room, slack in zip(question.limits, self.rooms, self.slack, strict=True):
            demand = limit.demand[workloads]
            if limit.at is not None:
                free = np.append(room + slack, np.inf)[limit.at[places]][None, :]
            else:
                rows = _column(limit.of)[workloads, 0]
                free = np.append(room + slack, np.inf)[rows][:, None]
            told &= (demand[:, None] <= free) | (demand[:, None] == 0)
        for workload, group in self.in_group:
            by = int(question.apart[workload])
            at = np.flatnonzero(workloads == workload)
            if len(at) and self.in_group[workload, group]:
                told[np.ix_(at, question.groups[by][places] == group)] = False
        return told

    def put(self, workload: int, place: int, n: int) -> None:
        """Place units; a number below nought takes them away again."""
        key = workload, place
        self.counts[key] = self.counts.get(key, 0) + n
        self.units[workload] -= n
        for limit, room in zip(self.question.limits, self.rooms, strict=True):
            row = limit.row(workload, place)
            if row != NOWHERE:
                room[row] -= n * limit.demand[workload]
        by = int(self.question.apart[workload])
        if by != NOWHERE:
            group = workload, int(self.question.groups[by][place])
            self.in_group[group] = self.in_group.get(group, 0) + n

    @property
    def placed(self) -> Placed:
        """What is placed by now."""
        return placed_of(self.question, self.counts)
