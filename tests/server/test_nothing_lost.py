"""Faults while something is under way: nothing accepted is lost, nothing counts twice."""

import os
import signal
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import psycopg.errors
import pytest
from django.db import connection
from procrastinate.contrib.django.models import ProcrastinateJob

from keelmark.access.models import AuditEntry
from keelmark.config.state import PROJECT
from keelmark.core.units import TIB
from keelmark.estate.documents import CountersDocument, to_line
from keelmark.estate.models import Entity, Finding, Pool, Protocol, Statement, Volume
from keelmark.estate.services.delivery import open_delivery
from keelmark.estate.services.findings import look_for_findings
from keelmark.feeds import file_import
from keelmark.feeds.errors import UnreachableError
from keelmark.feeds.far_end import FarEnd
from keelmark.feeds.file_import import import_file
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Push, Run, RunState
from keelmark.feeds.redfish.walk import collect_array
from keelmark.feeds.selectors import FeedState, feeds_for, state_of
from keelmark.feeds.services import running
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.feeds.services.pushing import forget_bodies
from keelmark.feeds.services.running import carry_out
from keelmark.feeds.services.schedule import (
    JOIN_TASK,
    REFRESH_TASK,
    ask_collection,
    queue_due,
    queue_run,
    sweep_lost,
)
from keelmark.readings import services as readings
from keelmark.readings.models import DailyReading
from standins.estate import make_estate
from standins.estate_file import write_history
from tests.conftest import ANCHOR_ON, PASSWORD, USER
from tests.server.conftest import NOW
from tests.server.test_joining import array, pool, volume

NDJSON = "application/x-ndjson"
HEADER = b'{"doc":"header","format":"keelmark-estate","version":1,"source":"owners"}'


def counts():
    return (
        Entity.objects.count(), Statement.objects.count(), DailyReading.objects.count(),
        sum(Volume.objects.values_list("written_bytes", flat=True)),
        sum(Pool.objects.values_list("used_bytes", flat=True)),
    )  # fmt: skip


@pytest.fixture
def history(tmp_path):
    path = tmp_path / "history.ndjson"
    estate = make_estate(size="small", anchor_on=ANCHOR_ON)
    write_history(estate, path=path, until=ANCHOR_ON - timedelta(days=1))
    return path


@pytest.mark.django_db(transaction=True)
def test_an_import_whose_process_is_killed_goes_on_and_ends_the_same(history):
    script = (
        "import sys; from pathlib import Path; from keelmark.cli.django import ready_django; "
        "ready_django(); from keelmark.feeds import file_import as f; f.BATCH_LINES = 20; "
        "f.import_file(Path(sys.argv[1]), is_strict=False, tell=lambda run: None)"
    )
    environment = os.environ | {"KEEL_DATABASE": connection.settings_dict["NAME"]}
    child = subprocess.Popen(
        [sys.executable, "-c", script, str(history)], env=environment, cwd=PROJECT
    )
    until = time.monotonic() + 60
    while not Run.objects.filter(bytes_done__gt=0).exists():
        assert time.monotonic() < until
        time.sleep(0.02)
    os.kill(child.pid, signal.SIGKILL)
    child.wait()
    broken = Run.objects.get()
    assert broken.state == RunState.RUNNING
    assert 0 < broken.bytes_done < broken.bytes_total
    run = import_file(history, is_strict=False, tell=lambda _: None)
    assert (run.pk, run.state, run.bytes_done) == (broken.pk, RunState.DONE, run.bytes_total)
    resumed = counts()
    assert import_file(history, is_strict=False, tell=lambda _: None).n_readings == 0
    assert counts() == resumed
    n_lines = sum(line.count(b'"doc"') for line in history.read_bytes().splitlines())
    assert run.n_read == n_lines


@pytest.mark.django_db(transaction=True)
def test_two_that_look_for_findings_at_once_open_each_once():
    import_documents([array(), pool(), volume(mapped_to=["wwn.nobody"])], into=Imported())

    def look(_: int) -> int:
        try:
            return look_for_findings(at=NOW)
        finally:
            connection.close()

    with ThreadPoolExecutor(4) as threads:
        assert list(threads.map(look, range(8))) == [1] * 8
    assert Finding.objects.count() == 1


