"""One workload after another to where it is worth most, who would lose most by waiting first."""

from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.placement.question import Left, Question

TRIED_PLACES: Final = 24  # of one that found no place, the best of them
TRIED_SWAPS: Final = 12  # of those that stand in its way at one place
MOST_ROUNDS: Final = 4


def place_greedily(left: Left) -> None:
    """Place all that still fits: who has most to lose between its best and second place first.

    References
    ----------
    Martello, S. and Toth, P. (1990), "Knapsack Problems", section 7.4, for the regret by which
    items are ordered. We depart from it by limits that several places share, and by workloads of
    many units, of which as many as fit go at once.
    """
    question = left.question
    if question.n_workloads == 0 or question.n_places == 0:
        return
    choices = _Choices(left)
    while (workload := choices.next()) is not None:
        place = int(choices.best[workload])
        n = left.fits_one(workload, place)
        if n == 0:
            choices.close(workload, place)
            continue
        left.put(workload, place, n)
        choices.after(workload, place)


def fill(left: Left, *, above: Float64s) -> None:
    """Place what is left by what it is worth above the price of its room, the most first."""
    places = np.arange(left.question.n_places)
    for workload in np.argsort(-above.max(axis=1, initial=-np.inf), kind="stable").tolist():
        if left.units[workload] <= 0:
            continue
        can = places[left.fits(workload, places) > 0]
        for place in can[np.argsort(-above[workload, can], kind="stable")].tolist():
            n = left.fits_one(workload, place)
            if n:
                left.put(workload, place, n)
            if left.units[workload] <= 0:
                break


class _Choices:
    """The best and the second best place of every workload, while places fill up."""

    def __init__(self, left: Left) -> None:
        question = left.question
        self.left = left
        all_of, places = np.arange(question.n_workloads), np.arange(question.n_places)
        self.value = np.where(left.ok(all_of, places), question.worth, -np.inf)
        self.value[left.units <= 0] = -np.inf
        n = question.n_workloads
        self.best, self.next_best = np.zeros((2, n), dtype=np.int64)
        self.first, self.second = np.full((2, n), -np.inf)
        self.size = _sizes(question)
        self._told(all_of)

    def _told(self, rows: Int64s) -> None:
        value = self.value[rows]
        at = np.arange(len(rows))
        self.best[rows] = best = value.argmax(axis=1)
        self.first[rows] = value[at, best]
        value[at, best] = -np.inf
        self.next_best[rows] = second = value.argmax(axis=1)
        self.second[rows] = value[at, second]

    def next(self) -> int | None:
        """Who comes next, None where nobody fits anywhere any more."""
        can = np.flatnonzero(np.isfinite(self.first))
        if len(can) == 0:
            return None
        regret = self.first[can] - self.second[can]  # inf where there is no second
        most = can[regret == regret.max()]
        # Of equals the largest: what is small still fits afterwards.
        return int(most[self.size[most].argmax()])

    def close(self, workload: int, place: int) -> None:
        self.value[workload, place] = -np.inf
        self._told(np.array([workload]))

    def after(self, workload: int, place: int) -> None:
        """Tell anew who can go where, after something was placed."""
        left, question = self.left, self.left.question
        if left.units[workload] <= 0:
            self.value[workload] = -np.inf
        for limit, room, slack in zip(question.limits, left.rooms, left.slack, strict=True):
            row = limit.row(workload, place)
            if row == NOWHERE or limit.demand[workload] == 0:
                continue
            is_short = (limit.demand > room[row] + slack[row]) & (limit.demand > 0)
            if not is_short.any():
                continue
            if limit.at is not None:
                self.value[np.ix_(is_short, limit.at == row)] = -np.inf
            elif limit.of is not None:
                self.value[is_short & (limit.of == row)] = -np.inf
        by = int(question.apart[workload])
        if by != NOWHERE:
            groups = question.groups[by]
            self.value[workload, groups == groups[place]] = -np.inf
        all_of = np.arange(question.n_workloads)
        is_gone = np.isneginf(self.value[all_of, self.best]) & np.isfinite(self.first)
        is_gone |= np.isneginf(self.value[all_of, self.next_best]) & np.isfinite(self.second)
        is_gone[workload] = True
        self._told(np.flatnonzero(is_gone))


