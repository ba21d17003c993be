"""The large estate, or a stated fraction of it, brought in and read back.

    python -m bench.large [share of large] [days of history] [keep]

Prints what was made, how long each step took, and the budgets of the design beside it:
bulk load against a bare COPY, one series, a day of the whole estate, 400 days of everything in
chunks as the forecaster reads them, and the worst main read through the whole API.
"""

import shutil
import sys
import time
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, timedelta
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from bench.database import bench_database
from bench.sizes import size

if TYPE_CHECKING:
    from keelmark.estate.documents import Document
    from keelmark.readings.rows import DailyRows

LARGE = {"arrays": 40, "pools": 2000, "datastores": 5000, "vms": 100_000, "disks": 250_000}
TIB = 1024**4
GIB = 1024**3
CHUNK = 5000
BYTES_A_READING = 115  # measured by bench.layout, with its index
ROUNDS = size(25, tiny=2)
CHUNK_DAYS = 10
TWIN_CHUNKS = 8
CLUSTERS_AN_ARRAY = 2
HOSTS_A_CLUSTER = 16
STEPS = 288  # five-minute means a day
STEPS_AT_ONCE = 6
_TWIN = """
DROP TABLE IF EXISTS bench_twin;
CREATE TABLE bench_twin (LIKE readings_dailyreading INCLUDING ALL) PARTITION BY RANGE (day);
CREATE TABLE bench_twin_all PARTITION OF bench_twin DEFAULT;
"""


def main() -> None:
    share = float(sys.argv[1]) if len(sys.argv) > 1 else 0.1
    n_days = int(sys.argv[2]) if len(sys.argv) > 2 else 400
    sizes = {name: max(1, round(n * share)) for name, n in LARGE.items()}
    n_readings = (sum(sizes.values()) - sizes["arrays"] - sizes["vms"]) * n_days
    needed = n_readings * BYTES_A_READING
    free = shutil.disk_usage(".").free
    print(f"share {share:g} of large: " + ", ".join(f"{n:,} {name}" for name, n in sizes.items()))
    print(f"{n_days} days: {n_readings:,} readings, about {needed / GIB:.1f} GiB")
    if needed * 2 > free:
        sys.exit(f"only {free / GIB:.0f} GiB free: ask for a smaller share")
    with bench_database(is_kept="keep" in sys.argv):
        _inventory(sizes)
        _history(n_days)
        _five_minutes()
        _reads(n_days)


def _inventory(sizes: dict[str, int]) -> None:
    from keelmark.estate.models import Entity, Protocol
    from keelmark.estate.services.delivery import ensure_source, open_delivery
    from keelmark.estate.services.findings import look_for_findings
    from keelmark.feeds.importer import Imported, import_documents

    source = ensure_source(name="bench", protocol=Protocol.FILE)

    def deliver() -> None:
        into = Imported(delivery=open_delivery(source))
        for batch in _batches(_documents(sizes), n=2000):
            import_documents(batch, into=into)

    first = _timed(deliver)
    again = _timed(deliver)
    findings = _timed(lambda: look_for_findings(at=datetime.now(UTC)))
    n = Entity.objects.count()
    print(f"inventory: {n:,} things in {first:.0f} s ({n / first:,.0f} a second)")
    print(f"  the same again, nothing changed: {again:.0f} s; findings {findings:.1f} s")


