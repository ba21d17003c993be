from datetime import UTC, datetime, timedelta

import pytest
from django.db import connection

from keelmark.access.models import AuditEntry
from keelmark.estate.documents import CountersDocument, PerformanceDocument, ReadingsDocument
from keelmark.feeds.importer import BY_HAND, Imported, import_documents
from keelmark.readings.models import Correction, DailyReading
from keelmark.readings.partitions import keep_partitions
from keelmark.readings.rollup import roll_up
from tests.server.conftest import NOW

HOUR = NOW.replace(minute=0, second=0) - timedelta(hours=1)  # all of it is past


@pytest.fixture
def uid(make_pool):
    from keelmark.estate.models import Entity

    return Entity.objects.get(pk=make_pool()).uid


def send(*documents):
    into = Imported()
    import_documents(documents, into=into)
    return into.n_readings


def rows(table, columns):
    with connection.cursor() as cursor:
        cursor.execute(f"SELECT {columns} FROM {table} ORDER BY 1")  # noqa: S608  # our own tables
        return cursor.fetchall()


def performance(uid, iops, **changes):
    return PerformanceDocument(uid=uid, first_at=HOUR, read_iops=iops, **changes)


def test_five_minute_means_come_back_with_their_gaps(uid):
    assert send(performance(uid, [10, None, 30], latency_ms=[1.5, None, None])) == 2
    told = rows("readings_performance", "at, read_iops, write_iops, latency_ms")
    assert told == [(HOUR, 10, None, 1.5), (HOUR + timedelta(minutes=10), 30, None, None)]


def test_late_and_corrected_means_are_rolled_up_again(uid):
    send(performance(uid, [10, 20], write_iops=[1, 4]))
    assert roll_up(now=NOW) == 1
    hour = "at, read_iops, peak_iops, n_steps"
    assert rows("readings_performance_hour", hour) == [(HOUR, 15, 24, 2)]
    assert roll_up(now=NOW) == 0
    send(performance(uid, [10, 20, 60]))
    assert roll_up(now=NOW) == 1
    assert rows("readings_performance_hour", hour) == [(HOUR, 30, 60, 3)]
    day = rows("readings_performance_day", "day, read_iops, write_iops, n_steps")
    assert day == [(HOUR.date(), 30, pytest.approx(2.5), 3)]


def test_counters_become_means_once_however_often_they_come(uid):
    samples = [
        CountersDocument(
            uid=uid, read_at=HOUR + timedelta(minutes=m), read_ops=m * 6000, busy_seconds=m * 6
        )
        for m in (0, 3, 6, 11)
    ]
    for _ in range(2):
        for sample in samples:
            send(sample)
    told = rows("readings_performance", "at, read_iops, latency_ms")
    assert told == [
        (HOUR, 100, pytest.approx(1)), (HOUR + timedelta(minutes=5), 100, pytest.approx(1)),
    ]  # fmt: skip


def test_the_waits_of_reads_and_of_writes_are_over_their_own_operations(uid):
    for m in (0, 5):
        send(
            CountersDocument(
                uid=uid, read_at=HOUR + timedelta(minutes=m), read_ops=m * 6000,
                write_ops=m * 3000, read_seconds=m * 12, write_seconds=m * 3,
            )
        )  # fmt: skip
    told = rows("readings_performance", "at, read_latency_ms, write_latency_ms, latency_ms")
    assert told == [(HOUR, pytest.approx(2), pytest.approx(1), None)]


def test_partitions_stand_ready_and_old_ones_are_dropped(uid):
    old = HOUR - timedelta(days=10)
    send(PerformanceDocument(uid=uid, first_at=old, read_iops=[1]))
    roll_up(now=NOW)
    later = HOUR.date() + timedelta(days=5)
    dropped = keep_partitions(today=later)
    assert f"readings_performance_{old:%Y%m%d}" in dropped
    assert rows("readings_performance", "read_iops") == []
    assert rows("readings_performance_hour", "read_iops") == [(1,)]
    ahead = later + timedelta(days=3)
    with connection.cursor() as cursor:
        cursor.execute("SELECT to_regclass(%s)", [f"readings_performance_{ahead:%Y%m%d}"])
        assert cursor.fetchone()[0] is not None
    assert keep_partitions(today=later) == []


def test_a_corrected_day_stands_and_what_it_said_is_kept(uid):
    day = (NOW - timedelta(days=200)).date()
    reading = {"uid": uid, "first_on": day}
    send(ReadingsDocument(**reading, used_bytes=[100]))
    send(ReadingsDocument(**reading, used_bytes=[130]))
    send(ReadingsDocument(**reading, used_bytes=[130]))
    assert DailyReading.objects.get(day=day).used_bytes == 130
    kept = Correction.objects.get()
    assert (kept.used_bytes_before, kept.used_bytes_after) == (100, 130)
    entry = AuditEntry.objects.get(action="correct readings")
    assert (entry.actor_name, entry.subject_name) == ("", BY_HAND)
    assert entry.after["n_days"] == 1
    assert entry.after["first_on"] == day.isoformat()


def test_a_day_that_goes_on_is_no_correction(make_pool):
    make_pool("swift-1", used_tib=40)
    assert not Correction.objects.exists()


def test_readings_of_every_month_find_their_partition(uid):
    first = datetime(2021, 12, 30, tzinfo=UTC).date()
    assert send(ReadingsDocument(uid=uid, first_on=first, used_bytes=[1, 2, 3, 4])) == 4
    assert DailyReading.objects.filter(day__year=2022).count() == 2
