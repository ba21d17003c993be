"""Reads of feeds and runs."""

from datetime import datetime, timedelta
from enum import StrEnum

from django.contrib.auth.models import User
from django.db.models import OuterRef, QuerySet, Subquery

from keelmark.feeds.models import Feed, Run, RunState

LATE_AFTER_PERIODS = 3  # one missed collection is no news, two are


class FeedState(StrEnum):
    """How a feed is doing."""

    FRESH = "fresh"
    LATE = "late"
    FAILING = "failing"
    PAUSED = "paused"


def feeds_for(actor: User) -> QuerySet[Feed]:
    """Return the feeds this person may see, with how the last run that ended went."""
    if not actor.is_active:
        return Feed.objects.none()
    ended = Run.objects.filter(feed=OuterRef("pk")).exclude(
        state__in=[RunState.QUEUED, RunState.RUNNING]
    )
    live = Run.objects.filter(feed=OuterRef("pk"), state__in=[RunState.QUEUED, RunState.RUNNING])
    return Feed.objects.select_related("array__entity", "array__site__entity").annotate(
        last_state=Subquery(ended.values("state")[:1]),
        last_problem=Subquery(ended.values("problem")[:1]),
        live_run_id=Subquery(live.values("pk")[:1]),
    )


def state_of(feed: Feed, *, now: datetime) -> FeedState:
    """Return the state of a feed read through :func:`feeds_for`."""
    if feed.is_paused:
        return FeedState.PAUSED
    if feed.last_state in (RunState.FAILED, RunState.INTERRUPTED):  # type: ignore[attr-defined]  # annotated
        return FeedState.FAILING
    allowed = timedelta(minutes=LATE_AFTER_PERIODS * feed.every_minutes)
    if feed.last_good_at is None or now - feed.last_good_at > allowed:
        return FeedState.LATE
    return FeedState.FRESH


def runs_for(actor: User) -> QuerySet[Run]:
    """Return the runs this person may see, newest first."""
    if not actor.is_active:
        return Run.objects.none()
    return Run.objects.select_related("feed")


def allowed_ages() -> dict[int, timedelta]:
    """Return by array how old readings may be before they count as unread."""
    feeds = Feed.objects.exclude(array=None).values_list("array_id", "allowed_age_hours")
    return {array_id: timedelta(hours=hours) for array_id, hours in feeds if array_id}