def _documents(sizes: dict[str, int]) -> Iterator["Document"]:
    from keelmark.estate import documents as d

    now = datetime.now(UTC).replace(microsecond=0)
    for n in range(sizes["arrays"]):
        yield d.ArrayDocument(
            uid=f"serial.A{n}", name=f"a-{n}", site=f"S{n % 3}", sustainable_iops=100_000,
            read_at=now,
        )  # fmt: skip
    n_clusters = CLUSTERS_AN_ARRAY * sizes["arrays"]
    for n in range(n_clusters):
        yield d.ClusterDocument(uid=f"id.cluster/{n}", name=f"c-{n}", site="S0", read_at=now)
    for n in range(HOSTS_A_CLUSTER * n_clusters):
        yield d.HostDocument(
            uid=f"wwn.{n}", name=f"h-{n}", cluster_uid=f"id.cluster/{n % n_clusters}",
            n_cpus=192, memory_bytes=2 * TIB, read_at=now,
        )  # fmt: skip
    for n in range(sizes["pools"]):
        yield d.PoolDocument(
            uid=f"uuid.p{n}", array_uid=f"serial.A{n % sizes['arrays']}", name=f"p-{n}",
            usable_bytes=100 * TIB, used_bytes=50 * TIB, provisioned_bytes=120 * TIB,
            service_class="Steady", read_at=now,
        )  # fmt: skip
    for n in range(sizes["datastores"]):
        yield d.VolumeDocument(
            uid=f"naa.{n:016x}", pool_uid=f"uuid.p{n % sizes['pools']}", name=f"v-{n}",
            size_bytes=20 * TIB, written_bytes=10 * TIB, read_at=now,
        )  # fmt: skip
        yield d.DatastoreDocument(
            uid=f"uuid.s{n}", name=f"s-{n}", kind="block", size_bytes=20 * TIB,
            used_bytes=10 * TIB, cluster_uid=f"id.cluster/{n % n_clusters}",
            extents=[f"naa.{n:016x}"], read_at=now,
        )  # fmt: skip
    n_disks = sizes["disks"]
    for n in range(sizes["vms"]):
        yield d.VirtualMachineDocument(
            uid=f"uuid.v{n}", name=f"vm-{n}", host_uid=f"wwn.{n % n_clusters}",
            cluster_uid=f"id.cluster/{n % n_clusters}", power="on", n_cpus=2,
            memory_bytes=4 * GIB, read_at=now,
        )  # fmt: skip
    for n in range(n_disks):
        yield d.VirtualDiskDocument(
            uid=f"path.v{n}:a", name=f"d-{n}", vm_uid=f"uuid.v{n % sizes['vms']}",
            datastore_uid=f"uuid.s{n % sizes['datastores']}", size_bytes=80 * GIB,
            on_array_bytes=40 * GIB, path=f"/s/{n}", read_at=now,
        )  # fmt: skip


def _history(n_days: int) -> None:
    """Days before today, month by month as whole arrays; today came with the inventory."""
    from django.db import connection, transaction

    from keelmark.core.days import EPOCH
    from keelmark.estate.models import Entity
    from keelmark.readings import sql
    from keelmark.readings.binary import copy_payload
    from keelmark.readings.rows import daily_rows
    from keelmark.readings.services import write_daily

    kinds = ["pool", "volume", "datastore", "disk"]
    ids = np.array(list(Entity.objects.filter(kind__in=kinds).values_list("pk", flat=True)))
    yesterday = (datetime.now(UTC).date() - EPOCH).days - 1
    rng = np.random.default_rng(3)

    def rows(first: int, n: int) -> "DailyRows":
        day = np.repeat(np.arange(first, first + n), len(ids))
        entity = np.tile(ids, n)
        used = (rng.random(len(entity)) * 50 * GIB).astype(np.int64)
        return daily_rows(
            entity_id=entity, day=day, used_bytes=used, provisioned_bytes=used * 2,
            capacity_bytes=used * 3, read_at_us=day * 86_400_000_000 + 86_399_000_000,
        )  # fmt: skip

    with connection.cursor() as cursor:
        cursor.execute(_TWIN)

    def bare(payload: bytes) -> None:
        with transaction.atomic(), connection.cursor() as cursor:
            twin = sql.COPY_DAILY.replace("readings_dailyreading", "bench_twin")
            with cursor.copy(twin) as copy:
                copy.write(payload)

    # A chunk at a time goes bare into a twin of the table, then our way into the table itself.
    begun, n_written, bare_seconds, own_seconds = time.perf_counter(), 0, 0.0, 0.0
    for at, first in enumerate(range(yesterday - n_days + 1, yesterday + 1, CHUNK_DAYS)):
        chunk = rows(first, min(CHUNK_DAYS, yesterday + 1 - first))
        if at < TWIN_CHUNKS:
            bare_seconds += _timed(partial(bare, copy_payload(chunk.columns())))
        seconds = _timed(partial(write_daily, chunk))
        own_seconds += seconds if at < TWIN_CHUNKS else 0.0
        n_written += len(chunk)
    took = time.perf_counter() - begun - bare_seconds
    print(f"history: {n_written:,} readings in {took:.0f} s ({n_written / took:,.0f} a second)")
    print(f"  of a bare COPY: {100 * bare_seconds / own_seconds:.0f} % (budget 50 %)")
    with connection.cursor() as cursor:
        cursor.execute("VACUUM ANALYZE")


def _five_minutes() -> None:
    """A day of five-minute means of all pools and datastores, half an hour at a time."""
    from django.db import connection

    from keelmark.estate.models import Entity
    from keelmark.readings.rollup import roll_up
    from keelmark.readings.rows import MEANS, STEP_US, StepRows
    from keelmark.readings.services import write_steps

    chosen = Entity.objects.filter(kind__in=["pool", "datastore"])
    ids = np.array(list(chosen.values_list("pk", flat=True)))
    midnight_us = int(datetime.now(UTC).timestamp()) // 86_400 * 86_400_000_000 - STEP_US * STEPS
    rng = np.random.default_rng(4)

    def deliver() -> None:
        for step in range(0, STEPS, STEPS_AT_ONCE):
            n = min(STEPS_AT_ONCE, STEPS - step)
            at_us = midnight_us + np.repeat(np.arange(step, step + n), len(ids)) * STEP_US
            means = rng.random((len(MEANS), len(at_us))) * 1000
            write_steps(StepRows(entity_id=np.tile(ids, n), at_us=at_us, means=means))

    took, n_rows = _timed(deliver), len(ids) * STEPS
    rolled = _timed(lambda: roll_up(now=datetime.now(UTC)))
    print(f"five-minute means, a day of pools and datastores: {n_rows:,} in {took:.0f} s")
    print(f"  ({n_rows / took:,.0f} a second); rolled up to hours and the day in {rolled:.0f} s")
    with connection.cursor() as cursor:
        cursor.execute("VACUUM ANALYZE")


