"""Forecasts of a large estate made by two workers, of which one is killed on the way.

    python -m bench.large 1 400 keep
    python -m bench.forecast_run

Works on the database that the large bench keeps; prints how long it took, what each worker's
death cost, and that nothing is missing or doubled at the end.
"""

import os
import signal
import subprocess
import sys
import time
from collections import Counter
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from bench.database import DATABASE, bench_database
from bench.sizes import size
from keelmark.config.state import PROJECT

if TYPE_CHECKING:
    from keelmark.forecasts.models import ForecastRun

# what a dead one had under way is taken up after two minutes: a tiny run is done before
KILLED_AFTER_SECONDS = size(30, tiny=600)
LOOKS_EVERY_SECONDS = size(5, tiny=1)
KINDS = ["pool", "volume", "datastore", "disk", "bucket", "array", "site", "cluster"]


def main() -> None:
    with bench_database(is_kept=True, is_fresh=False):
        _measure()


def _measure() -> None:
    from keelmark.estate.models import Entity
    from keelmark.forecasts.making.runs import plan_forecasts
    from keelmark.forecasts.models import ForecastChunk, ForecastRun, KeptForecast

    ForecastRun.objects.all().delete()
    KeptForecast.objects.all().delete()
    begun = time.perf_counter()
    run = plan_forecasts(now=datetime.now(UTC), is_everything=True)
    if run is None:
        sys.exit("Nothing to forecast: run python -m bench.large 1 400 keep first.")
    print(f"planned {run.chunks.count()} chunks in {time.perf_counter() - begun:.1f} s", flush=True)
    begun = time.perf_counter()
    workers = [_worker(), _worker()]
    try:
        _wait(run, workers=workers, begun=begun)
    finally:
        for worker in workers:
            if worker.poll() is None:
                os.killpg(worker.pid, signal.SIGTERM)
    took = time.perf_counter() - begun
    run.refresh_from_db()
    n = KeptForecast.objects.count()  # a cluster has one of its CPU, memory and snapshots each
    n_things = KeptForecast.objects.values("entity_id").distinct().count()
    wanted = Entity.objects.filter(kind__in=KINDS, retired_at=None).count()
    again = ForecastChunk.objects.filter(run=run, n_tries__gt=0).count()
    print(
        f"run {run.state}: {n:,} forecasts of {n_things:,} of {wanted:,} things in {took:.0f} s ",
        end="",
    )
    print(f"({1e3 * took / n:.2f} ms each), {again} chunks taken up again")


def _wait(run: "ForecastRun", *, workers: "list[subprocess.Popen[bytes]]", begun: float) -> None:
    """Look on until the run is done; kill a worker on the way and start another."""
    from django.db import close_old_connections

    from keelmark.forecasts.models import ChunkState, ForecastRun

    is_killed = False
    while ForecastRun.objects.filter(pk=run.pk, state="running").exists():
        time.sleep(LOOKS_EVERY_SECONDS)
        close_old_connections()
        took = time.perf_counter() - begun
        if not is_killed and took > KILLED_AFTER_SECONDS:
            os.killpg(workers[0].pid, signal.SIGKILL)
            is_killed = True
            left = run.chunks.filter(state=ChunkState.RUNNING).count()
            print(f"{took:.0f} s: one of two workers killed, {left} chunks under way", flush=True)
            workers.append(_worker())
        states = Counter(run.chunks.values_list("state", flat=True))
        print(f"{took:.0f} s: {dict(states)}", flush=True)


def _worker() -> subprocess.Popen[bytes]:
    environment = {**os.environ, "KEEL_DATABASE": DATABASE, "OPENBLAS_NUM_THREADS": "1"}
    return subprocess.Popen(
        [sys.executable, "-m", "keelmark.cli", "work"],
        cwd=PROJECT, env=environment, start_new_session=True,
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip


if __name__ == "__main__":
    main()
