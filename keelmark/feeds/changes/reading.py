"""Reads changes: who can set what, what is under way, what was set lately."""

from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Final

from django.contrib.auth.models import User
from django.db.models import Max, Prefetch, QuerySet

from keelmark.access.selectors import sees_all
from keelmark.estate.models import Statement
from keelmark.feeds.changes.allowed import SETTABLE
from keelmark.feeds.models import Change, ChangeSet, ChangeState, Feed

LIVE: Final = (ChangeState.QUEUED, ChangeState.SENDING, ChangeState.UNDER_WAY)
LET_GO: Final = (*LIVE, ChangeState.SET, ChangeState.OTHERWISE, ChangeState.FAILED)


def change_sets_for(actor: User) -> "QuerySet[ChangeSet]":
    """Return the sets of changes this person may see, newest first, with their changes."""
    if not sees_all(actor):
        return ChangeSet.objects.none()
    changes = Change.objects.select_related("entity", "feed").order_by("pk")
    return ChangeSet.objects.prefetch_related(
        Prefetch("changes", queryset=changes), "taken_back_by"
    )


def setting_feeds() -> list[Feed]:
    """Return the feeds whose far ends may be set."""
    return [one for one in Feed.objects.exclude(writer_user="") if one.may_set]


def setters_of(entity_ids: Collection[int], *, what: str) -> dict[int, int]:
    """Return by thing the feed that tells of it and may set it; who has none is left out."""
    settable = SETTABLE.get(what)
    feeds = {
        one.source_id: one.pk
        for one in setting_feeds()
        if settable is not None and one.protocol == settable.protocol
    }
    told = Statement.objects.filter(
        entity__in=entity_ids, source__in=[pk for pk in feeds if pk], gone_at=None, is_sighting=True
    )
    return {
        pk: feeds[source_id]
        for pk, source_id in told.order_by("-source_id").values_list("entity_id", "source_id")
    }


def newest_changes(
    entity_ids: Sequence[int], *, what: str, states: Collection[ChangeState] = tuple(ChangeState)
) -> dict[int, Change]:
    """Return by thing the change of it, in one of some states, that was asked for last."""
    told = Change.objects.filter(entity__in=entity_ids, what=what, state__in=states).order_by(
        "entity_id", "-pk"
    )
    return {one.entity_id: one for one in told.distinct("entity_id")}


def set_since(what: str, *, since: datetime) -> dict[int, datetime]:
    """Return by thing when it was set last from here, of those set since a moment."""
    told = Change.objects.filter(what=what, state=ChangeState.SET, ended_at__gte=since)
    return dict(told.values_list("entity_id").annotate(at=Max("ended_at")))


def last_set_at() -> datetime | None:
    """Return when anything was set last from here: tells two states apart."""
    at: datetime | None = Change.objects.filter(state=ChangeState.SET).aggregate(
        at=Max("ended_at")
    )["at"]
    return at
