"""Reads of feeds and runs."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from django.contrib.auth.models import User
from django.db.models import Count, Exists, OuterRef, Q, QuerySet, Subquery

from keelmark.access.selectors import sees_all
from keelmark.estate import selectors as estate
from keelmark.estate.models import Protocol, Statement
from keelmark.estate.sift import Sift, words_match
from keelmark.feeds.models import Feed, Mapping, Run, RunState, Waiting

HOURS_A_DAY = 24
LATE_AFTER_PERIODS = 3  # one missed collection is no news, two are


class FeedState(StrEnum):
    """How a feed is doing."""

    FRESH = "fresh"
    LATE = "late"
    FAILING = "failing"
    PAUSED = "paused"


def feeds_for(actor: User) -> QuerySet[Feed]:
    """Return the feeds this person may see, with how the last run that ended went."""
    if not sees_all(actor):
        return Feed.objects.none()
    # A worker that ended says nothing of the source, a trial nothing of what stands.
    ended = Run.objects.filter(
        feed=OuterRef("pk"), state__in=[RunState.DONE, RunState.FAILED], is_trial=False
    )
    live = Run.objects.filter(feed=OuterRef("pk"), state__in=[RunState.QUEUED, RunState.RUNNING])
    return Feed.objects.select_related("source").annotate(
        last_state=Subquery(ended.values("state")[:1]),
        last_problem=Subquery(ended.values("problem")[:1]),
        last_warnings=Subquery(ended.values("warnings")[:1]),
        live_run_id=Subquery(live.values("pk")[:1]),
    )


def in_scope(actor: User, *, sift: Sift) -> QuerySet[Feed]:
    """Return the feeds of a scope: those that tell of a pool in it, or are called so."""
    feeds = feeds_for(actor)
    if sift.is_everything:
        return feeds
    pools = estate.pools_for(actor, sift=sift).order_by().values("pk")
    tells = Q(
        source__in=Statement.objects.filter(entity__in=pools, gone_at=None).values("source_id")
    )
    is_called_so = sift.words is not None
    return feeds.filter(tells | words_match(sift, fields=("name",)) if is_called_so else tells)


def state_of(feed: Feed, *, now: datetime) -> FeedState:
    """Return the state of a feed read through :func:`feeds_for`."""
    if feed.is_paused and not feed.is_by_hand:
        return FeedState.PAUSED
    if feed.last_state == RunState.FAILED:  # type: ignore[attr-defined]  # annotated
        return FeedState.FAILING
    allowed = timedelta(minutes=LATE_AFTER_PERIODS * feed.every_minutes)
    if feed.protocol == Protocol.PUSH or feed.is_by_hand:  # it has no schedule of ours to keep
        allowed = timedelta(hours=feed.allowed_age_hours)
    if feed.last_good_at is None or now - feed.last_good_at > allowed:
        return FeedState.LATE
    return FeedState.FRESH


def runs_for(actor: User) -> QuerySet[Run]:
    """Return the runs this person may see, newest first."""
    if not sees_all(actor):
        return Run.objects.none()
    return Run.objects.select_related("feed")


def allowed_ages(entity_ids: Iterable[int]) -> dict[int, timedelta]:
    """Return how old the readings of things may be before they count as unread."""
    rows = Feed.objects.filter(
        source__statements__entity_id__in=entity_ids, source__statements__gone_at=None
    ).values_list("source__statements__entity_id", "allowed_age_hours")
    ages: dict[int, timedelta] = {}
    for pk, hours in rows:
        allowed = timedelta(hours=hours)
        ages[pk] = max(ages.get(pk, allowed), allowed)
    return ages


@dataclass(frozen=True, slots=True)
class Quiet:
    """Which feeds were not heard within their allowed age, and which are allowed days of it."""

    silent: tuple[int, ...]
    patient: tuple[tuple[int, int], ...]  # feed and days


def quiet_at(now: datetime) -> Quiet:
    """Return how feeds are heard at a moment."""
    silent, patient = [], []
    feeds = Feed.objects.filter(source__isnull=False).order_by("pk")
    for pk, hours, good_at in feeds.values_list("pk", "allowed_age_hours", "last_good_at"):
        if good_at is None or now - good_at > timedelta(hours=hours):
            silent.append(pk)
        elif hours >= 2 * HOURS_A_DAY:
            patient.append((pk, hours // HOURS_A_DAY))
    return Quiet(silent=tuple(silent), patient=tuple(patient))


def seen_by_alone(feed_ids: Sequence[int], *, kinds: Sequence[str]) -> dict[str, list[int]]:
    """Return by kind the things that these feeds see and no other feed does."""
    seen = Statement.objects.filter(gone_at=None, is_sighting=True, entity__kind__in=kinds)
    mine = seen.filter(source__feed__in=feed_ids)
    others = seen.filter(entity=OuterRef("entity"), source__feed__isnull=False)
    others = others.exclude(source__feed__in=feed_ids)
    return _by_kind(mine.filter(~Exists(others)))


def seen_by(feed_id: int, *, kinds: Sequence[str]) -> dict[str, list[int]]:
    """Return by kind the things that a feed sees."""
    seen = Statement.objects.filter(gone_at=None, is_sighting=True, entity__kind__in=kinds)
    return _by_kind(seen.filter(source__feed=feed_id))


def _by_kind(found: QuerySet[Statement]) -> dict[str, list[int]]:
    told: dict[str, list[int]] = {}
    for kind, pk in found.order_by().values_list("entity__kind", "entity_id"):
        told.setdefault(kind, []).append(pk)
    return told


def told_by(entity_ids: Iterable[int]) -> dict[int, set[int]]:
    """Return by feed which of these things it tells of."""
    told: dict[int, set[int]] = {}
    for feed_id, pk in Feed.objects.filter(
        source__statements__entity_id__in=entity_ids, source__statements__gone_at=None
    ).values_list("pk", "source__statements__entity_id"):
        told.setdefault(feed_id, set()).add(pk)
    return told


def feed_name_of(entity_id: int) -> str | None:
    """Return the name of the feed that told of a thing last."""
    return (
        Feed.objects.filter(
            source__statements__entity_id=entity_id, source__statements__gone_at=None
        )
        .order_by("-source__statements__read_at", "pk")
        .values_list("name", flat=True)
        .first()
    )


def coverage_of(feeds: Iterable[Feed]) -> dict[int, dict[str, int]]:
    """Return by source how many things of which kinds it tells of now."""
    sources = [feed.source_id for feed in feeds if feed.source_id is not None]
    rows = (
        Statement.objects.filter(source__in=sources, gone_at=None, is_sighting=True)
        .values_list("source_id", "entity__kind")
        .annotate(n=Count("pk"))
        .order_by("source_id", "-n", "entity__kind")
    )
    covered: dict[int, dict[str, int]] = {}
    for source_id, kind, n in rows:
        covered.setdefault(source_id, {})[kind] = n
    return covered


def waiting_of(feeds: Iterable[Feed]) -> dict[int, int]:
    """Return by source how many documents wait for what they are about."""
    sources = [feed.source_id for feed in feeds if feed.source_id is not None]
    rows = Waiting.objects.filter(source__in=sources).values_list("source_id")
    return dict(rows.annotate(n=Count("pk")).order_by("source_id"))


def live_runs(feeds: Iterable[Feed]) -> dict[int, Run]:
    """Return by feed the run that is queued or under way."""
    live = Run.objects.filter(
        feed__in=[feed.pk for feed in feeds], state__in=[RunState.QUEUED, RunState.RUNNING]
    ).order_by("feed_id", "-asked_at", "-pk")
    return {run.feed_id: run for run in live if run.feed_id is not None}


def mappings_for(actor: User) -> QuerySet[Mapping]:
    """Return the mappings this person may use."""
    return Mapping.objects.all() if sees_all(actor) else Mapping.objects.none()
