"""Queues collections: asked for, due, or lost with a worker that died; backs off from failing."""

from datetime import UTC, datetime, timedelta

import structlog
from django.contrib.auth.models import User
from django.db import IntegrityError, transaction
from django.db.models import Q
from procrastinate.contrib.django.models import ProcrastinateJob

from keelmark.access.services.audit import audit
from keelmark.estate.models import Protocol
from keelmark.feeds import selectors
from keelmark.feeds.errors import FeedPausedError
from keelmark.feeds.models import Change, ChangeState, Feed, Run, RunState
from keelmark.feeds.services.jobs import ask_once, defer

log = structlog.get_logger()
LIVE = (RunState.QUEUED, RunState.RUNNING)
LOST_AFTER = timedelta(seconds=15)  # a live run beats every second
LOST_QUEUED_AFTER = timedelta(hours=1)
MAX_BACK_OFF_PERIODS = 16  # a feed that keeps failing is tried at least every 16th time
BROKEN_OFF = "The worker ended in the middle; the last good state stands."
COLLECT_TASK = "keelmark.feeds.tasks.collect_feed"
REFRESH_TASK = "keelmark.forecasts.tasks.refresh_forecasts"
JOIN_TASK = "keelmark.feeds.tasks.join"


@transaction.atomic
def ask_collection(*, actor: User, feed_id: int, is_trial: bool = False) -> Run:
    """Queue a collection and return its run, or that which is under way already.

    A trial reads everything and writes nothing; it is never answered with a collection, which
    writes, nor the other way round.
    """
    feed = selectors.feeds_for(actor).get(pk=feed_id)
    if feed.is_paused and not is_trial:
        raise FeedPausedError(name=feed.name)
    run = queue_run(feed, is_trial=is_trial)
    audit(actor, action="try feed" if is_trial else "collect feed", kind="feed",
          subject_id=feed.pk, name=feed.name, after={"run_id": run.pk})  # fmt: skip
    return run


def set_since_begun(run: Run) -> bool:
    """Whether something was set at the far end while a run was reading there already."""
    since = Change.objects.filter(feed=run.feed_id, state=ChangeState.SET)
    return run.started_at is not None and since.filter(ended_at__gte=run.started_at).exists()


def queue_due(*, now: datetime) -> int:
    """Queue every feed that is due and not paused; return how many."""
    due = Feed.objects.filter(is_paused=False).filter(Q(next_due_at=None) | Q(next_due_at__lte=now))
    n_queued = 0
    for feed in due.exclude(protocol=Protocol.PUSH):  # nobody goes for what is brought
        feed.next_due_at = now + wait_of(feed)
        feed.save(update_fields=["next_due_at"])
        queue_run(feed)
        n_queued += 1
    return n_queued


def wait_of(feed: Feed) -> timedelta:
    """Return how long to wait for the next collection: doubled with each failure in a row."""
    n_periods = min(2**feed.n_failures, MAX_BACK_OFF_PERIODS)
    return timedelta(minutes=feed.every_minutes * n_periods)


def sweep_lost(*, now: datetime) -> int:
    """Mark runs whose worker died and queue their feeds anew; return how many."""
    lost = Run.objects.filter(
        Q(state=RunState.RUNNING, beat_at__lt=now - LOST_AFTER)
        | Q(state=RunState.QUEUED, asked_at__lt=now - LOST_QUEUED_AFTER)
    )
    n_lost = 0
    for run in [*lost.select_related("feed"), *_forsaken(now=now)]:
        still = Run.objects.filter(pk=run.pk, state=run.state, beat_at=run.beat_at)
        if not still.update(state=RunState.INTERRUPTED, ended_at=now, problem=BROKEN_OFF):
            continue  # it beat meanwhile
        if run.is_push:
            requeue(run)
        elif run.feed is not None and not run.is_trial:  # who tried it is told, and may again
            queue_run(run.feed)
        n_lost += 1
    return n_lost


def _forsaken(*, now: datetime) -> list[Run]:
    """Runs that wait for a job which has ended: it failed before it could take them up."""
    waiting = Run.objects.filter(
        state=RunState.QUEUED, asked_at__lt=now - LOST_AFTER, asked_at__gte=now - LOST_QUEUED_AFTER
    )
    return [run for run in waiting.select_related("feed") if _has_ended(run)]


def _has_ended(run: Run) -> bool:
    jobs = ProcrastinateJob.objects.filter(args__run_id=run.pk).order_by("pk")
    newest = jobs.last()
    return newest is not None and newest.status not in ("todo", "doing")


def queue_run(feed: Feed, *, is_trial: bool = False) -> Run:
    """Queue a run of a feed, or return the one of its sort that is queued or running."""
    try:
        with transaction.atomic():
            run = Run.objects.create(
                feed=feed, source=feed.name, asked_at=datetime.now(UTC), is_trial=is_trial
            )
            defer(COLLECT_TASK, run_id=run.pk)
    except IntegrityError:
        live = Run.objects.filter(feed=feed, state__in=LIVE, is_push=False)
        return live.get(is_trial=is_trial)
    return run


def requeue(run: Run) -> None:
    """Queue a run again that was broken off; what it brought is kept with it."""
    job = ProcrastinateJob.objects.filter(args__run_id=run.pk).order_by("pk").last()
    task, arguments = (job.task_name, job.args) if job else (COLLECT_TASK, {"run_id": run.pk})
    with transaction.atomic():
        Run.objects.filter(pk=run.pk).update(
            state=RunState.QUEUED, asked_at=datetime.now(UTC), ended_at=None, problem=""
        )
        defer(task, **arguments)


def ask_refresh() -> None:
    """Queue one refresh of the forecasts; by name, since forecasts lie above feeds."""
    ask_once(REFRESH_TASK)


def ask_joining() -> None:
    """Queue one look over the joined estate."""
    ask_once(JOIN_TASK)
