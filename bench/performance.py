"""Five-minute means kept packed beside the same kept as rows: a day of many disks.

    python -m bench.performance [disks]

Prints bytes kept and seconds for: bringing a day in, one disk's day, all disks at one step, and
rolling the day up. What is packed has its roll-ups made with it.
"""

import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from bench.database import bench_database
from bench.sizes import size
from standins.demand import STEPS_A_DAY

DISKS = size(25_000, tiny=20)
AT_ONCE = 1000
MIB = 2**20


def main() -> None:
    n = int(sys.argv[1]) if len(sys.argv) > 1 else DISKS
    with bench_database():
        told = {"packed": _packed(n), "rows": _rows(n)}
    print(f"{n:,} disks, one day of {STEPS_A_DAY} steps, nine parts")
    print(f"{'':34} {'packed':>9} {'rows':>9} {'rows/packed':>12}")
    for name in told["packed"]:
        one, other = told["packed"][name], told["rows"][name]
        print(f"{name:34} {one:9.3f} {other:9.3f} {other / max(one, 1e-9):12.1f}")


def _steps(rng: np.random.Generator, *, n: int) -> Any:  # Any: an array of floats
    from keelmark.core.performance import PARTS

    course = 1 + np.sin(np.linspace(0, 2 * np.pi, STEPS_A_DAY))
    level = rng.lognormal(2, 1.1, (n, len(PARTS), 1))
    steps = level * course * rng.lognormal(0, 0.25, (n, len(PARTS), STEPS_A_DAY))
    return steps.astype(np.float32)


def _packed(n: int) -> dict[str, float]:
    from keelmark.readings.performance.packing import take_packed
    from keelmark.readings.performance.reading import packed_steps

    day = datetime.now(UTC).date() - timedelta(days=2)
    rng = np.random.default_rng(1)
    took = 0.0
    for begin in range(0, n, AT_ONCE):
        ids = np.arange(begin, min(begin + AT_ONCE, n), dtype=np.int64)
        steps = _steps(rng, n=len(ids))
        begun = time.perf_counter()
        take_packed(day, ids=ids, steps=steps)
        took += time.perf_counter() - begun
    some = np.array([n // 2], dtype=np.int64)

    def one_step() -> float:
        return sum(
            float(packed_steps(np.arange(b, min(b + AT_ONCE, n)), first_on=day, n_days=1)[
                :, 0, 150].sum())
            for b in range(0, n, AT_ONCE)
        )  # fmt: skip

    return {
        "MiB kept": _kept("readings_packed"),
        "s to bring in (and roll up)": took,
        "s for one disk's day": _best(lambda: packed_steps(some, first_on=day, n_days=1)),
        "s for all disks at one step": _best(one_step),
    }


def _rows(n: int) -> dict[str, float]:
    from django.db import connection

    from keelmark.core.days import EPOCH
    from keelmark.readings.performance.reading import row_steps
    from keelmark.readings.rollup import roll_up
    from keelmark.readings.rows import DAY_US, STEP_US, StepRows
    from keelmark.readings.services import write_steps

    now = datetime.now(UTC)
    day = now.date() - timedelta(days=3)
    begin_us = (day - EPOCH).days * DAY_US
    rng = np.random.default_rng(1)
    took = 0.0
    for begin in range(0, n, AT_ONCE):
        ids = np.arange(begin, min(begin + AT_ONCE, n), dtype=np.int64)
        steps = _steps(rng, n=len(ids))
        rows = StepRows(
            entity_id=np.repeat(ids, STEPS_A_DAY),
            at_us=np.tile(begin_us + np.arange(STEPS_A_DAY) * STEP_US, len(ids)),
            means=steps.transpose(1, 0, 2).reshape(steps.shape[1], -1).astype(np.float64),
        )
        begun = time.perf_counter()
        write_steps(rows)
        took += time.perf_counter() - begun
    took += _timed(lambda: roll_up(now=now))
    some = np.array([n // 2], dtype=np.int64)
    at = datetime.fromtimestamp((begin_us + 150 * STEP_US) / 1e6, UTC)

    def one_step() -> None:
        with connection.cursor() as cursor:
            cursor.execute("SELECT sum(read_iops) FROM readings_performance WHERE at = %s", [at])
            cursor.fetchone()

    return {
        "MiB kept": _kept("readings_performance"),
        "s to bring in (and roll up)": took,
        "s for one disk's day": _best(lambda: row_steps(some, first_on=day, n_days=1)),
        "s for all disks at one step": _best(one_step),
    }


def _kept(table: str) -> float:
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT coalesce(sum(pg_total_relation_size(inhrelid)), 0) FROM pg_inherits "
            "WHERE inhparent = %s::regclass",
            [table],
        )
        return float(cursor.fetchone()[0]) / MIB


def _best(work: Callable[[], object]) -> float:
    return min(_timed(work) for _ in range(3))


def _timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


if __name__ == "__main__":
    main()
