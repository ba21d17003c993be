"""Many workloads placed together: exactly where they are few, else near a bound that is told."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp

from keelmark.core.placement.bound import Bounding, simple_bound
from keelmark.core.placement.greedy import fill, place_greedily, swap
from keelmark.core.placement.programme import programme_of
from keelmark.core.placement.question import Left, Placed, Question

EXACT_WORKLOADS: Final = 50
EXACT_PLACES: Final = 200
EXACT_SECONDS: Final = 2.0  # after which the best that is known is taken, with its gap
MOST_ROUNDS: Final = 5  # of the programme over more and more places
SWAPPED: Final = 100  # workloads: with more of them swaps take longer than they gain
NEAR_SHARE: Final = 0.015  # of the bound: nearer than this nothing better is looked for


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Assigned:
    """What went where, and what no placement is worth more than."""

    placed: Placed
    bound: float
    is_exact: bool

    @property
    def gap(self) -> float:
        """How far below the bound it is, as a share of the bound; 0 where that is reached."""
        return 0.0 if self.bound <= 0 else max(0.0, 1 - self.placed.worth / self.bound)


def assign(question: Question) -> Assigned:
    """Place as much as is worth most, by all limits together.

    Parameters
    ----------
    question : Question
        What is to be placed where.

    Returns
    -------
    Assigned
        All where each is worth most, if that is within the limits; few workloads over few places
        exactly. Else greedily by regret, then what the linear programme places whole and the rest
        by its prices, until that is near its bound; swaps if it never is.
    """
    if not np.isfinite(question.worth).any():
        return Assigned(placed=Left(question).placed, bound=0.0, is_exact=True)
    bound = simple_bound(question)
    if (all_at_best := _at_best(question)) is not None:
        return Assigned(placed=all_at_best, bound=bound, is_exact=True)
    n_workloads, n_places = question.worth.shape
    if n_workloads <= EXACT_WORKLOADS and n_places <= EXACT_PLACES:
        return _exact(question, bound=bound)
    best = Left(question)
    place_greedily(best)
    programme = Bounding(question, near=best.placed)
    for _ in range(MOST_ROUNDS):
        if programme.is_done:
            break
        programme.go_on()
        best = max(best, _rounded(question, programme), key=lambda one: one.placed.worth)
        if programme.bound - best.placed.worth <= NEAR_SHARE * programme.bound:
            return Assigned(placed=best.placed, bound=programme.bound, is_exact=False)
    if n_workloads <= SWAPPED:
        swap(best)
    return Assigned(placed=best.placed, bound=programme.bound, is_exact=False)


def _at_best(question: Question) -> Placed | None:
    """All of it where each is worth most, None where that is not within all limits."""
    left = Left(question)
    for workload, place in enumerate(question.worth.argmax(axis=1).tolist()):
        n = int(question.units[workload])
        if left.fits_one(workload, place) < n:
            return None
        left.put(workload, place, n)
    return left.placed


def _rounded(question: Question, programme: Bounding) -> Left:
    """What the programme places whole, and the rest by its prices."""
    left = Left(question)
    for (workload, place), n in programme.whole.items():
        fits = left.fits_one(workload, place)
        left.put(workload, place, min(n, fits))
    fill(left, above=programme.above)
    return left


def _exact(question: Question, *, bound: float) -> Assigned:
    """By branch and bound; the best known one where that takes too long."""
    alone, greedy = Left(question), Left(question)
    place_greedily(greedy)
    known = greedy.placed
    places = np.arange(question.n_places)
    caps = np.array([alone.fits(at, places) for at in range(question.n_workloads)])
    workload, place = np.nonzero(caps)
    if len(workload) == 0:
        return Assigned(placed=known, bound=0.0, is_exact=True)
    programme = programme_of(question, workload=workload, place=place)
    told = milp(
        -question.worth[workload, place],
        constraints=LinearConstraint(programme.taken, ub=programme.rooms),
        integrality=np.ones(len(workload), dtype=np.int64),
        bounds=Bounds(0, caps[workload, place]),
        options={"time_limit": EXACT_SECONDS, "mip_rel_gap": 0.0},
    )
    if told.mip_dual_bound is not None:
        bound = min(bound, -float(told.mip_dual_bound))
    if told.x is None:
        return Assigned(placed=known, bound=bound, is_exact=False)
    left = Left(question)
    for w, p, n in zip(workload.tolist(), place.tolist(), np.rint(told.x), strict=True):
        if n:
            left.put(w, p, min(int(n), left.fits_one(w, p)))
    place_greedily(left)  # what the solver's tolerance may have left over
    placed = max((left.placed, known), key=lambda one: one.worth)
    is_best = told.status == 0
    return Assigned(
        placed=placed, bound=max(bound, placed.worth) if is_best else bound, is_exact=is_best
    )
