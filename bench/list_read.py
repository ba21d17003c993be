"""The pools' list, beside its bare SQL, at the size of a large estate.

    python -m bench.list_read

Budget: p95 at most 150 ms, and at most twice the bare SQL. 2,000 pools with standing
forecasts; a page of 200 through the whole API (in process, so without the network), and the
very statement of that request through a bare cursor that fetches all its rows.
"""

import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

import numpy as np

from bench.database import bench_database
from bench.sizes import size

N_ARRAYS, N_POOLS = size(40, tiny=2), size(2000, tiny=20)
N_DAYS, N_ROUNDS = 120, size(40, tiny=3)
TIB = 1024**4


def main() -> None:
    with bench_database():
        _fill()
        _measure()


def _fill() -> None:
    from keelmark.estate.documents import ArrayDocument, PoolDocument, ReadingsDocument
    from keelmark.feeds.importer import Imported, import_documents
    from keelmark.forecasts.making.pools import refresh

    now = datetime.now(UTC)
    rng = np.random.default_rng(2)
    arrays = [
        ArrayDocument(uid=f"serial.B{n}", name=f"bench-{n}", site=f"Site {n % 3}", read_at=now)
        for n in range(N_ARRAYS)
    ]
    pools, readings = [], []
    for n in range(N_POOLS):
        pace = float(rng.uniform(0, 0.4))
        used = (20 + pace * np.arange(N_DAYS) + rng.normal(0, 0.05, N_DAYS)) * TIB
        pools.append(
            PoolDocument(
                uid=f"uuid.{n}", array_uid=f"serial.B{n % N_ARRAYS}", name=f"swift-{n}",
                usable_bytes=100 * TIB, used_bytes=int(used[-1]), provisioned_bytes=120 * TIB,
                service_class="Swift", read_at=now,
            )
        )  # fmt: skip
        readings.append(
            ReadingsDocument(
                uid=f"uuid.{n}",
                first_on=(now - timedelta(days=N_DAYS)).date(),
                used_bytes=[int(x) for x in used],
            )
        )
    import_documents([*arrays, *pools, *readings], into=Imported())
    begun = time.perf_counter()
    n_made = refresh(now=now)
    taken = time.perf_counter() - begun
    sys.stdout.write(f"{n_made} forecasts made and written in {taken:.1f} s\n")


def _measure() -> None:
    from django.db import connection
    from django.test import Client
    from django.test.utils import CaptureQueriesContext

    from keelmark.access.services.people import ensure_person

    person = ensure_person(name="bench", password="bench-tide")  # noqa: S106  # gone with its database
    client = Client(HTTP_HOST="127.0.0.1")
    client.force_login(person)
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")
    with CaptureQueriesContext(connection) as captured:
        assert client.get("/api/v1/pools").status_code == 200  # noqa: S101
    statement = captured.captured_queries[-1]["sql"]

    def bare() -> None:
        with connection.cursor() as cursor:
            cursor.execute(statement)
            cursor.fetchall()

    def ours() -> None:
        client.get("/api/v1/pools")

    base = _milliseconds(bare)
    read = _milliseconds(ours)
    for name, taken in (("bare SQL", base), ("whole request", read)):
        p50, p95 = np.percentile(taken, (50, 95))
        sys.stdout.write(f"{name:15} p50 {p50:6.1f} ms  p95 {p95:6.1f} ms\n")
    ratio = np.percentile(read, 95) / np.percentile(base, 95)
    sys.stdout.write(f"ratio of the p95: {ratio:.1f}\n")


def _milliseconds(way: Callable[[], None]) -> list[float]:
    taken = []
    for _ in range(N_ROUNDS):
        begun = time.perf_counter()
        way()
        taken.append(1000 * (time.perf_counter() - begun))
    return taken


if __name__ == "__main__":
    main()
