"""How fast forecasts are made, on one core.

    OPENBLAS_NUM_THREADS=1 python -m bench.forecast_speed

First 10,000 series × 400 days with dates at three marks and the backtest, in chunks as workers
make them; then `keel forecast` on 2,000 series, beside numpy's straight lines through the same.
Budget: at most 1 ms a series on one core, backtest included.
"""

import json
import resource
import subprocess
import sys
import tempfile
import time
from datetime import date, timedelta
from pathlib import Path

import numpy as np

from bench.sizes import size
from keelmark.cli.series_store import SeriesStore
from keelmark.core.forecast import forecast, record_of, runway, runways

N_SERIES, N_DAYS = size(2000, tiny=20), 400
TIB = 1024**4


N_MANY, CHUNK = size(10_000, tiny=50), size(1000, tiny=50)
FIRST_DAY = 20_400
KIB = 1024


def many() -> None:
    rng = np.random.default_rng(5)
    learning = dates = backtest = 0.0
    for _ in range(N_MANY // CHUNK):
        steps = rng.normal(rng.uniform(0, 0.1, (CHUNK, 1)), 0.05, (CHUNK, N_DAYS))
        used = (20 + np.cumsum(steps, axis=1)).clip(0) * TIB
        used[rng.random(used.shape) < 0.02] = np.nan
        begun = time.perf_counter()
        learnt = forecast(used, first_day=FIRST_DAY)
        learning += time.perf_counter() - begun
        begun = time.perf_counter()
        marks = [np.full(CHUNK, int(60 * TIB * share)) for share in (0.8, 0.9, 1.0)]
        runways(learnt, marks_bytes=np.stack(marks), horizon_days=730)
        dates += time.perf_counter() - begun
        begun = time.perf_counter()
        record_of(used, first_day=FIRST_DAY)
        backtest += time.perf_counter() - begun
    peak_mib = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / KIB
    total = learning + dates + backtest
    print(f"{N_MANY:,} series × {N_DAYS} days: {total:.1f} s, {1e3 * total / N_MANY:.2f} ms each")
    print(f"  learning {learning:.1f}, dates at three marks {dates:.1f}, backtest {backtest:.1f} s")
    print(f"  peak {peak_mib:.0f} MiB, in chunks of {CHUNK:,}")


def write_csv(path: Path) -> None:
    rng = np.random.default_rng(4)
    days = [(date(2025, 10, 20) + timedelta(days=d)).isoformat() for d in range(N_DAYS)]
    with path.open("w") as file:
        file.write("series,date,used_bytes,capacity_bytes\n")
        for n in range(N_SERIES):
            steps = rng.normal(rng.uniform(0, 0.1), 0.05, N_DAYS)
            used = ((20 + np.cumsum(steps)).clip(1) * TIB).astype(np.int64)
            kept = rng.random(N_DAYS) > 0.02
            file.writelines(
                f"pool-{n},{day},{amount},{60 * TIB}\n"
                for day, amount, is_kept in zip(days, used, kept, strict=True)
                if is_kept
            )


def main() -> None:
    many()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "used.csv"
        write_csv(path)
        begun = time.perf_counter()
        done = subprocess.run(  # noqa: S603  # our own module
            [sys.executable, "-m", "keelmark.cli", "forecast", str(path), "--json"],
            capture_output=True, check=True,
        )  # fmt: skip
        whole = time.perf_counter() - begun
        assert len(json.loads(done.stdout)) == N_SERIES  # noqa: S101
        begun = time.perf_counter()
        with SeriesStore(path, tell=lambda *_: None) as store:
            tables = list(store.tables())
        reading = time.perf_counter() - begun
    begun = time.perf_counter()
    for table in tables:
        used, first_day = table.laid_out(np.arange(len(table.names)))
        learnt = forecast(used, first_day=first_day)
        runway(learnt, mark_bytes=table.capacity_bytes, horizon_days=730)
    ours = time.perf_counter() - begun
    day = np.arange(used.shape[1])
    begun = time.perf_counter()
    for row in used:
        is_read = ~np.isnan(row)
        np.polyfit(day[is_read], row[is_read], 1)
    lines = time.perf_counter() - begun
    write = sys.stdout.write
    write(f"whole command          {1e3 * whole / N_SERIES:6.3f} ms a series ({whole:.1f} s)\n")
    write(f"  of it reading CSV    {1e3 * reading / N_SERIES:6.3f}\n")
    write(f"  of it forecast       {1e3 * ours / N_SERIES:6.3f}\n")
    write(f"numpy straight lines   {1e3 * lines / N_SERIES:6.3f}\n")
    write(f"forecast / straight lines: {ours / lines:.2f}\n")


if __name__ == "__main__":
    main()
