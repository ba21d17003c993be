"""Ten million rows of a table, read through with a mapping: seconds and the most memory held.

python -m bench.tables [rows]
"""

import resource
import sys
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path

from bench.database import bench_database
from bench.sizes import size

N_ROWS = size(10_000_000, tiny=5000)
N_YEARS = 9  # within the window of which readings are taken
MIB = 1024**2
MAPPING: dict[str, object] = {
    "kind": "readings",
    "of_kind": "array",
    "columns": {
        "name": {"column": "array"},
        "day": {"column": "day"},
        "used_bytes": {"column": "used", "unit": "GiB"},
        "capacity_bytes": {"column": "capacity", "unit": "GiB"},
    },
}


def main() -> None:
    n_rows = int(sys.argv[1]) if len(sys.argv) > 1 else N_ROWS
    with bench_database(), tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.csv"
        _write(path, n_rows=n_rows)
        _known()
        from keelmark.feeds.table_import import check_table, mapping_of

        before = _held_mib()
        begun = time.perf_counter()
        checked = check_table(path, mapping=mapping_of(MAPPING))
        took = time.perf_counter() - begun
        if checked.n_problems:
            sys.exit(f"{checked.n_problems} bad cells: {checked.problems[0]}")
        print(
            f"{checked.n_rows:,} rows, {path.stat().st_size / MIB:,.0f} MiB: {took:.0f} s "
            f"({checked.n_rows / took:,.0f} a second); memory "
            f"{before:.0f} MiB before, {_held_mib():.0f} MiB at most"
        )


def _write(path: Path, *, n_rows: int) -> None:
    with path.open("w") as file:
        file.write("array,day,used,capacity\n")
        last = datetime.now(UTC).year - 1
        for number in range(n_rows):
            year = last - number % N_YEARS
            day = f"{year}-{1 + number % 12:02d}-{1 + number % 28:02d}"
            file.write(f"a-{number % 40},{day},{number % 90_000},100000\n")


def _known() -> None:
    from keelmark.estate.documents import ArrayDocument
    from keelmark.feeds.importer import Imported, import_documents

    now = datetime.now(UTC)
    arrays = [ArrayDocument(uid=f"serial.{n}", name=f"a-{n}", read_at=now) for n in range(40)]
    import_documents(arrays, into=Imported())


def _held_mib() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 / MIB


if __name__ == "__main__":
    main()
