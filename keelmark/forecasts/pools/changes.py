"""What changed lately: feeds that went quiet, shifts, things that came and went."""

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta

from django.contrib.auth.models import User

from keelmark.core.attention import Attention
from keelmark.estate.models import Pool
from keelmark.estate.reservations import holds_by_place
from keelmark.estate.sift import Sift
from keelmark.feeds import selectors as feeds
from keelmark.feeds.models import Run, RunState
from keelmark.forecasts.pools import selectors
from keelmark.forecasts.pools.reasons import Part
from keelmark.forecasts.pools.rows import forecast_of

SHIFT_DAYS = 30
RUN_DAYS = 7
MAX_RUNS = 200
MOVED_DAYS = 3
MOVED_SHARE = 0.1  # of the days left: a far date moves more without meaning more
MOVED_WITHIN_DAYS = 365
INVENTORY_KINDS = ("array", "pool", "volume")


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """One line: a state's glyph, a headline in parts, a note, and what it leads to."""

    kind: str  # feed | date | shift | inventory
    state: str
    at: datetime
    headline: list[Part]
    note: str = ""
    pool_id: int | None = None
    feed_id: int | None = None


def changes_for(actor: User, *, sift: Sift, now: datetime) -> list[Change]:
    """Return what changed in a scope: quiet feeds first, then newest first."""
    pools = list(selectors.pools_for(actor, sift=sift))
    shifts = [change for pool in pools for change in _shifts(pool, now=now)]
    inventory = _inventory(actor, pools=pools, now=now)
    dated = sorted(shifts + inventory, key=lambda change: change.at, reverse=True)
    held = holds_by_place([pool.pk for pool in pools])
    moved = [
        change for pool in pools for change in _moved_dates(pool, is_held=pool.pk in held, now=now)
    ]
    quiet = _quiet_feeds(actor, pools=pools, is_narrowed=not sift.is_everything, now=now)
    return [*quiet, *moved, *dated]


def _quiet_feeds(
    actor: User, *, pools: list[Pool], is_narrowed: bool, now: datetime
) -> list[Change]:
    changes = []
    told = feeds.told_by([pool.pk for pool in pools])
    for feed in feeds.feeds_for(actor):
        state = feeds.state_of(feed, now=now)
        if state == feeds.FeedState.FRESH:
            continue
        own = [
            pool
            for pool in pools
            if pool.pk in told.get(feed.pk, ()) or pool.home.name == feed.name
        ]
        if not own and is_narrowed:  # a feed without a pool in the scope has no say in it
            continue
        oldest = min((pool.read_at for pool in own), default=None)
        pools_stand = "1 pool stands" if len(own) == 1 else f"{len(own)} pools stand"
        judged = f"{pools_stand} as read on {_day(oldest.date())}" if oldest else ""
        problem = feed.last_problem or ""  # type: ignore[attr-defined]  # annotated
        changes.append(
            Change(
                kind="feed",
                state=state,
                at=feed.last_good_at or oldest or now,
                headline=[{"text": f"Feed {feed.name} is {state}"}],
                note="; ".join(filter(None, [judged, problem])),
                feed_id=feed.pk,
            )
        )
    return changes


def _moved_dates(pool: Pool, *, is_held: bool, now: datetime) -> list[Change]:
    """A likely date that is another than a week ago, in what ends within a year."""
    forecast = forecast_of(pool)
    if forecast is None or forecast.said_week_ago_on is None or forecast.limit_likely_on is None:
        return []
    if forecast.attention in (Attention.OVER, Attention.UNREAD):
        return []
    n_later = (forecast.limit_likely_on - forecast.said_week_ago_on).days
    n_left = (forecast.limit_likely_on - now.date()).days
    if n_left > MOVED_WITHIN_DAYS or abs(n_later) < max(MOVED_DAYS, MOVED_SHARE * n_left):
        return []
    name = f"{pool.home.name} · {pool.entity.name}"
    side = "later" if n_later > 0 else "sooner"
    return [
        Change(
            kind="date",
            state=forecast.attention,
            at=forecast.made_at,
            headline=[{"text": f"{name} ends {abs(n_later)} d {side}"}],
            note=f"likely {_day(forecast.limit_likely_on)}; a week ago we said "
            f"{_day(forecast.said_week_ago_on)}" + ("; space of it is held" if is_held else ""),
            pool_id=pool.pk,
        )
    ]


def _shifts(pool: Pool, *, now: datetime) -> list[Change]:
    forecast = forecast_of(pool)
    if forecast is None:
        return []
    changes = []
    for shift in forecast.findings.get("shifts", ()):
        on = date.fromisoformat(shift["on"])
        if (now.date() - on).days > SHIFT_DAYS:
            continue
        name = f"{pool.home.name} · {pool.entity.name}"
        changes.append(
            Change(
                kind="shift",
                state=forecast.attention,
                at=datetime.combine(on, time(), tzinfo=UTC),
                headline=[{"text": f"{name} "}, {"bytes": shift["amount"]}, {"text": " in a day"}],
                note="a shift, in one step",
                pool_id=pool.pk,
            )
        )
    return changes


def _inventory(actor: User, *, pools: list[Pool], now: datetime) -> list[Change]:
    """Runs that met or missed things; the history's own import is no news."""
    told = feeds.told_by([pool.pk for pool in pools])
    runs = feeds.runs_for(actor).filter(
        state=RunState.DONE, feed__in=told, ended_at__gte=now - timedelta(days=RUN_DAYS)
    )[:MAX_RUNS]
    return [
        Change(
            kind="inventory",
            state="clear",
            at=run.ended_at or run.asked_at,
            headline=[{"text": f"{run.source}: {_counts(run)}"}],
            note="inventory changed",
            feed_id=run.feed_id,
        )
        for run in runs
        if _counts(run)
    ]


def _counts(run: Run) -> str:
    told = [
        f"{sign}{counted[kind]} {kind}{'s' if counted[kind] != 1 else ''}"
        for sign, counted in (("+", run.n_new), ("−", run.n_retired))
        for kind in INVENTORY_KINDS
        if counted.get(kind)
    ]
    return ", ".join(told)


def _day(on: date) -> str:
    return f"{on.day} {on:%b}"
