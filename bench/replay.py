"""Replay of recorded demand at the large size, beside a plain loop over some of the disks.

    python -m bench.replay

Prints what a week of 25,000 disks takes on one core, with ceilings over places, of 1,000 disks,
a curve over limits, and the estimate of demand before it, with the budgets of the design.
"""

import time
from collections.abc import Callable
from typing import TypeVar

import numpy as np

from bench.sizes import size
from keelmark.core.qos import Limits, Places, Shared, curve, demand_of, replayed

N_DISKS = size(25_000, tiny=200)
N_FEW = size(1_000, tiny=50)
N_STEPS = size(7 * 288, tiny=288)
N_ARRAYS = 40
Told = TypeVar("Told")
SAMPLE = size(40, tiny=5)
LIMITS = np.array([300.0, 1500.0, 8000.0])
MINIMUMS = np.array([50.0, 400.0, 2000.0])


def main() -> None:
    rng = np.random.default_rng(11)
    tier = rng.choice(3, size=N_DISKS, p=(0.5, 0.35, 0.15))
    level = 0.2 * LIMITS[tier] * np.exp(0.8 * rng.normal(size=N_DISKS))
    day = 1 + 0.8 * np.sin(2 * np.pi * np.arange(N_STEPS) / 288)
    noise = np.exp(0.3 * rng.standard_normal((N_DISKS, N_STEPS), dtype=np.float32))
    asked = (level[:, None] * day).astype(np.float32) * noise
    limits = Limits(maximum=LIMITS[tier], minimum=MINIMUMS[tier])
    array = rng.integers(N_ARRAYS, size=N_DISKS)
    places = Places(at=array, n=N_ARRAYS)
    usual = np.bincount(array, weights=level, minlength=N_ARRAYS).astype(np.float64)
    tight = Limits(
        maximum=limits.maximum, minimum=limits.minimum,
        shared=(Shared(group=array, ceiling=1.5 * usual),),
    )  # fmt: skip
    print(f"{N_DISKS:,} disks, {N_STEPS:,} steps of five minutes, {N_ARRAYS} arrays")
    took, told = _timed(lambda: replayed(asked, limits, places=places))
    print(f"  all, each under its own limit: {took:.0f} ms (budget 3,000)")
    print(f"    {(told.held_steps > 0).sum():,} are held at some time")
    took_tight, _ = _timed(lambda: replayed(asked, tight, places=places))
    print(f"  all, every array pressed at its busy hours as well: {took_tight:.0f} ms")
    few = Limits(maximum=limits.maximum[:N_FEW], minimum=limits.minimum[:N_FEW])
    took_few, _ = _timed(lambda: replayed(asked[:N_FEW], few))
    print(f"  {N_FEW:,} disks: {took_few:.0f} ms (budget 300)")
    maxima = np.geomspace(200, 10_000, 24)
    took_curve, _ = _timed(
        lambda: curve(asked[:N_FEW], minimum=limits.minimum[:N_FEW], maxima=maxima)
    )
    print(f"  a curve over 24 limits of {N_FEW:,}: {took_curve:.0f} ms")
    waits = np.where(asked[:N_FEW] > limits.maximum[:N_FEW, None], 5.0, 0.0)
    took_demand, _ = _timed(lambda: demand_of(asked[:N_FEW], qos_ms=waits, queue_ms=waits))
    print(f"  what {N_FEW:,} asked for: {took_demand:.0f} ms")
    begun = time.perf_counter()
    for row in range(SAMPLE):
        _plainly(asked[row].tolist(), limit=float(limits.maximum[row]))
    each = 1000 * (time.perf_counter() - begun) / SAMPLE
    print(
        f"  a plain loop over {SAMPLE}: {each:.2f} ms a disk, "
        f"{each / (took / N_DISKS):,.0f} times as long"
    )


def _plainly(asked: list[float], *, limit: float) -> tuple[int, float]:
    line, held, worst, last = 0.0, 0, 0.0, [False] * 3
    for step, one in enumerate(asked):
        want = line / 300 + one
        done = min(want, limit)
        line = max(want - done, 0) * 300
        delay = 1000 * line / done if line else 0.0
        worst = max(worst, delay)
        last[step % 3] = done >= 0.97 * limit or delay > 0
        held += sum(last) >= 2
    return held, worst


def _timed(work: Callable[[], Told]) -> tuple[float, Told]:
    begun = time.perf_counter()
    told = work()
    return 1000 * (time.perf_counter() - begun), told


if __name__ == "__main__":
    main()
