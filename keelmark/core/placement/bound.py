"""What no placement can be worth more than: the bound of the linear programme."""

from collections.abc import Sequence
from typing import Final

import numpy as np
from scipy.optimize import linprog

from keelmark.core.arrays import Bools, Float64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.placement.programme import programme_of
from keelmark.core.placement.question import Left, Placed, Question

FIRST_COLUMNS: Final = 6  # places of each workload that the programme begins with
OF_A_PLACE: Final = 2  # workloads of each place, that none is without
MORE_COLUMNS: Final = 4  # that are added where they would be worth more than is paid
NEAR_SHARE: Final = 2e-3  # of the bound: nearer to the programme's own worth it is not sought
WHOLE: Final = 1e-6
Prices = Sequence[Float64s]


def simple_bound(question: Question) -> float:
    """Return what all would be worth at their best places, were there room for everything."""
    best = question.worth.max(axis=1, initial=0.0)
    return float((np.maximum(best, 0.0) * question.units).sum())


class Bounding:
    """The linear programme of a question, solved over more and more of its places.

    Begun with some of each workload's best places and those of a placement that is ``near``.
    No placement is worth more than ``bound``. ``whole`` is what the programme places whole by now,
    ``above`` (n_workloads, n_places) what a unit would be worth there above the price of what it
    takes, and ``is_done`` says that the programme has nothing to add.

    Notes
    -----
    Solved over some places of each workload; more are added while they would be worth more than
    the room they take is priced at. The prices bound all placements at any time, over all places:
    what the room is worth, and for each workload the most that its units are worth above the
    price of what they take.

    References
    ----------
    Lasdon, L. S. (1970), "Optimization Theory for Large Systems", sections 3.3 and 3.7, for
    columns that are made while they are wanted and the bound by prices. We depart from it by
    stopping near it.
    """

    def __init__(self, question: Question, *, near: Placed) -> None:
        self.question = question
        self.alone = Left(question)
        workloads, places = np.arange(question.n_workloads), np.arange(question.n_places)
        self.worth = np.where(self.alone.ok(workloads, places), question.worth, -np.inf)
        self.rooms = [np.maximum(one.room, 0.0) for one in question.limits]
        self.bound = simple_bound(question)
        self.whole: dict[tuple[int, int], int] = {}
        columns = _best(self.worth, FIRST_COLUMNS)
        columns |= _best(np.ascontiguousarray(self.worth.T), OF_A_PLACE).T
        columns[near.workload, near.place] = True
        self.columns = columns & np.isfinite(self.worth)
        self.above = self.worth
        self.is_done = not self.columns.any()
        if self.is_done:
            self.bound = 0.0

    def go_on(self) -> None:
        """Solve it over the places that it knows, and add those that would be worth more."""
        solved = self._solved()
        if solved is None:  # what is known stands
            self.is_done = True
            return
        prices, paid, worth = solved
        self.above = above = self._above(prices)
        self.bound = min(self.bound, self._bound(prices, above))
        more = np.where(self.columns, -np.inf, above)
        wanted = _best(more, MORE_COLUMNS) & (more > paid[:, None] + WHOLE)
        self.columns = self.columns | wanted
        self.is_done = self.bound - worth <= NEAR_SHARE * self.bound or not wanted.any()

    def _above(self, prices: Prices) -> Float64s:
        """What a unit of each workload is worth above what it pays, at each place."""
        above = self.worth.copy()
        for limit, price in zip(self.question.limits, prices, strict=True):
            with_none = np.append(price, 0.0)
            if limit.at is not None:
                above -= limit.demand[:, None] * with_none[limit.at][None, :]
            elif limit.of is not None:
                above -= (limit.demand * with_none[limit.of])[:, None]
        return above

    def _paid(self, prices: Prices) -> float:
        return sum(
            float((price * room).sum()) for price, room in zip(prices, self.rooms, strict=True)
        )

    def _solved(self) -> tuple[Prices, Float64s, float] | None:
        """The prices of rooms, what the last unit of each workload is above them, all worth.

        None where the solver comes to no end.
        """
        workload, place = np.nonzero(self.columns)
        of = self.worth[workload, place]
        programme = programme_of(self.question, workload=workload, place=place)
        told = linprog(  # type: ignore[call-overload]  # it takes sparse ones
            -of, A_ub=programme.taken, b_ub=programme.rooms, bounds=(0, None), method="highs-ipm"
        )
        if told.x is None:
            return None
        placed = np.floor(told.x + WHOLE).astype(np.int64)
        self.whole = {
            (int(workload[one]), int(place[one])): int(placed[one])
            for one in np.flatnonzero(placed)
        }
        paid = np.maximum(-told.ineqlin.marginals, 0.0)
        prices = [
            paid[begin : begin + len(scale)] / scale
            for begin, scale in zip(programme.begins, programme.scales, strict=True)
        ]
        return prices, paid[: self.question.n_workloads], -float(told.fun)

    def _bound(self, prices: Prices, above: Float64s) -> float:
        """What no placement passes by these prices."""
        total = self._paid(prices)
        single = self.question.units == 1
        total += float(np.maximum(above[single].max(axis=1, initial=0.0), 0.0).sum())
        for row in np.flatnonzero(~single).tolist():
            n = int(self.question.units[row])
            best = np.flatnonzero(above[row] > 0)
            best = best[np.argsort(-above[row, best], kind="stable")]
            by = int(self.question.apart[row])
            if by != NOWHERE:  # the best of each group
                first = np.unique(self.question.groups[by][best], return_index=True)[1]
                best = best[np.sort(first)]
            best = best[:n]
            caps = self.alone.fits(row, best)
            before = np.concatenate([[0], np.cumsum(caps)])[:-1]
            goes = np.minimum(caps, np.maximum(n - before, 0))
            total += float((above[row, best] * goes).sum())
        return total


def _best(value: Float64s, n: int) -> Bools:
    """Which are the best few of each row."""
    told = np.zeros(value.shape, dtype=np.bool_)
    n = min(n, value.shape[1])
    if n == 0:
        return told
    np.put_along_axis(told, np.argpartition(-value, n - 1, axis=1)[:, :n], values=True, axis=1)
    return told
