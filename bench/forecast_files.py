"""`keel forecast` on files as they come: mixed eras, and more series than memory should hold.

    OPENBLAS_NUM_THREADS=1 python -m bench.forecast_files

First 535 series that end between 1973 and 2025 in one file, beside the same readings all ending
today; then 100,000 series × 400 days, told day by day and packed into Parquet, beside reading the
whole file with pyarrow alone. Budget: mixed eras cost no more than like ones (ratio ≤ 1.2), memory
does not grow with the file (at most 500 MiB), at most 2 ms a series in all.
"""

import resource
import subprocess
import sys
import tempfile
import time
from datetime import date
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as pa_csv
import pyarrow.parquet as pa_parquet

from bench.sizes import size
from keelmark.core.arrays import Int64s

N_ERAS = size(535, tiny=20)
N_MANY, N_DAYS = size(100_000, tiny=60), 400
TODAY = 20_400  # days since 1970
ERAS = ((date(1973, 1, 1) - date(1970, 1, 1)).days, TODAY)
TIB = 1024**4
KIB = 1024
MOST_MIB = 500
LOOKED_EVERY_S = 0.1
WRITTEN_AT_ONCE = 20  # days


def eras(path: Path, *, ends: Int64s, lengths: Int64s) -> None:
    """Write a CSV of series of these lengths that end on these days."""
    rng = np.random.default_rng(8)
    with path.open("w") as file:
        file.write("series,date,used_bytes,capacity_bytes\n")
        for n, (end, length) in enumerate(zip(ends.tolist(), lengths.tolist(), strict=True)):
            used = 20 + np.cumsum(rng.normal(0.03, 0.05, length))
            for back, amount in zip(range(length - 1, -1, -1), used.tolist(), strict=True):
                on = date.fromordinal(date(1970, 1, 1).toordinal() + end - back)
                file.write(f"s-{n},{on},{int(max(amount, 1) * TIB)},{60 * TIB}\n")


def many(path: Path) -> None:
    """Write every series day after day, as collections do."""
    rng = np.random.default_rng(9)
    pace, level = rng.uniform(0, 0.1, N_MANY), np.full(N_MANY, 20.0)
    names = pa.array([f"disk-{n}" for n in range(N_MANY)])
    capacity = pa.array(np.full(N_MANY, 60 * TIB))
    writer = None
    try:
        for day in range(N_DAYS):
            level = np.maximum(level + rng.normal(pace, 0.05), 1.0)
            on = pa.array(np.full(N_MANY, TODAY - N_DAYS + 1 + day, dtype=np.int32)).cast(
                pa.date32()
            )
            used = pa.array((level * TIB).astype(np.int64))
            table = pa.table(
                {"series": names, "date": on, "used_bytes": used, "capacity_bytes": capacity}
            )
            if writer is None:
                is_packed = path.suffix == ".parquet"
                writer = (pa_parquet.ParquetWriter if is_packed else pa_csv.CSVWriter)(
                    path, table.schema
                )
            writer.write_table(table)
    finally:
        if writer is not None:
            writer.close()


def run(path: Path, *, n_series: int) -> tuple[float, float, float]:
    """Forecast a file; return seconds, of them in the system, and peak MiB of the process."""
    begun = time.perf_counter()
    system_before = resource.getrusage(resource.RUSAGE_CHILDREN).ru_stime
    with tempfile.TemporaryFile() as told:
        child = subprocess.Popen(  # noqa: S603  # our own module
            [sys.executable, "-m", "keelmark.cli", "forecast", str(path), "--csv"], stdout=told
        )
        peak = 0.0
        while child.poll() is None:
            peak = max(peak, _resident_mib(child.pid))
            time.sleep(LOOKED_EVERY_S)
        took = time.perf_counter() - begun
        system = resource.getrusage(resource.RUSAGE_CHILDREN).ru_stime - system_before
        told.seek(0)
        n_told = sum(1 for _ in told) - 1
    if child.returncode != 0 or n_told != n_series:
        sys.exit(f"{path.name}: ended with {child.returncode}, {n_told} of {n_series} series told")
    return took, system, peak


def _resident_mib(pid: int) -> float:
    """The most a process held so far; what its parent held before counts in getrusage."""
    try:
        told = Path(f"/proc/{pid}/status").read_text()
    except OSError:
        return 0.0
    held = [line.split()[1] for line in told.splitlines() if line.startswith("VmHWM")]
    return float(held[0]) / KIB if held else 0.0


def main() -> None:
    rng = np.random.default_rng(7)
    lengths = rng.integers(60, 800, N_ERAS)
    with tempfile.TemporaryDirectory() as folder:
        took = {}
        for name, ends in (
            ("all end today", np.full(N_ERAS, TODAY)),
            ("1973 to 2025", rng.integers(*ERAS, N_ERAS)),
        ):
            path = Path(folder) / "eras.csv"
            eras(path, ends=ends, lengths=lengths)
            took[name], system, peak = run(path, n_series=N_ERAS)
            print(
                f"{N_ERAS} series, {name:14} {took[name]:6.1f} s, {system:.1f} of it system, "
                f"peak {peak:.0f} MiB"
            )
        ratio = took["1973 to 2025"] / took["all end today"]
        print(f"mixed eras / like ones: {ratio:.2f} (budget 1.2)")
        for suffix in (".csv", ".parquet"):
            path = Path(folder) / f"many{suffix}"
            many(path)
            whole, system, peak = run(path, n_series=N_MANY)
            begun = time.perf_counter()
            if suffix == ".csv":
                pa_csv.read_csv(path)
            else:
                pa_parquet.read_table(path)
            reading = time.perf_counter() - begun
            print(
                f"{N_MANY:,} series × {N_DAYS} days, {suffix[1:]} of "
                f"{path.stat().st_size / KIB**2:,.0f} MiB: {whole:.0f} s "
                f"({1e3 * whole / N_MANY:.2f} ms each, budget 2), {system:.0f} of it system, "
                f"peak {peak:.0f} MiB (budget {MOST_MIB}); "
                f"pyarrow alone reads it in {reading:.1f} s"
            )
            path.unlink()


if __name__ == "__main__":
    main()
