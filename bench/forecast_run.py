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

from bench.database import DATABASE, bench_database
from keelmark.config.state import PROJECT

KILLED_AFTER_SECONDS = 30
LOOKS_EVERY_SECONDS = 5
KINDS = ["pool", "volume", "datastore", "disk", "bucket", "array", "site", "cluster"]


def main() -> None:
    with bench_database(is_kept=True):
        _measure()


def _measure() -> None:
    from django.db import close_old_connections

    from keelmark.estate.models import Entity
    from keelmark.forecasts.models import ChunkState, ForecastChunk, ForecastRun, ThingForecast
    from keelmark.forecasts.services.runs import plan_forecasts

    ForecastRun.objects.all().delete()
    ThingForecast.objects.all().delete()
    begun = time.perf_counter()
    run = plan_forecasts(now=datetime.now(UTC), is_everything=True)
    if run is None:
        sys.exit("Nothing to forecast: run python -m bench.large 1 400 keep first.")
    print(f"planned {run.chunks.count()} chunks in {time.perf_counter() - begun:.1f} s", flush=True)
    begun = time.perf_counter()
    workers = [_worker(), _worker()]
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
    took = time.perf_counter() - begun
    for worker in workers[1:]:
        os.killpg(worker.pid, signal.SIGTERM)
    run.refresh_from_db()
    n = ThingForecast.objects.count()
    wanted = Entity.objects.filter(kind__in=KINDS, retired_at=None).count()
    again = ForecastChunk.objects.filter(run=run, n_tries__gt=0).count()
    print(f"run {run.state}: {n:,} forecasts of {wanted:,} things in {took:.0f} s ", end="")
    print(f"({1e3 * took / n:.2f} ms each), {again} chunks taken up again")


def _worker() -> subprocess.Popen[bytes]:
    environment = {**os.environ, "KEEL_DATABASE": DATABASE, "OPENBLAS_NUM_THREADS": "1"}
    return subprocess.Popen(
        [sys.executable, "-m", "keelmark.cli", "work"],
        cwd=PROJECT, env=environment, start_new_session=True,
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip


if __name__ == "__main__":
    main()
