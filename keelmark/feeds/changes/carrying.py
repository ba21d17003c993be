"""Carries changes out: one after the other a feed, each read back, none sent twice."""

from dataclasses import replace
from datetime import timedelta
from typing import Final

import structlog
from django.db import transaction
from django.db.models import QuerySet

from keelmark.access.clock import now
from keelmark.access.services.audit import audit
from keelmark.estate.models import Alias, Protocol
from keelmark.feeds.changes.allowed import (
    CLONES,
    DELETION,
    ENDS,
    LIMITS,
    MIRRORS,
    NAME,
    SIZE,
    VOLUME,
    Values,
)
from keelmark.feeds.changes.elsewhere import places_named
from keelmark.feeds.changes.writers import Outcome, Progress, Sending, guarded, writer_of
from keelmark.feeds.errors import BusyError, CollectError, NotAsSeenError, UnreachableError
from keelmark.feeds.far_end import FarEnd
from keelmark.feeds.models import Change, ChangeState, Feed
from keelmark.feeds.secrets import opened
from keelmark.feeds.services.running import far_end_of
from keelmark.feeds.services.schedule import queue_run
from keelmark.feeds.signals import change_ended

log = structlog.get_logger()
_DEEDS: Final = {
    LIMITS: "set limits", VOLUME: "make volume", SIZE: "extend volume", NAME: "rename volume",
    ENDS: "map volume", DELETION: "delete volume", CLONES: "clone volume",
    MIRRORS: "mirror volume",
}  # fmt: skip
LOOK_AGAIN: Final = timedelta(seconds=20)  # after which counters tell what a new limit does


def carry_out(*, feed_id: int) -> int:
    """Send what is queued for a feed, one by one, and return how many were set.

    To be run by one worker a feed. What an earlier one left in the middle is begun again: it is
    read before it is sent, so that what was done is not done twice. What goes on at the far end
    is looked at once, and again by the next job.
    """
    left = (ChangeState.SENDING, ChangeState.UNDER_WAY)
    Change.objects.filter(feed=feed_id, state__in=left).update(state=ChangeState.QUEUED)
    places: dict[str, str] = {}
    n_set = 0
    while (change := _taken(feed_id)) is not None:
        n_set += _carried(change, places=places)
    if n_set:
        _look_again(feed_id)
    return n_set


@transaction.atomic
def _taken(feed_id: int) -> Change | None:
    change = (
        Change.objects.filter(feed=feed_id, state=ChangeState.QUEUED)
        .select_for_update(of=("self",), skip_locked=True)
        .select_related("entity", "feed", "change_set__actor")
        .order_by("pk")
        .first()
    )
    if change is not None:
        change.state, change.n_tries = ChangeState.SENDING, change.n_tries + 1
        change.save(update_fields=["state", "n_tries"])
    return change


def _carried(change: Change, *, places: dict[str, str]) -> bool:
    """Send one change and keep what came of it; return whether it is set now."""
    try:
        outcome = _sent(change, places=places)
    except NotAsSeenError as exc:
        _end(change, state=ChangeState.FAILED, problem=str(exc), found=exc.found)
    except (UnreachableError, BusyError) as exc:
        _end(change, state=ChangeState.FAILED, problem=str(exc))
        _give_up(change, problem=f"Not sent: {exc}")
    except CollectError as exc:
        _end(change, state=ChangeState.FAILED, problem=str(exc))
    except Exception as exc:
        _end(change, state=ChangeState.FAILED, problem=f"Unexpected: {type(exc).__name__}: {exc}")
        log.exception("change_failed", change_id=change.pk)
    else:
        if outcome.is_under_way:
            _ours(change).update(state=ChangeState.UNDER_WAY)
            return False
        if outcome.is_so:
            return _end(change, state=ChangeState.SET, found=outcome.found)
        told = "It was sent and taken, and reads back otherwise"
        problem = f"{told}: {outcome.says}" if outcome.says else f"{told}."
        _end(change, state=ChangeState.OTHERWISE, problem=problem, found=outcome.found)
    return False