def test_a_source_that_dies_in_the_middle_changes_nothing(standin, make_feed, planner):
    heron = standin()
    feed = make_feed(heron.url)
    carry_out(run_id=ask_collection(actor=planner, feed_id=feed.pk).pk)
    before = counts()

    def die(step: str, n_read: int) -> None:
        if step == "volumes":
            heron.stop()

    far_end = FarEnd(addresses=(heron.url,), user=USER, password=PASSWORD, back_off_seconds=0.01)
    with pytest.raises(UnreachableError):
        collect_array(far_end, die)
    run = carry_out(run_id=ask_collection(actor=planner, feed_id=feed.pk).pk)
    assert run.state == RunState.FAILED
    assert counts() == before


def test_a_full_disk_undoes_the_delivery_and_the_next_one_brings_it(
    standin, make_feed, planner, monkeypatch
):
    feed = make_feed(standin().url)
    real = readings._copy

    def full(*args, **kwargs):
        raise psycopg.errors.DiskFull("could not extend file: No space left on device")

    monkeypatch.setattr(readings, "_copy", full)
    with pytest.raises(psycopg.errors.DiskFull):
        carry_out(run_id=ask_collection(actor=planner, feed_id=feed.pk).pk)
    failed = Run.objects.get()
    assert failed.state == RunState.FAILED
    assert "No space left on device" in failed.problem
    assert counts() == (0, 0, 0, 0, 0)
    monkeypatch.setattr(readings, "_copy", real)
    run = carry_out(run_id=ask_collection(actor=planner, feed_id=feed.pk).pk)
    assert run.state == RunState.DONE
    assert run.n_new["volume"] == Volume.objects.count()


def test_a_failing_feed_is_tried_less_and_less_and_recovers_at_once(make_feed, planner):
    feed = make_feed("http://127.0.0.1:1")
    waits = []
    for _ in range(6):
        carry_out(run_id=ask_collection(actor=planner, feed_id=feed.pk).pk)
        feed.refresh_from_db()
        last = Run.objects.first()
        waits.append(round((feed.next_due_at - last.ended_at) / timedelta(minutes=15)))
    assert waits == [2, 4, 8, 16, 16, 16]


@pytest.fixture
def owners(db):
    return ensure_feed(name="owners", protocol=Protocol.PUSH, addresses=[])


def push(api, feed, *documents, key="k1", body=None):
    lines = body if body is not None else b"\n".join([HEADER, *(to_line(d) for d in documents)])
    return api.client.generic(
        "POST", f"/api/v1/feeds/{feed.pk}/documents", lines, content_type=NDJSON,
        headers={"Idempotency-Key": key},
    )  # fmt: skip


def test_a_push_is_kept_before_it_is_answered_and_written_once(api, owners):
    answers = [push(api, owners, array(), pool(), volume()) for _ in range(3)]
    assert [a.status_code for a in answers] == [202] * 3
    assert len({a.json()["id"] for a in answers}) == 1
    assert bytes(Push.objects.get().body).startswith(HEADER)
    for _ in range(2):
        carry_out(run_id=answers[0].json()["id"])
    assert Run.objects.get().n_new == {"array": 1, "pool": 1, "volume": 1}
    assert Volume.objects.count() == 1


def test_a_key_used_for_another_body_is_refused(api, owners):
    push(api, owners, array())
    refused = push(api, owners, array(), pool())
    assert (refused.status_code, refused.json()["type"]) == (409, "/problems/push-conflict")


@pytest.mark.parametrize(
    ("body", "told"),
    [
        (b'{"doc":"pool"}', "line 1: Object missing required field"),
        (HEADER + b"\n{}", "line 2: "),
        (b"\xff\xfe", "line 1: not JSON"),
        (b"", "no documents"),
    ],
)
def test_a_push_with_a_bad_line_is_refused_whole(api, owners, body, told):
    refused = push(api, owners, body=body)
    assert refused.status_code == 422
    assert told in refused.json()["detail"]
    assert not Run.objects.exists()


def test_a_push_without_a_key_is_refused(api, owners):
    assert push(api, owners, array(), key="").status_code == 400


