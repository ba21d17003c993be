import asyncio
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import httpx
import pytest
from django.db import connection

from keelmark.core.units import TIB
from keelmark.estate.documents import CountersDocument
from keelmark.estate.models import Entity, Pool, Volume
from keelmark.feeds.errors import AnswerError
from keelmark.feeds.held import beating
from keelmark.feeds.models import Run, RunState
from keelmark.feeds.redfish.walk import collect
from keelmark.feeds.selectors import FeedState, feeds_for, state_of
from keelmark.feeds.services.feeds import set_feed
from keelmark.feeds.services.running import carry_out
from keelmark.feeds.services.schedule import ask_collection, queue_due, sweep_lost
from keelmark.readings.models import DailyReading
from tests.conftest import PASSWORD, USER


def awaited(coroutine):
    """In a thread of its own: this one may hold the browser's event loop."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, coroutine).result()


@pytest.fixture
def run_feed(planner):
    def run(feed) -> Run:
        return carry_out(run_id=ask_collection(actor=planner, feed_id=feed.pk).pk)

    return run


def books():
    return list(Pool.objects.order_by("pk").values_list("pk", "used_bytes", "usable_bytes"))


def test_a_collection_brings_the_array_to_the_byte(standin, make_feed, run_feed):
    heron = standin(now=datetime.now(UTC))  # a clock that stands still: nothing grows meanwhile
    run = run_feed(make_feed(heron.url))
    assert run.state == RunState.DONE, run.problem
    tree = heron.service.tree
    assert run.n_new == {
        "array": 1, "port": 8, "shelf": len(tree.ground.shelves), "pool": len(tree.ground.pools),
        "volume": len(tree.ground.volumes), "drive": len(tree.ground.drives),
        "snapshot": len(tree.ground.snapshots),
    }  # fmt: skip
    for pool in Pool.objects.select_related("entity"):
        assert pool.usable_bytes == tree.ground.pools[pool.entity.name].usable_bytes
        written = sum(pool.volumes.values_list("written_bytes", flat=True))
        assert pool.used_bytes == written
    assert DailyReading.objects.count() == len(tree.ground.pools) + len(tree.ground.volumes)


def test_collecting_again_adds_nothing_and_sees_growth(standin, make_feed, run_feed):
    heron = standin()
    feed = make_feed(heron.url)
    run_feed(feed)
    before = {pk: used for pk, used, _ in books()}
    heron.write(pool="swift-2", n_bytes=2 * TIB)
    run = run_feed(feed)
    assert run.n_new == {}
    assert run.n_retired == {}
    grown = Pool.objects.get(entity__name="swift-2")
    assert grown.used_bytes - before[grown.pk] >= 2 * TIB
    assert DailyReading.objects.filter(entity_id=grown.pk).count() == 1


def test_the_older_location_is_found_too(standin, make_feed, run_feed):
    run = run_feed(make_feed(standin("avocet-2").url))
    assert run.state == RunState.DONE, run.problem
    assert Pool.objects.count() == 3


@pytest.mark.parametrize(
    ("kind", "facts"),
    [
        ("busy", {"count": 2, "retry_after_seconds": None}),
        ("busy", {"count": 1, "retry_after_seconds": 1}),
        ("slow", {"count": 2, "delay_seconds": 0.05}),
        ("truncated", {"count": 2}),
        ("garbage", {"count": 1}),
        ("expired", {"count": 1}),
    ],
)
def test_a_passing_fault_is_waited_out(standin, make_feed, run_feed, kind, facts):
    heron = standin()
    heron.fault(kind, **facts)
    run = run_feed(make_feed(heron.url))
    assert run.state == RunState.DONE, run.problem
    assert heron.service.faults.n_left == 0


@pytest.mark.parametrize(
    ("kind", "told"),
    [
        ("busy", "answered 503 at each of 4 tries"),
        ("truncated", "cut off or is not a JSON object"),
        ("garbage", "cut off or is not a JSON object"),
    ],
)
def test_a_lasting_fault_fails_in_words_and_the_last_good_state_stands(
    standin, make_feed, run_feed, planner, kind, told
):
    heron = standin()
    feed = make_feed(heron.url)
    run_feed(feed)
    before = books()
    heron.write(pool="swift-2", n_bytes=TIB)
    heron.fault(kind, retry_after_seconds=None)
    run = run_feed(feed)
    assert run.state == RunState.FAILED
    assert told in run.problem
    assert heron.url in run.problem
    assert books() == before
    now = datetime.now(UTC)
    assert state_of(feeds_for(planner).get(pk=feed.pk), now=now) == "failing"
    heron.fault("none")
    assert run_feed(feed).state == RunState.DONE
    assert state_of(feeds_for(planner).get(pk=feed.pk), now=now) == "fresh"


def test_missing_optional_properties_lose_nothing_known(standin, make_feed, run_feed):
    heron = standin()
    feed = make_feed(heron.url)
    run_feed(feed)
    heron.fault("sparse")
    run = run_feed(feed)
    assert run.state == RunState.DONE, run.problem
    assert run.n_new == run.n_retired == {}
    assert not Pool.objects.filter(service_class=None).exists()
    assert not Volume.objects.filter(is_mapped=None).exists()


@pytest.mark.parametrize(
    ("kind", "told"),
    [
        ("oversized", "its pool has"),
        ("negative", "-4096"),
        ("overflow", "2^63"),
    ],
)
def test_an_impossible_volume_keeps_its_last_good_figure(standin, make_feed, run_feed, kind, told):
    heron = standin()
    feed = make_feed(heron.url)
    run_feed(feed)
    before = dict(Volume.objects.values_list("pk", "written_bytes"))
    heron.fault(kind, count=1)
    run = run_feed(feed)
    assert run.state == RunState.DONE, run.problem
    assert len(run.warnings) == 1
    assert told in run.warnings[0]
    after = dict(Volume.objects.values_list("pk", "written_bytes"))
    assert None not in after.values()
    assert min(after.values()) >= 0
    assert sum(after[pk] == before[pk] for pk in after) >= 1


def test_a_clock_ahead_is_told_and_readings_carry_our_time(standin, make_feed, run_feed):
    heron = standin()
    heron.fault("clock-ahead")
    run = run_feed(make_feed(heron.url))
    assert run.state == RunState.DONE
    assert "ahead of ours" in run.warnings[0]
    assert Pool.objects.first().read_at <= datetime.now(UTC)


def test_a_wrong_password_is_told_and_a_right_one_mends_it(standin, make_feed, run_feed, planner):
    feed = make_feed(standin().url, password="high-water")
    run = run_feed(feed)
    assert run.state == RunState.FAILED
    assert "refuses the sign-in of “planner-ro”" in run.problem
    set_feed(actor=planner, feed_id=feed.pk, password="low-water")
    assert run_feed(feed).state == RunState.DONE


def test_an_array_that_is_down_is_told(make_feed, run_feed):
    run = run_feed(make_feed("http://127.0.0.1:1"))
    assert run.state == RunState.FAILED
    assert "the connection is refused" in run.problem


def test_what_is_gone_is_retired_and_keeps_its_history(standin, make_feed, run_feed):
    heron = standin()
    feed = make_feed(heron.url)
    run_feed(feed)
    del heron.service.tree.ground.volumes[
        "swift-2-" + heron.service.tree.ground.pools["swift-2"].volumes[0].name
    ]
    run = run_feed(feed)
    assert run.n_retired == {"volume": 1}
    gone = Entity.objects.get(kind="volume", retired_at__isnull=False)
    assert DailyReading.objects.filter(entity=gone).exists()


def test_a_run_whose_worker_died_is_marked_and_queued_anew(standin, make_feed, planner):
    heron = standin()
    run = ask_collection(actor=planner, feed_id=make_feed(heron.url).pk)
    now = datetime.now(UTC)
    Run.objects.filter(pk=run.pk).update(state=RunState.RUNNING, beat_at=now - timedelta(minutes=2))
    assert sweep_lost(now=now) == 1
    run.refresh_from_db()
    assert run.state == RunState.INTERRUPTED
    assert "last good state stands" in run.problem
    assert state_of(feeds_for(planner).get(), now=now) == FeedState.LATE  # not the source's fault
    again = Run.objects.get(state=RunState.QUEUED)
    assert carry_out(run_id=again.pk).state == RunState.DONE


@pytest.mark.django_db(transaction=True)
def test_a_run_beats_for_as_long_as_it_works_and_no_longer():
    old = datetime.now(UTC) - timedelta(hours=1)
    run = Run.objects.create(
        source="heron-1", state=RunState.RUNNING, asked_at=old, started_at=old, beat_at=old
    )
    with beating(run.pk, every_seconds=0.01) as told:
        told.step, told.n_read = "writing", 7
        until = time.monotonic() + 10
        while run.step != "writing" and time.monotonic() < until:
            run.refresh_from_db()
    assert (run.step, run.n_read) == ("writing", 7)
    assert datetime.now(UTC) - run.beat_at < timedelta(minutes=1)
    assert sweep_lost(now=datetime.now(UTC)) == 0
    Run.objects.update(beat_at=old)
    assert sweep_lost(now=datetime.now(UTC)) == 1


def test_a_live_run_is_left_alone_by_the_sweep(make_feed, planner):
    run = ask_collection(actor=planner, feed_id=make_feed("http://127.0.0.1:1").pk)
    now = datetime.now(UTC)
    Run.objects.filter(pk=run.pk).update(state=RunState.RUNNING, beat_at=now)
    assert sweep_lost(now=now) == 0


def test_due_feeds_are_queued_once(make_feed):
    make_feed("http://127.0.0.1:1")
    now = datetime.now(UTC)
    assert queue_due(now=now) == 1
    assert queue_due(now=now) == 0
    assert queue_due(now=now + timedelta(minutes=16)) == 1
    assert Run.objects.filter(state=RunState.QUEUED).count() == 1


def test_a_pool_with_impossible_books_fails_the_collection():
    pool = {
        "@odata.id": "/redfish/v1/Storage/x/StoragePools/p",
        "Name": "p",
        "Capacity": {"Data": {"AllocatedBytes": 100, "ConsumedBytes": -5}},
    }
    answers = {
        "/redfish/v1/": {"Storage": {"@odata.id": "/redfish/v1/Storage"}},
        "/redfish/v1/Storage": {"Members": [{"@odata.id": "/redfish/v1/Storage/x"}]},
        "/redfish/v1/Storage/x": {
            "@odata.id": "/redfish/v1/Storage/x",
            "Name": "x",
            "Identifiers": [{"DurableNameFormat": "UUID", "DurableName": "AB-1"}],
            "StoragePools": {"@odata.id": "/redfish/v1/Storage/x/StoragePools"},
        },
        "/redfish/v1/Storage/x/StoragePools": {"Members": [pool]},
    }

    def answer(request: httpx.Request) -> httpx.Response:
        if request.method != "GET":
            return httpx.Response(404)  # no sessions here: basic authentication
        return httpx.Response(200, json=answers[request.url.path])

    with pytest.raises(AnswerError, match="pool p, ConsumedBytes is -5"):
        awaited(
            collect(
                "http://127.0.0.1:9",
                user="u",
                password="p",
                progress=lambda step, n: None,
                transport=httpx.MockTransport(answer),
            )
        )


def test_endless_pages_are_noticed():
    def answer(request: httpx.Request) -> httpx.Response:
        if request.url.path == "/redfish/v1/":
            return httpx.Response(200, json={"Storage": {"@odata.id": "/s"}})
        if request.method != "GET":
            return httpx.Response(404)
        return httpx.Response(200, json={"Members": [], "Members@odata.nextLink": "/s"})

    with pytest.raises(AnswerError, match="pages never end"):
        awaited(
            collect(
                "http://127.0.0.1:9", user="u", password="p", progress=lambda step, n: None,
                transport=httpx.MockTransport(answer),
            )
        )  # fmt: skip


def test_what_goes_through_ports_pools_and_volumes_is_counted(standin):
    heron = standin()
    told = awaited(collect(heron.url, user=USER, password=PASSWORD, progress=lambda step, n: None))
    counted = [d for d in told.documents if isinstance(d, CountersDocument)]
    tree = heron.service.tree
    assert len(counted) == 8 + len(tree.ground.pools) + len(tree.ground.volumes)
    port = next(d for d in counted if d.read_ops is None)
    assert min(port.read_bytes, port.write_bytes) > 0


def test_a_run_whose_job_failed_before_it_took_it_up_is_queued_anew(make_feed, planner):
    """The database was away just then: nobody would have come for it."""
    run = ask_collection(actor=planner, feed_id=make_feed("http://127.0.0.1:1").pk)
    soon = run.asked_at + timedelta(seconds=30)
    assert sweep_lost(now=soon) == 0  # its job waits still
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE procrastinate_jobs SET status = 'failed' WHERE (args->>'run_id')::bigint = %s",
            [run.pk],
        )
    assert sweep_lost(now=run.asked_at + timedelta(seconds=5)) == 0
    assert sweep_lost(now=soon) == 1
    run.refresh_from_db()
    assert run.state == RunState.INTERRUPTED
    assert Run.objects.get(state=RunState.QUEUED).pk != run.pk
