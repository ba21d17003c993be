"""Carries runs out: collects, imports, tells how far it is, ends in words."""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from typing import Any

import structlog
from django.conf import settings
from django.db import transaction

from keelmark.access.errors import RefusalError
from keelmark.estate.documents import Thing
from keelmark.estate.models import Protocol
from keelmark.estate.services.delivery import open_delivery
from keelmark.feeds.bounds import out_of_bounds
from keelmark.feeds.collectors import collect
from keelmark.feeds.errors import CollectError, PushBodyError, RunLostError
from keelmark.feeds.far_end import Collection, FarEnd
from keelmark.feeds.held import Told, beating, begin, keep
from keelmark.feeds.importer import (
    Imported,
    take_up_after,
    take_up_freed,
    take_up_overlooked,
    write_documents,
)
from keelmark.feeds.models import Feed, Run, RunState
from keelmark.feeds.secrets import opened
from keelmark.feeds.services.folders import import_next
from keelmark.feeds.services.schedule import (
    LIVE,
    ask_joining,
    ask_refresh,
    queue_run,
    set_since_begun,
    wait_of,
)
from keelmark.feeds.services.tables import sheet_of
from keelmark.feeds.signals import collected
from keelmark.feeds.table_import import mapping_of, write_table
from keelmark.feeds.waiting import without_unknown_copies

log = structlog.get_logger()
MAX_PROBLEMS_KEPT = 200
FOLDER_PROTOCOLS = (Protocol.FILE, Protocol.TABLE)


def carry_out(*, run_id: int) -> Run:
    """Collect for a queued run: all of the far end or its last good state."""
    run = Run.objects.select_related("feed__source").get(pk=run_id)
    feed = run.feed
    if feed is None or run.state not in LIVE:
        return run
    begin(run)
    imported = Imported(may_wait=run.is_push or feed.protocol == Protocol.OPENMETRICS)
    with _ending_in_words(run, feed=feed):
        with beating(run.pk) as told:
            if feed.protocol in FOLDER_PROTOCOLS:
                is_trial = run.is_trial
                return _tried_folder(run, feed=feed) if is_trial else import_next(run, feed=feed)
            told.step = "sign-in"
            collection = _collected(feed, run=run, told=told)
            told.step = "comparing" if run.is_trial else "writing"
            _import(collection, feed=feed, run=run, imported=imported)
            take_up_after(imported)
        run.warnings = collection.warnings[:MAX_PROBLEMS_KEPT]
        if imported.n_waiting:
            run.warnings.append(
                f"{imported.n_waiting} documents waited for things that no feed had told of."
            )
        _end(run, state=RunState.DONE, imported=imported)
        if not run.is_trial:
            _ask_followers(imported)
            if set_since_begun(run):
                queue_run(feed)
            collected.send(sender=Run, run_id=run.pk)
    return run


@contextmanager
def _ending_in_words(run: Run, *, feed: Feed) -> Iterator[None]:
    """End a run that cannot go on with what a planner reads; leave one that is others' by now."""
    try:
        yield
    except RunLostError:
        log.warning("run_lost", run_id=run.pk)  # it goes on elsewhere
        run.refresh_from_db()
    except (CollectError, RefusalError) as exc:
        _fail(run, feed=feed, problem=str(exc))
    except Exception as exc:
        _fail(run, feed=feed, problem=f"Unexpected: {type(exc).__name__}: {exc}")
        raise


COUNTED = ("n_read", "n_readings", "n_new", "n_changed", "n_grown", "n_retired", "examples")
TRIED = ("source", "warnings", "bytes_total", *COUNTED)
ENDED = ("state", "problem", "ended_at", "step", "warnings", *COUNTED)


def _tried_folder(run: Run, *, feed: Feed) -> Run:
    """Import the next file for a run that is taken back with all it wrote, and keep its counts.

    The import writes batch by batch and tells its run how far it is; the run of the trial must
    be free to beat meanwhile, so another one stands in for it inside the transaction.
    """
    with transaction.atomic():
        stand_in = Run.objects.create(
            feed=feed, source=feed.name, asked_at=run.asked_at, started_at=run.started_at,
            state=RunState.RUNNING, is_trial=True, is_push=True,
        )  # fmt: skip
        told = import_next(stand_in, feed=feed)
        transaction.set_rollback(True)
    for name in TRIED:
        setattr(run, name, getattr(told, name))
    run.state, run.ended_at, run.step = RunState.DONE, datetime.now(UTC), ""
    keep(run, *ENDED, *TRIED)
    return run


def import_sheet(*, run_id: int, key: str, told: dict[str, Any]) -> Run:  # Any: JSON
    """Import a sent table for a queued run; one that was broken off goes on where it stopped."""
    run = Run.objects.select_related("feed__source").get(pk=run_id)
    if run.feed is None or run.state not in LIVE:
        return run
    begin(run, step="writing")
    with _ending_in_words(run, feed=run.feed):
        with beating(run.pk):
            write_table(sheet_of(key), mapping=mapping_of(told), feed=run.feed, run=run)
        Feed.objects.filter(pk=run.feed.pk).update(last_good_at=datetime.now(UTC))
    return run


def tend_waiting() -> None:
    """Write what waits for things that are known by now, and have made anew what it bears on."""
    _ask_followers(take_up_overlooked())


def _ask_followers(imported: Imported) -> None:
    """Have made anew what the run bears on: counters alone move no date and join nothing."""
    difference = imported.difference
    is_other = bool(difference.n_new or difference.n_changed or difference.n_retired)
    if imported.n_daily or is_other:  # a size or an owner moves dates as a reading does
        ask_refresh()
    if is_other:
        ask_joining()


def _collected(feed: Feed, *, run: Run, told: Told) -> Collection:
    def progress(step: str, n_read: int) -> None:
        told.step, told.n_read = step, n_read

    body = bytes(run.push.body) if run.is_push else None
    collection = collect(
        Protocol(feed.protocol),
        far_end_of(feed),
        progress=progress,
        body=body,
    )
    if run.is_push and feed.source is not None:  # others may have told of things since it came
        numbered = list(enumerate(collection.documents, start=1))
        problems = out_of_bounds(numbered, source=feed.source, options=feed.options)
        if problems:
            raise PushBodyError(problems=problems)
    return collection


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
    documents = collection.documents
    write_documents(
        documents if imported.may_wait else without_unknown_copies(documents), into=imported
    )
    if run.is_trial:
        take_up_freed(imported)  # counted, too
        transaction.set_rollback(True)
        return
    read = [d.read_at for d in collection.documents if isinstance(d, Thing)]
    feed.last_good_at = max(read, default=run.started_at)
    if collection.bookmark is not None:
        feed.options = {**feed.options, "bookmark": dict(collection.bookmark)}
    feed.n_failures = 0
    feed.save(update_fields=["last_good_at", "options", "n_failures"])
    keep(run)


def _fail(run: Run, *, feed: Feed, problem: str) -> None:
    """End a run that failed, and have its feed wait longer."""
    try:
        _end(run, state=RunState.FAILED, problem=problem)
    except RunLostError:  # what ended it here says nothing of who goes on with it
        return
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
    keep(run, *ENDED)
    log.info("run_ended", run_id=run.pk, state=state, problem=problem)