def test_pushes_out_of_order_end_in_the_same_estate(api, owners):
    late = push(api, owners, volume(written_bytes=7), key="2")
    early = push(api, owners, array(), pool(), volume(read_at=NOW - timedelta(hours=9)), key="1")
    carry_out(run_id=late.json()["id"])
    assert Volume.objects.count() == 0  # it waits for its pool
    carry_out(run_id=early.json()["id"])
    assert Volume.objects.get().written_bytes == 7


def test_a_push_whose_worker_died_is_written_by_the_next(api, owners):
    run = Run.objects.get(pk=push(api, owners, array()).json()["id"])
    long_ago = NOW - timedelta(minutes=5)
    Run.objects.filter(pk=run.pk).update(state=RunState.RUNNING, beat_at=long_ago)
    assert sweep_lost(now=NOW) == 1
    run.refresh_from_db()
    assert run.state == RunState.QUEUED
    assert carry_out(run_id=run.pk).state == RunState.DONE
    assert Entity.objects.filter(kind="array").count() == 1


def test_a_trial_counts_everything_and_writes_nothing(standin, make_feed, planner):
    feed = make_feed(standin().url)
    asked = ask_collection(actor=planner, feed_id=feed.pk, is_trial=True)
    run = carry_out(run_id=asked.pk)
    assert (run.state, run.is_trial) == (RunState.DONE, True)
    assert run.n_new["pool"] == 3
    assert counts() == (0, 0, 0, 0, 0)
    feed.refresh_from_db()
    assert feed.last_good_at is None


def test_a_trial_and_a_collection_are_never_taken_for_each_other(standin, make_feed, planner):
    feed = make_feed(standin().url)
    collection = ask_collection(actor=planner, feed_id=feed.pk)
    trial = ask_collection(actor=planner, feed_id=feed.pk, is_trial=True)
    assert trial.pk != collection.pk
    assert ask_collection(actor=planner, feed_id=feed.pk).pk == collection.pk
    assert ask_collection(actor=planner, feed_id=feed.pk, is_trial=True).pk == trial.pk
    assert carry_out(run_id=trial.pk).n_new["pool"] == 3
    assert counts() == (0, 0, 0, 0, 0)
    assert carry_out(run_id=collection.pk).n_new["pool"] == 3
    assert counts() != (0, 0, 0, 0, 0)


def test_a_trial_whose_worker_died_is_told_and_nothing_is_collected_in_its_place(
    standin, make_feed, planner
):
    feed = make_feed(standin().url)
    trial = ask_collection(actor=planner, feed_id=feed.pk, is_trial=True)
    long_ago = NOW - timedelta(minutes=5)
    Run.objects.filter(pk=trial.pk).update(state=RunState.RUNNING, beat_at=long_ago)
    assert sweep_lost(now=NOW) == 1
    trial.refresh_from_db()
    assert trial.state == RunState.INTERRUPTED
    assert not Run.objects.exclude(pk=trial.pk).exists()


def test_dropping_a_feed_retires_what_only_it_told(standin, make_feed, planner, api):
    feed = make_feed(standin().url)
    carry_out(run_id=ask_collection(actor=planner, feed_id=feed.pk).pk)
    assert api.send("DELETE", f"/feeds/{feed.pk}").status_code == 204
    assert not Entity.objects.filter(retired_at=None).exclude(kind="site").exists()
    assert DailyReading.objects.exists()


def test_what_others_tell_too_is_told_by_them_alone_once_a_source_is_dropped(api, owners, planner):
    shore = ensure_feed(name="shore records", protocol=Protocol.FILE, addresses=[])
    owners.options = {"of_others": ["inventory"]}
    owners.save()
    into = Imported(delivery=open_delivery(shore.source))
    told = [array(), pool(), volume(workload="tide tables", size_bytes=2 * TIB)]
    import_documents(told, into=into)
    carry_out(run_id=push(api, owners, *told[:2], volume(workload="archive")).json()["id"])
    known = Volume.objects.get()
    assert (known.workload, known.size_bytes) == ("archive", volume().size_bytes)
    assert Finding.objects.filter(kind="conflict", ended_at=None).count() == 1
    assert api.send("DELETE", f"/feeds/{owners.pk}").status_code == 204
    known.refresh_from_db()
    assert (known.workload, known.size_bytes) == ("tide tables", 2 * TIB)
    assert known.entity.retired_at is None
    assert not Finding.objects.filter(kind="conflict", ended_at=None).exists()


