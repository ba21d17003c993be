"""`keel forecast` on 2,000 series × 400 days, beside numpy's straight lines through the same.

    python -m bench.forecast_speed

Budget: at most 1 ms a series on one core, learning and dates together.
"""

import json
import subprocess
import sys
import tempfile
import time
from datetime import date, timedelta
from pathlib import Path

import numpy as np

from keelmark.cli.forecast_file import read_table
from keelmark.core.forecast import forecast, runway

N_SERIES, N_DAYS = 2000, 400
TIB = 1024**4


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
        table = read_table(path)
        reading = time.perf_counter() - begun
    begun = time.perf_counter()
    learnt = forecast(table.used_bytes)
    runway(learnt, mark_bytes=table.capacity_bytes, horizon_days=730)
    ours = time.perf_counter() - begun
    day = np.arange(table.used_bytes.shape[1])
    begun = time.perf_counter()
    for row in table.used_bytes:
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