def _sizes(question: Question) -> Float64s:
    """How much of all that there is one unit of each workload takes, at most of any kind."""
    told = np.zeros(question.n_workloads)
    for limit in question.limits:
        whole = float(np.maximum(limit.room, 0).sum())
        if whole > 0:
            told = np.maximum(told, limit.demand / whole)
    return told


def swap(left: Left) -> None:
    """Make room for what found none by moving one that is placed, and move to better places."""
    for _ in range(MOST_ROUNDS):
        gained = False
        for workload in np.argsort(-left.question.worth.max(axis=1), kind="stable").tolist():
            while left.units[workload] > 0 and _squeezed_in(left, workload):
                gained = True
        gained |= _improved(left)
        if not gained:
            return


def _squeezed_in(left: Left, workload: int) -> bool:
    question = left.question
    worth = question.worth[workload]
    order = np.argsort(-worth, kind="stable")[:TRIED_PLACES]
    for place in order[np.isfinite(worth[order])].tolist():
        if left.fits_one(workload, place):
            left.put(workload, place, 1)
            return True
        for other, stands in _in_the_way(left, workload, place)[:TRIED_SWAPS]:
            left.put(other, stands, -1)
            if left.fits_one(workload, place):
                left.put(workload, place, 1)
                onto = _best_place(left, other, but=stands)
                gain = float(worth[place] - question.worth[other, stands])
                if onto is not None:
                    left.put(other, onto, 1)
                    gain += float(question.worth[other, onto])
                if gain > 0:
                    return True
                if onto is not None:
                    left.put(other, onto, -1)
                left.put(workload, place, -1)
            left.put(other, stands, 1)
    return False


def _in_the_way(left: Left, workload: int, place: int) -> list[tuple[int, int]]:
    """Who is placed and takes from a row that has too little left for one, least worth first."""
    question = left.question
    short: list[tuple[int, int]] = []
    for k, (limit, room, slack) in enumerate(
        zip(question.limits, left.rooms, left.slack, strict=True)
    ):
        row = limit.row(workload, place)
        if row != NOWHERE and limit.demand[workload] > room[row] + slack[row]:
            short.append((k, row))
    told = []
    for (other, stands), n in left.counts.items():
        if n <= 0 or other == workload:
            continue
        if all(
            question.limits[k].row(other, stands) == row and question.limits[k].demand[other] > 0
            for k, row in short
        ):
            told.append((float(question.worth[other, stands]), other, stands))
    return [(other, stands) for _, other, stands in sorted(told)]


def _best_place(left: Left, workload: int, *, but: int) -> int | None:
    value = _open_worth(left, workload)
    value[but] = -np.inf
    best = int(value.argmax())
    return best if np.isfinite(value[best]) else None


def _open_worth(left: Left, workload: int) -> Float64s:
    question = left.question
    ok: Bools = left.ok(np.array([workload]), np.arange(question.n_places))[0]
    told: Float64s = np.where(ok, question.worth[workload], -np.inf)
    return told


def _improved(left: Left) -> bool:
    """Move units to where they are worth more, as far as that is free."""
    gained = False
    for workload, place in [key for key, n in left.counts.items() if n > 0]:
        while left.counts[workload, place] > 0:
            left.put(workload, place, -1)
            onto = _best_place(left, workload, but=place)
            worth = left.question.worth[workload]
            if onto is None or worth[onto] <= worth[place]:
                left.put(workload, place, 1)
                break
            left.put(workload, onto, 1)
            gained = True
    return gained