def test_asking_for_a_collection_leaves_who_asked(make_feed, planner):
    feed = make_feed("http://127.0.0.1:1")
    run = ask_collection(actor=planner, feed_id=feed.pk, is_trial=True)
    entry = AuditEntry.objects.latest("pk")
    assert (entry.actor_name, entry.action, entry.after) == (
        "planner", "try feed", {"run_id": run.pk},
    )  # fmt: skip


def test_a_push_feed_is_not_gone_for_and_late_only_when_its_documents_are_old(api, owners, planner):
    assert queue_due(now=NOW) == 0
    carry_out(run_id=push(api, owners, array()).json()["id"])
    feed = feeds_for(planner).get(pk=owners.pk)
    assert state_of(feed, now=feed.last_good_at + timedelta(hours=35)) == "fresh"
    assert state_of(feed, now=feed.last_good_at + timedelta(hours=37)) == "late"


def test_bodies_of_old_pushes_are_emptied_and_their_keys_stay_known(api, owners):
    run = push(api, owners, array()).json()
    later = NOW + timedelta(days=31)
    assert forget_bodies(now=later) == 0  # not written yet
    carry_out(run_id=run["id"])
    assert forget_bodies(now=later) == 1
    assert forget_bodies(now=later) == 0
    assert push(api, owners, array()).json()["id"] == run["id"]


def test_counters_alone_have_nothing_made_anew(api, owners):
    carry_out(run_id=push(api, owners, array(), pool(), volume(), key="1").json()["id"])
    jobs = ProcrastinateJob.objects.filter(task_name__in=[REFRESH_TASK, JOIN_TASK])
    assert jobs.count() == 2
    jobs.update(status="succeeded")
    counted = CountersDocument(uid="uuid.p1", read_at=NOW, read_ops=7)
    carry_out(run_id=push(api, owners, counted, key="2").json()["id"])
    assert not jobs.filter(status="todo").exists()


def test_a_file_whose_worker_comes_back_after_another_took_over_is_written_once(
    history, planner, settings, tmp_path, monkeypatch
):
    settings.FEED_FOLDERS = str(tmp_path)
    (tmp_path / "in").mkdir()
    history.rename(tmp_path / "in" / "a.ndjson")
    feed = ensure_feed(
        name="records", protocol=Protocol.FILE, addresses=[], options={"folder": "in"}
    )
    monkeypatch.setattr(file_import, "BATCH_LINES", 20)
    write, later = file_import._write_batch, []

    def write_and_be_silent(batch, *, imported, problems, run):
        write(batch, imported=imported, problems=problems, run=run)
        if not later:
            assert sweep_lost(now=datetime.now(UTC) + timedelta(minutes=1)) == 1
            later.append(carry_out(run_id=Run.objects.get(state=RunState.QUEUED).pk))

    monkeypatch.setattr(file_import, "_write_batch", write_and_be_silent)
    early = carry_out(run_id=queue_run(feed).pk)
    assert (early.state, later[0].state) == (RunState.INTERRUPTED, RunState.DONE)
    assert 0 < early.bytes_done < later[0].bytes_done == later[0].bytes_total
    assert state_of(feeds_for(planner).get(), now=datetime.now(UTC)) == FeedState.FRESH


def test_a_collection_whose_worker_comes_back_writes_nothing(
    standin, make_feed, planner, monkeypatch
):
    feed = make_feed(standin().url)
    collected = running._collected

    def collect_and_be_silent(feed, *, run, told):
        collection = collected(feed, run=run, told=told)
        assert sweep_lost(now=datetime.now(UTC) + timedelta(minutes=1)) == 1
        return collection

    monkeypatch.setattr(running, "_collected", collect_and_be_silent)
    run = carry_out(run_id=ask_collection(actor=planner, feed_id=feed.pk).pk)
    feed.refresh_from_db()
    assert (run.state, feed.last_good_at, feed.n_failures) == (RunState.INTERRUPTED, None, 0)
    assert counts() == (0, 0, 0, 0, 0)
    monkeypatch.undo()
    assert carry_out(run_id=Run.objects.get(state=RunState.QUEUED).pk).state == RunState.DONE