def _reads(n_days: int) -> None:
    from django.contrib.auth.models import User
    from django.test import Client

    from keelmark.access.services.people import ensure_person
    from keelmark.estate.models import Entity
    from keelmark.forecasts.berths.reference import tell_median
    from keelmark.forecasts.making.pools import refresh
    from keelmark.forecasts.making.runs import carry_out_chunk, plan_forecasts
    from keelmark.forecasts.models import ForecastChunk
    from keelmark.readings.reckoning import reckon_promised
    from keelmark.readings.selectors import series_of

    today = datetime.now(UTC).date()
    ids = list(Entity.objects.filter(kind="disk").values_list("pk", flat=True))
    first_on = today - timedelta(days=n_days)

    def read(chosen: list[int]) -> Callable[[], object]:
        return lambda: series_of(chosen, first_on=first_on, last_on=today)

    one = np.median([_timed(read([pk])) for pk in ids[:: max(1, len(ids) // ROUNDS)]])
    chunk = _timed(read(ids[:CHUNK]))
    print(f"one series of {n_days} days: {one * 1e3:.1f} ms")
    print(f"{len(ids[:CHUNK]):,} series for the forecaster: {chunk:.1f} s")
    _day(today)
    reckoned = _timed(lambda: reckon_promised(now=datetime.now(UTC)))
    print(f"CPU, memory and snapshots of all clusters reckoned: {reckoned:.2f} s")
    median = _timed(lambda: tell_median(now=datetime.now(UTC)))
    print(f"the median VM found: {median:.2f} s")
    refreshed = _timed(lambda: refresh(now=datetime.now(UTC)))
    print(f"forecasts of all pools: {refreshed:.1f} s")
    ensure_person(name="bench", password="bench-tide")  # noqa: S106  # gone with its database
    client = Client(HTTP_HOST="127.0.0.1")
    client.force_login(User.objects.get(username="bench"))
    pool = list(Entity.objects.filter(kind="pool").values_list("pk", flat=True)[:8])[-1]
    cluster = Entity.objects.get(name="c-1").pk
    planned_in = _timed(lambda: plan_forecasts(now=datetime.now(UTC)))
    print(f"what wants a forecast found and queued: {planned_in:.1f} s")
    # the chunks of the lists that are read below
    for planned in ForecastChunk.objects.filter(
        state="queued", kind__in=["datastore", "array", "cluster"]
    ):
        carry_out_chunk(chunk_id=planned.pk, now=datetime.now(UTC))
    for path in ("/api/v1/pools", "/api/v1/kinds", "/api/v1/findings", "/api/v1/feeds",
                 "/api/v1/trace?name=vm-7", f"/api/v1/forecasts/{pool}",
                 f"/api/v1/contributors/{pool}?days=90", "/api/v1/forecasts?kind=datastore",
                 "/api/v1/limits", f"/api/v1/limits/{pool}", f"/api/v1/berths/{cluster}",
                 f"/api/v1/soundings/{pool}", f"/api/v1/soundings/{cluster}",
                 f"/api/v1/marks/{pool}", f"/api/v1/pools/{pool}"):  # fmt: skip
        if client.get(path).status_code != 200:
            sys.exit(f"{path} is not answered")
        times = [_timed(partial(client.get, path)) for _ in range(ROUNDS)]
        print(f"{path:40} p95 {np.quantile(times, 0.95) * 1e3:6.0f} ms (budget 150)")


def _day(today: date) -> None:
    from django.db import connection

    def whole() -> None:
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT entity_id, used_bytes FROM readings_dailyreading WHERE day = %s",
                [today - timedelta(days=33)],
            )
            cursor.fetchall()

    print(f"a day of the whole estate: {_timed(whole):.2f} s")


def _batches(documents: Iterator["Document"], *, n: int) -> Iterator[list["Document"]]:
    batch = []
    for document in documents:
        batch.append(document)
        if len(batch) == n:
            yield batch
            batch = []
    yield batch


def _timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


if __name__ == "__main__":
    main()
