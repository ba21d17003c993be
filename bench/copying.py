"""Bulk readings in, beside a bare COPY of the same rows into the same table.

    python -m bench.copying

Budget: at least 50 % of the bare COPY. Both write 1,000 entities × 400 days into an empty
table of a database of their own; the bare COPY gets its bytes ready-made, ours starts from
arrays, and the second figure from the lines of an estate file.
"""

import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime

import numpy as np

from bench.database import bench_database
from bench.sizes import size

N_ENTITIES, N_DAYS, N_ROUNDS = size(1000, tiny=10), 400, size(5, tiny=1)


def main() -> None:
    with bench_database():
        _measure()


def _measure() -> None:
    from django.db import connection

    from keelmark.estate.documents import ReadingsDocument, decoder, to_line
    from keelmark.estate.models import Entity
    from keelmark.readings import sql
    from keelmark.readings.binary import copy_payload
    from keelmark.readings.rows import rows_of_readings
    from keelmark.readings.services import write_daily

    now = datetime.now(UTC)
    Entity.objects.all().delete()
    Entity.objects.bulk_create(
        Entity(kind="volume", uid=f"uuid.{n}", name=f"v{n}", first_seen_at=now, last_seen_at=now)
        for n in range(N_ENTITIES)
    )
    ids = dict(Entity.objects.values_list("uid", "pk"))
    rng = np.random.default_rng(1)
    documents = [
        ReadingsDocument(
            uid=uid,
            first_on=datetime(2025, 10, 20, tzinfo=UTC).date(),
            used_bytes=rng.integers(0, 2**45, N_DAYS).tolist(),
            capacity_bytes=[2**45] * N_DAYS,
        )
        for uid in ids
    ]
    lines = [to_line(document) for document in documents]
    rows = rows_of_readings(documents, ids=ids)
    payload = copy_payload(rows.columns())

    def bare() -> None:
        with connection.cursor() as cursor, cursor.copy(sql.COPY_DAILY) as copy:
            copy.write(payload)

    def from_lines() -> None:
        told = [decoder.decode(line) for line in lines]
        read = [d for d in told if isinstance(d, ReadingsDocument)]
        write_daily(rows_of_readings(read, ids=ids))

    def again() -> None:
        write_daily(rows)

    ways: dict[str, Callable[[], object]] = {
        "bare COPY": bare,
        "ours, from arrays": lambda: write_daily(rows),
        "ours, from lines": from_lines,
    }
    seconds: dict[str, list[float]] = {name: [] for name in [*ways, "the same rows again"]}
    for _ in range(N_ROUNDS):
        for name, way in ways.items():
            with connection.cursor() as cursor:
                cursor.execute("TRUNCATE readings_dailyreading")
            seconds[name].append(_seconds(way))
        seconds["the same rows again"].append(_seconds(again))
    base = float(np.median(seconds["bare COPY"]))
    for name, taken in seconds.items():
        median = float(np.median(taken))
        rate = len(rows) / median
        sys.stdout.write(
            f"{name:20} {median:6.2f} s  {rate:9,.0f} rows/s  {100 * base / median:4.0f} %\n"
        )


def _seconds(way: Callable[[], object]) -> float:
    begun = time.perf_counter()
    way()
    return time.perf_counter() - begun


if __name__ == "__main__":
    main()
