"""Carries runs out: collects, imports, tells how far it is, ends in words."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from threading import Event, Thread

import structlog
from django.conf import settings
from django.db import DatabaseError, connection, transaction

from keelmark.access.errors import RefusalError
from keelmark.estate.documents import Thing
from keelmark.estate.models import Protocol
from keelmark.estate.services.delivery import open_delivery
from keelmark.feeds.collectors import collect
from keelmark.feeds.errors import CollectError
from keelmark.feeds.far_end import Collection, FarEnd
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Feed, Run, RunState
from keelmark.feeds.secrets import opened
from keelmark.feeds.services.folders import import_next
from keelmark.feeds.services.schedule import LIVE, ask_joining, ask_refresh, wait_of

log = structlog.get_logger()
BEAT_SECONDS = 1.0
MAX_PROBLEMS_KEPT = 200
FOLDER_PROTOCOLS = (Protocol.FILE, Protocol.TABLE)


def carry_out(*, run_id: int) -> Run:
    """Collect for a queued run: all of the far end or its last good state."""
    run = Run.objects.select_related("feed__source").get(pk=run_id)
    feed = run.feed
    if feed is None or run.state not in LIVE:
        return run
    run.state, run.started_at = RunState.RUNNING, datetime.now(UTC)
    run.beat_at = run.started_at
    run.save(update_fields=["state", "started_at", "beat_at"])
    imported = Imported(may_wait=run.is_push or feed.protocol == Protocol.OPENMETRICS)
    try:
        if feed.protocol in FOLDER_PROTOCOLS:
            return import_next(run, feed=feed)
        with beating(run.pk) as told:
            collection = _collected(feed, run=run, told=told)
            told.step = "comparing" if run.is_trial else "writing"
            _import(collection, feed=feed, run=run, imported=imported)
    except (CollectError, RefusalError) as exc:
        _fail(run, feed=feed, problem=str(exc))
        return run
    except Exception as exc:
        _fail(run, feed=feed, problem=f"Unexpected: {type(exc).__name__}: {exc}")
        raise
    run.warnings = collection.warnings[:MAX_PROBLEMS_KEPT]
    if imported.n_waiting:
        run.warnings.append(f"{imported.n_waiting} documents wait for things not told of yet.")
    _end(run, state=RunState.DONE, imported=imported)
    if not run.is_trial:
        _ask_followers(imported)
    return run


def _ask_followers(imported: Imported) -> None:
    """Have made anew what the run bears on: counters alone move no date and join nothing."""
    difference = imported.difference
    is_other = bool(difference.n_new or difference.n_changed or difference.n_retired)
    if imported.n_daily or is_other:  # a size or an owner moves dates as a reading does
        ask_refresh()
    if is_other:
        ask_joining()


@dataclass(slots=True)
class Told:
    """How far a run is, for whoever asks."""

    step: str = "sign-in"
    n_read: int = 0


@contextmanager
def beating(run_id: int, *, every_seconds: float = BEAT_SECONDS) -> Iterator[Told]:
    """Keep a run's row alive from a thread of its own, through reading and writing alike."""
    told, is_over = Told(), Event()

    def beat() -> None:
        while True:
            try:
                _beat(run_id, told=told)
            except DatabaseError:
                log.warning("beat_missed", run_id=run_id)
            if is_over.wait(every_seconds):
                connection.close()
                return

    thread = Thread(target=beat, name=f"beat of run {run_id}", daemon=True)
    thread.start()
    try:
        yield told
    finally:
        is_over.set()
        thread.join()


def _beat(run_id: int, *, told: Told) -> None:
    Run.objects.filter(pk=run_id, state=RunState.RUNNING).update(
        beat_at=datetime.now(UTC), step=told.step, n_read=told.n_read
    )


def _collected(feed: Feed, *, run: Run, told: Told) -> Collection:
    def progress(step: str, n_read: int) -> None:
        told.step, told.n_read = step, n_read

    body = bytes(run.push.body) if run.is_push else None
    return collect(
        Protocol(feed.protocol),
        far_end_of(feed),
        progress=progress,
        body=body,
    )


def far_end_of(feed: Feed) -> FarEnd:
    """Return where and how a feed collects, its secret opened."""
    return FarEnd(
        addresses=tuple(feed.addresses),
        user=feed.user,
        password=opened(feed.password_encrypted),
        ca_certificate=feed.ca_certificate,
        options=feed.options,
        timeout_seconds=feed.timeout_seconds,
        back_off_seconds=settings.FEED_BACK_OFF_SECONDS,
        last_good_at=feed.last_good_at,
    )


@transaction.atomic
def _import(collection: Collection, *, feed: Feed, run: Run, imported: Imported) -> None:
    """Write all of a collection or nothing; a trial is taken back when it has been counted."""
    if feed.source is not None:
        imported.delivery = open_delivery(feed.source, number=run.pk)
    import_documents(collection.documents, into=imported)
    if run.is_trial:
        transaction.set_rollback(True)
        return
    read = [d.read_at for d in collection.documents if isinstance(d, Thing)]
    feed.last_good_at = max(read, default=run.started_at)
    if collection.bookmark is not None:
        feed.options = {**feed.options, "bookmark": dict(collection.bookmark)}
    feed.n_failures = 0
    feed.save(update_fields=["last_good_at", "options", "n_failures"])


def _fail(run: Run, *, feed: Feed, problem: str) -> None:
    """End a run that failed, and have its feed wait longer."""
    _end(run, state=RunState.FAILED, problem=problem)
    if run.is_trial:
        return
    feed.n_failures += 1
    feed.next_due_at = datetime.now(UTC) + max(wait_of(feed), timedelta(0))
    feed.save(update_fields=["n_failures", "next_due_at"])


def _end(run: Run, *, state: RunState, problem: str = "", imported: Imported | None = None) -> None:
    run.state, run.problem, run.ended_at = state, problem, datetime.now(UTC)
    if imported is not None:
        run.n_read = imported.n_documents
        run.n_readings = imported.n_readings
        run.n_new = imported.difference.n_new
        run.n_changed = imported.difference.n_changed
        run.n_grown = imported.difference.n_grown
        run.n_retired = imported.difference.n_retired
        run.examples = imported.difference.examples
    run.step = ""
    run.save()
    log.info("run_ended", run_id=run.pk, state=state, problem=problem)
