"""Many workloads placed at once, beside simpler ways and the whole programme in one go.

    python -m bench.placement [n_workloads n_pools]

Prints what each way is worth of the bound that no placement can pass, how many of all VMs found a
place, and how long it took. Made-up pools of a `large` estate, 50 on each array; what is asked for
is about nine tenths of what there is room for, so that not everything fits.
"""

import sys
import time
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, linprog, milp

from bench.scenario import large_estate
from bench.sizes import size
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import read
from keelmark.core.placement.assigning import Assigned, assign
from keelmark.core.placement.ground import Ground
from keelmark.core.placement.of_estate import Beside, ground_of
from keelmark.core.placement.programme import programme_of
from keelmark.core.placement.question import Left, Limit, Question
from keelmark.core.placement.ranking import Weights, place_together
from keelmark.core.placement.workloads import DiskAsked, Workload
from keelmark.core.units import GIB

POOLS_AN_ARRAY = 50
CLASSES = 3
SECONDS = size(30, tiny=1)  # that the straight programme may take
TIGHTNESS = (0.5, 0.95, 1.1)  # what is asked for, of what there is room for


def asked(*, n_workloads: int, n_pools: int, tightness: float, seed: int = 7) -> Question:
    """Workloads of one to forty VMs, some together, some kept apart by array."""
    rng = np.random.default_rng(seed)
    n_arrays = max(1, n_pools // POOLS_AN_ARRAY)
    array = np.arange(n_pools) % n_arrays
    klass = rng.integers(0, CLASSES, n_pools)
    wants = rng.integers(0, CLASSES + 1, n_workloads)  # the last: any
    units = np.where(rng.random(n_workloads) < 0.5, 1, rng.integers(1, 41, n_workloads))
    size = rng.lognormal(6, 0.8, n_workloads)
    iops = rng.lognormal(4, 1, n_workloads)
    space = rng.gamma(1.2, 1, n_pools)
    space *= float((size * units).sum()) / tightness / space.sum()
    sustained = rng.gamma(3, 1, n_arrays)
    sustained *= float((iops * units).sum()) / tightness / sustained.sum() * 1.2
    tenants = rng.integers(0, 20, n_workloads)
    quota = np.bincount(tenants, weights=size * units, minlength=20) * rng.uniform(0.8, 2, 20)
    worth = 1 + 0.25 * rng.random((n_workloads, n_pools))
    worth[(wants[:, None] != CLASSES) & (wants[:, None] != klass[None, :])] = -np.inf
    return Question(
        worth=worth, units=units,
        limits=(
            Limit(name="space", room=space, demand=size, at=np.arange(n_pools)),
            Limit(name="promised", room=2 * space, demand=1.6 * size, at=np.arange(n_pools)),
            Limit(name="minimums", room=sustained, demand=iops, at=array),
            Limit(name="quota", room=quota, demand=size, of=tenants),
        ),
        apart=np.where((units > 1) & (units < n_arrays) & (rng.random(n_workloads) < 0.2), 0,
                       NOWHERE),
        groups=(array,),
    )  # fmt: skip


def first_fit(question: Question) -> Left:
    """Largest first, each to the first place that holds it."""
    return _one_by_one(question, choose=lambda left, w, places: int(places[0]))


def best_fit(question: Question) -> Left:
    """Largest first, each to the place that it leaves the least of."""
    space = question.limits[0]

    def tightest(left: Left, w: int, places: NDArray[np.int64]) -> int:
        return int(places[np.argmin(left.rooms[0][places] - space.demand[w])])

    return _one_by_one(question, choose=tightest)


def _one_by_one(
    question: Question, *, choose: Callable[[Left, int, NDArray[np.int64]], int]
) -> Left:
    left, all_places = Left(question), np.arange(question.n_places)
    for w in np.argsort(-question.limits[0].demand * question.units, kind="stable").tolist():
        while left.units[w] > 0:
            fits = left.fits(w, all_places)
            if not fits.any():
                break
            place = choose(left, w, np.flatnonzero(fits))
            left.put(w, int(place), int(fits[place]))
    return left


def main(*, n_workloads: int = size(500, tiny=12), n_pools: int = size(2_000, tiny=20)) -> None:
    print("worth of the bound, share of VMs placed (budget: 98 % of the bound in 1 s)")
    for tightness in TIGHTNESS:
        question = asked(n_workloads=n_workloads, n_pools=n_pools, tightness=tightness)
        print(f"\n{n_workloads} workloads of {int(question.units.sum()):,} VMs over {n_pools:,} "
              f"pools, asking for {tightness:.0%} of the space")  # fmt: skip
        print(f"{'':24} {'of bound':>9} {'placed':>8} {'seconds':>8}")
        begun = time.perf_counter()
        told = assign(question)
        took = time.perf_counter() - begun
        bound = told.bound
        ways = [("ours", told.placed, took)]
        for name, way in (("first fit", first_fit), ("best fit", best_fit)):
            begun = time.perf_counter()
            placed = way(question).placed
            ways.append((name, placed, time.perf_counter() - begun))
        n_asked = int(question.units.sum())
        for name, placed, seconds in ways:
            n_placed = int(placed.n_units.sum())
            _told(name, worth=placed.worth / bound, placed=n_placed / n_asked, seconds=seconds)
        _whole(question, bound=bound)


def from_columns(*, n_workloads: int = size(500, tiny=12)) -> None:
    """Place workloads on the large estate itself: its columns, futures and books."""
    estate = large_estate()
    now = read(estate, day=estate.day)
    n_arrays = len(estate.table("array"))
    idle = np.zeros(n_arrays)
    beside = Beside(busy_iops=idle, busy_bytes_per_second=idle, min_iops=idle)
    rng = np.random.default_rng(7)
    workloads = [
        Workload(
            name=f"w{at}",
            n_vms=int(rng.integers(1, 41)),
            last_day=365,
            n_cpus=2,
            memory_bytes=8 * GIB,
            disks=(
                DiskAsked(
                    size_bytes=int(rng.lognormal(6, 0.8)) * GIB + GIB,
                    written_percent=40,
                    growth_bytes_per_day=GIB,
                    min_iops=50,
                    busy_iops=300,
                ),
            ),
        )
        for at in range(n_workloads)
    ]
    begun = time.perf_counter()
    ground = ground_of(now, beside)
    ready = time.perf_counter()
    told = _together(ground, workloads)
    first = time.perf_counter()
    again = _together(ground, workloads)  # what futures alone leave is kept of a revision
    done = time.perf_counter()
    n_asked = sum(one.n_units for one in workloads)
    print(f"\n{n_workloads} workloads of {n_asked:,} VMs over {len(ground.pool):,} places of the "
          f"estate's columns, its ground in {ready - begun:.2f} s")  # fmt: skip
    print(f"{'':24} {'of bound':>9} {'placed':>8} {'seconds':>8}")
    for name, one, seconds in (("the first time", told, first - ready),
                               ("asked again", again, done - first)):  # fmt: skip
        placed = one.placed
        _told(name, worth=placed.worth / one.bound, placed=placed.n_units.sum() / n_asked,
              seconds=seconds)  # fmt: skip


def _together(ground: Ground, workloads: list[Workload]) -> Assigned:
    return place_together(ground, workloads, weights=Weights(), horizon_days=730)[1]


def _told(name: str, *, worth: float, placed: float, seconds: float) -> None:
    print(f"{name:24} {worth:9.2%} {placed:8.2%} {seconds:8.2f}")


def _whole(question: Question, *, bound: float) -> None:
    """The linear programme over all places, and the whole numbers of it, as far as time goes."""
    workload, place = np.nonzero(np.isfinite(question.worth))
    programme = programme_of(question, workload=workload, place=place)
    caps = question.units[workload]
    cost = -question.worth[workload, place]
    begun = time.perf_counter()
    told = linprog(  # type: ignore[call-overload]  # it takes sparse ones
        cost, A_ub=programme.taken, b_ub=programme.rooms, method="highs",
        bounds=np.column_stack([np.zeros(len(cost)), caps]), options={"time_limit": SECONDS},
    )  # fmt: skip
    worth = np.nan if told.fun is None else -told.fun / bound
    _told("linear programme", worth=worth, placed=np.nan, seconds=time.perf_counter() - begun)
    begun = time.perf_counter()
    told = milp(
        cost, constraints=LinearConstraint(programme.taken, ub=programme.rooms),
        integrality=np.ones(len(cost), dtype=np.int64), bounds=Bounds(0, caps),
        options={"time_limit": SECONDS},
    )  # fmt: skip
    x = np.full(len(cost), np.nan) if told.x is None else told.x
    _told(
        "whole numbers, straight", worth=float(-cost @ x) / bound,
        placed=float(np.rint(x).sum() / question.units.sum()),
        seconds=time.perf_counter() - begun,
    )  # fmt: skip


if __name__ == "__main__":
    sizes = [int(one) for one in sys.argv[1:3]]
    main(**dict(zip(("n_workloads", "n_pools"), sizes, strict=False)))
    from_columns()
