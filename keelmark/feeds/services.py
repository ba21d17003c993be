"""Writes feeds and runs: asks for collections, carries them out, imports files."""

import asyncio
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from threading import Event, Thread

import structlog
from django.conf import settings
from django.contrib.auth.models import User
from django.db import DatabaseError, IntegrityError, connection, transaction
from django.db.models import Q
from procrastinate.contrib.django import app as queue
from procrastinate.exceptions import AlreadyEnqueued

from keelmark.estate import selectors as estate
from keelmark.estate.documents import ArrayDocument
from keelmark.feeds import selectors
from keelmark.feeds.errors import CollectError, FeedPausedError
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Feed, Run, RunState
from keelmark.feeds.redfish.walk import Collection, collect
from keelmark.feeds.secrets import opened, sealed

log = structlog.get_logger()
LIVE = (RunState.QUEUED, RunState.RUNNING)
BEAT_SECONDS = 1.0
LOST_AFTER = timedelta(seconds=15)  # a live run beats every second
MAX_PROBLEMS_KEPT = 200
COLLECT_TASK = "keelmark.feeds.tasks.collect_feed"
REFRESH_TASK = "keelmark.forecasts.tasks.refresh_forecasts"


@transaction.atomic
def ensure_feed(*, name: str, url: str, user: str, password: str, every_minutes: int = 15) -> Feed:
    """Make the feed or bring an existing one of this name up to date."""
    feed, _ = Feed.objects.update_or_create(
        name=name,
        defaults={
            "url": url,
            "user": user,
            "password_encrypted": sealed(password),
            "every_minutes": every_minutes,
        },
    )
    return feed


@transaction.atomic
def set_feed(
    *,
    actor: User,
    feed_id: int,
    user: str | None = None,
    password: str | None = None,
    url: str | None = None,
    is_paused: bool | None = None,
) -> Feed:
    """Change what is given of a feed; the password goes in and never comes out."""
    feed = selectors.feeds_for(actor).select_for_update(of=("self",)).get(pk=feed_id)
    if user is not None:
        feed.user = user
    if password is not None:
        feed.password_encrypted = sealed(password)
    if url is not None:
        feed.url = url
    if is_paused is not None:
        feed.is_paused = is_paused
    feed.save(update_fields=["user", "password_encrypted", "url", "is_paused"])
    log.info("feed_set", feed_id=feed.pk, actor=actor.get_username())
    return feed


def ask_collection(*, actor: User, feed_id: int) -> Run:
    """Queue a collection and return its run, or the run that is under way already."""
    feed = selectors.feeds_for(actor).get(pk=feed_id)
    if feed.is_paused:
        raise FeedPausedError(name=feed.name)
    return _queue(feed)


def queue_due(*, now: datetime) -> int:
    """Queue every feed that is due and not paused; return how many."""
    due = Feed.objects.filter(is_paused=False).filter(Q(next_due_at=None) | Q(next_due_at__lte=now))
    n_queued = 0
    for feed in due:
        feed.next_due_at = now + timedelta(minutes=feed.every_minutes)
        feed.save(update_fields=["next_due_at"])
        _queue(feed)
        n_queued += 1
    return n_queued


def sweep_lost(*, now: datetime) -> int:
    """Mark runs whose worker died and queue their feeds anew; return how many."""
    lost = Run.objects.filter(
        Q(state=RunState.RUNNING, beat_at__lt=now - LOST_AFTER)
        | Q(state=RunState.QUEUED, asked_at__lt=now - timedelta(hours=1))
    )
    n_lost = 0
    for run in lost.select_related("feed"):
        with transaction.atomic():
            run.state = RunState.INTERRUPTED
            run.ended_at = now
            run.problem = "The worker ended in the middle; the last good state stands."
            run.save(update_fields=["state", "ended_at", "problem"])
        if run.feed is not None:
            _queue(run.feed)
        n_lost += 1
    return n_lost


def _queue(feed: Feed) -> Run:
    try:
        with transaction.atomic():
            run = Run.objects.create(feed=feed, source=feed.name, asked_at=datetime.now(UTC))
            queue.configure_task(COLLECT_TASK).defer(run_id=run.pk)
    except IntegrityError:
        return Run.objects.filter(feed=feed, state__in=LIVE).get()
    return run


def carry_out(*, run_id: int) -> Run:
    """Collect for a queued run: all of the array or its last good state."""
    run = Run.objects.select_related("feed").get(pk=run_id)
    feed = run.feed
    if feed is None or run.state not in LIVE:
        return run
    run.state, run.started_at = RunState.RUNNING, datetime.now(UTC)
    run.beat_at = run.started_at
    run.save(update_fields=["state", "started_at", "beat_at"])
    try:
        with beating(run.pk) as told:
            collection = _collected(feed, told=told)
            told.step = "writing"
            imported = _import_collection(collection, feed=feed)
    except CollectError as exc:
        _end(run, state=RunState.FAILED, problem=str(exc))
        return run
    except Exception as exc:
        _end(run, state=RunState.FAILED, problem=f"Unexpected: {type(exc).__name__}: {exc}")
        raise
    run.warnings = collection.warnings[:MAX_PROBLEMS_KEPT]
    _end(run, state=RunState.DONE, imported=imported)
    ask_refresh()
    return run


@dataclass(slots=True)
class _Told:
    """How far a run is, for whoever asks."""

    step: str = "sign-in"
    n_read: int = 0


@contextmanager
def beating(run_id: int, *, every_seconds: float = BEAT_SECONDS) -> Iterator[_Told]:
    """Keep a run's row alive from a thread of its own, through reading and writing alike."""
    told, is_over = _Told(), Event()

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


def _beat(run_id: int, *, told: _Told) -> None:
    Run.objects.filter(pk=run_id, state=RunState.RUNNING).update(
        beat_at=datetime.now(UTC), step=told.step, n_read=told.n_read
    )


def _collected(feed: Feed, *, told: _Told) -> Collection:
    def progress(step: str, n_read: int) -> None:
        told.step, told.n_read = step, n_read

    return asyncio.run(
        collect(
            feed.url,
            user=feed.user,
            password=opened(feed.password_encrypted),
            progress=progress,
            back_off_seconds=settings.FEED_BACK_OFF_SECONDS,
        )
    )


@transaction.atomic
def _import_collection(collection: Collection, *, feed: Feed) -> Imported:
    imported = Imported()
    import_documents(collection.documents, into=imported)
    told = next(d for d in collection.documents if isinstance(d, ArrayDocument))
    feed.array = estate.array_of_uid(told.uid)
    feed.last_good_at = told.read_at
    feed.save(update_fields=["array", "last_good_at"])
    return imported


def _end(run: Run, *, state: RunState, problem: str = "", imported: Imported | None = None) -> None:
    run.state, run.problem, run.ended_at = state, problem, datetime.now(UTC)
    if imported is not None:
        run.n_read = imported.n_documents
        run.n_readings = imported.n_readings
        run.n_new = imported.difference.n_new
        run.n_changed = imported.difference.n_changed
        run.n_retired = imported.difference.n_retired
    run.step = ""
    run.save()
    log.info("run_ended", run_id=run.pk, state=state, problem=problem)


def ask_refresh() -> None:
    """Queue one refresh of the forecasts; by name, since forecasts lie above feeds."""
    try:
        with transaction.atomic():
            queue.configure_task(REFRESH_TASK, queueing_lock=REFRESH_TASK).defer()
    except AlreadyEnqueued:
        log.debug("refresh_waits_already")
