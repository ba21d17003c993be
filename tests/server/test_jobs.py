"""What workers do by themselves: refresh, sweep, the night, the schedule of feeds."""

from datetime import UTC, datetime, timedelta

import pytest
from procrastinate.contrib.django.models import ProcrastinateJob

from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import ArrayDocument, PoolDocument, ReadingsDocument, VolumeDocument
from keelmark.estate.models import Protocol
from keelmark.feeds import tasks as feed_tasks
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Run, RunState
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.forecasts import tasks
from keelmark.forecasts.models import (
    ChunkState,
    EstateRecord,
    ForecastChunk,
    ForecastRun,
    KeptForecast,
    MedianSize,
)
from tests.server.conftest import NOW

N_DAYS = 60


@pytest.fixture
def estate(db):
    read_at = datetime.now(UTC)
    first_on = (read_at - timedelta(days=N_DAYS - 1)).date()

    def history(uid, last):
        used = [last - back * GIB for back in range(N_DAYS - 1, -1, -1)]
        return ReadingsDocument(uid=uid, first_on=first_on, used_bytes=used)

    import_documents(
        [
            ArrayDocument(uid="serial.h", name="heron-1", site="Skerry", read_at=read_at),
            PoolDocument(uid="uuid.p", array_uid="serial.h", name="swift-1", read_at=read_at,
                         usable_bytes=100 * TIB, used_bytes=40 * TIB),
            VolumeDocument(uid="naa.1", pool_uid="uuid.p", name="seabed-1", read_at=read_at,
                           size_bytes=10 * TIB, written_bytes=8 * TIB),
            history("uuid.p", 40 * TIB),
            history("naa.1", 8 * TIB),
        ],
        into=Imported(),
    )  # fmt: skip


def chunks_queued():
    return ProcrastinateJob.objects.filter(task_name=tasks.CHUNK_TASK, status="todo")


@pytest.mark.parametrize("is_regular", [False, True])
def test_a_refresh_makes_pools_at_once_and_queues_the_rest(estate, is_regular):
    if is_regular:
        tasks.refresh_regularly(0)
    else:
        tasks.refresh_forecasts()
    assert KeptForecast.objects.get().growth_per_day == pytest.approx(GIB, rel=0.05)
    assert EstateRecord.objects.get(kind="pool", metric="used").n_things == 1
    assert MedianSize.objects.exists()
    run = ForecastRun.objects.get()
    assert chunks_queued().count() == run.chunks.count() > 0
    for chunk in run.chunks.all():
        tasks.forecast_chunk(chunk.pk)
    run.refresh_from_db()
    assert run.state == "done"
    assert KeptForecast.objects.get(entity__uid="naa.1").growth_per_day == pytest.approx(
        GIB, rel=0.05
    )
    tasks.refresh_forecasts()
    assert ForecastRun.objects.count() == 1  # nothing came since


def test_the_night_makes_everything_once(estate):
    tasks.refresh_forecasts()
    for chunk in ForecastChunk.objects.all():
        tasks.forecast_chunk(chunk.pk)
    tasks.nightly(0)
    night = ForecastRun.objects.latest("pk")
    assert night.is_everything
    for chunk in night.chunks.all():
        tasks.forecast_chunk(chunk.pk)
    tasks.nightly(0)  # ten minutes later
    assert ForecastRun.objects.latest("pk") == night


def test_the_sweep_takes_up_what_a_dead_worker_left(estate):
    tasks.refresh_forecasts()
    chunk = ForecastChunk.objects.first()
    long_ago = datetime.now(UTC) - timedelta(hours=1)
    ForecastChunk.objects.filter(pk=chunk.pk).update(state=ChunkState.RUNNING, touched_at=long_ago)
    before = chunks_queued().count()
    tasks.sweep(0)
    chunk.refresh_from_db()
    assert chunk.state == ChunkState.QUEUED
    assert chunks_queued().count() == before + 1


def test_the_schedule_queues_what_is_due_and_takes_up_what_was_lost(db, make_feed):
    feed = make_feed("http://127.0.0.1:1")
    feed_tasks.keep_schedule(0)
    run = Run.objects.get()
    assert (run.feed_id, run.state) == (feed.pk, RunState.QUEUED)
    long_ago = datetime.now(UTC) - timedelta(minutes=5)
    Run.objects.filter(pk=run.pk).update(state=RunState.RUNNING, beat_at=long_ago)
    feed_tasks.keep_schedule(0)
    states = Run.objects.order_by("pk").values_list("state", flat=True)
    assert list(states) == [RunState.INTERRUPTED, RunState.QUEUED]


def test_a_collection_that_is_queued_is_carried_out_by_its_job(db, standin, make_feed):
    make_feed(standin().url)
    feed_tasks.keep_schedule(0)
    feed_tasks.collect_feed(Run.objects.get().pk)
    assert Run.objects.get().state == RunState.DONE
    feed_tasks.join()  # a look over what was joined, with nothing to tell
    feed_tasks.forget_bodies_task(0)


def test_a_paused_feed_and_a_push_feed_are_not_gone_for(db, make_feed):
    feed = make_feed("http://127.0.0.1:1")
    type(feed).objects.filter(pk=feed.pk).update(is_paused=True)
    ensure_feed(name="owners", protocol=Protocol.PUSH, addresses=[])
    feed_tasks.keep_schedule(0)
    assert not Run.objects.exists()


def test_now_is_now():
    assert tasks.now() >= NOW