def _sent(change: Change, *, places: dict[str, str]) -> Outcome:
    feed = change.feed
    if feed is None or not feed.may_set:
        raise CollectError("Its feed is paused, gone, or may set nothing any more.")
    writer = writer_of(change.what)
    far_end = guarded(Protocol(feed.protocol), _writing_end(feed))
    uids = frozenset(Alias.objects.filter(entity=change.entity_id).values_list("uid", flat=True))
    if not uids & places.keys():
        places.update(writer.find(far_end, _uids_queued(feed) | uids))
    place = next((places[uid] for uid in sorted(uids) if uid in places), "")

    def keep(progress: Progress) -> None:
        if not _ours(change).update(progress=progress):
            raise CollectError("Another worker has taken it over.")  # nothing is sent twice
        change.progress = progress

    sending = Sending(
        place=place, uids=uids, was=change.was, wanted=change.wanted, progress=change.progress,
        keep=keep, elsewhere=places_named(change, find=writer.find),
    )  # fmt: skip
    return writer.send(far_end, sending)


def _writing_end(feed: Feed) -> FarEnd:
    """The far end of a feed with the account that may set there."""
    return replace(
        far_end_of(feed),
        user=feed.writer_user,
        password=opened(feed.writer_password_encrypted),
    )


def _uids_queued(feed: Feed) -> frozenset[str]:
    queued = Change.objects.filter(feed=feed, state=ChangeState.QUEUED).values("entity_id")
    return frozenset(Alias.objects.filter(entity__in=queued).values_list("uid", flat=True))


@transaction.atomic
def _end(
    change: Change,
    *,
    state: ChangeState,
    problem: str = "",
    found: Values | None = None,
) -> bool:
    """Keep what came of a change, and tell it in the audit; not if another took it over."""
    told = None if found is None else dict(found)
    if not _ours(change).update(state=state, problem=problem, found=told, ended_at=now()):
        log.warning("change_lost", change_id=change.pk)
        return False
    _audit(change, state=state, problem=problem, found=told)
    _tell_end(change)
    return state == ChangeState.SET


def _ours(change: Change) -> "QuerySet[Change]":
    """The row of a change as long as this worker has it."""
    return Change.objects.filter(pk=change.pk, state=ChangeState.SENDING, n_tries=change.n_tries)


def _tell_end(change: Change) -> None:
    transaction.on_commit(lambda: change_ended.send(sender=Change, change_id=change.pk))


def _audit(change: Change, *, state: ChangeState, problem: str, found: Values | None) -> None:
    asked, deed = change.change_set, _DEEDS[change.what]
    audit(
        asked.actor,
        action=deed if state == ChangeState.SET else f"fail to {deed}",
        kind=change.entity.kind, subject_id=change.entity_id, name=change.entity.name,
        before=change.was,
        after={
            "wanted": change.wanted, "read_back": found, "state": state.value, "problem": problem,
            "changes_id": asked.pk, "released_by": asked.released_by,
        },
    )  # fmt: skip


@transaction.atomic
def _give_up(change: Change, *, problem: str) -> None:
    """End what is queued behind a change whose far end does not answer: each would wait as long."""
    behind = Change.objects.filter(feed=change.feed_id, state=ChangeState.QUEUED)
    left = list(
        behind.select_for_update(of=("self",)).select_related("entity", "change_set__actor")
    )
    behind.filter(pk__in=[one.pk for one in left]).update(
        state=ChangeState.FAILED, problem=problem, ended_at=now()
    )
    for one in left:
        _audit(one, state=ChangeState.FAILED, problem=problem, found=None)
        _tell_end(one)


def _look_again(feed_id: int) -> None:
    """Have the limits collected at once, and counters now and once more: what came of it is wanted.

    Counters tell what was done between two looks, so the second tells of the new limit alone.
    """
    for one in Feed.objects.filter(pk=feed_id):  # nobody, where it was dropped meanwhile
        queue_run(one)
    counting = Feed.objects.filter(protocol=Protocol.OPENMETRICS, is_paused=False)
    for one in counting:
        queue_run(one)
    counting.update(next_due_at=now() + LOOK_AGAIN)
