"""How disks are served at a bearing: what they do, beside what they may do and are promised."""

from collections.abc import Hashable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from threading import RLock
from typing import Any, Final

import numpy as np
from django.db.models import Max
from numpy.typing import NDArray

from keelmark.access.clock import now
from keelmark.bearings.selectors.lists import Columns, ordered
from keelmark.bearings.selectors.picture import Lately
from keelmark.bearings.selectors.things import sharing
from keelmark.bearings.selectors.views import View
from keelmark.compliance.errors import TooManyDisksError
from keelmark.compliance.selectors.found import FOUND, day_told, fitting_tier, week_at
from keelmark.compliance.selectors.promised import minute_of
from keelmark.compliance.selectors.tiers import BY, Tiered, configured, oversold, tiered_at
from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading, When
from keelmark.core.estate.strata import Node
from keelmark.core.performance import PARTS, STEPS_A_DAY, Floats, operations
from keelmark.core.qos import STATE_STEPS, IoState, io_states
from keelmark.core.qos.found import Found
from keelmark.core.qos.tiers import BOUND_BY
from keelmark.feeds.models import Feed
from keelmark.readings.performance.lately import LastSteps, lately_kept, lately_made
from keelmark.readings.performance.reading import (
    STEP_SECONDS,
    Instants,
    instants_of,
    last_steps,
    steps_of,
)
from keelmark.readings.rows import EPOCH

STATES: Final = tuple(IoState)
WORST_FIRST: Final = (
    IoState.STARVED, IoState.HELD, IoState.WITHIN, IoState.UNTIERED, IoState.UNREAD,
)  # fmt: skip
LOOKED_BACK: Final = 6  # steps: half an hour without a mean, and what goes on is not known
MOST_OF_PAST: Final = 5_000  # disks whose packed days are read while somebody waits
KEPT: Final = 4
DISKS: Final = "disks"  # of which the newest steps are packed by workers
KEPT_FOR: Final = timedelta(minutes=7)  # what is older tells that no worker packs
KEPT_SECONDS: Final = 60
STEP_MINUTES: Final = STEP_SECONDS // 60
_RANKS: Final = np.array([WORST_FIRST.index(one) for one in STATES])


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Served:
    """All disks of one reading by their last means, (n_disks,).

    ``codes`` are places in IoState; ``mean`` operations a second of the newest step; ``waits``
    (n_disks, n_parts) of the same; ``read_at`` when it ended, None where nothing was read.
    """

    tiered: Tiered
    codes: NDArray[np.int8]
    mean: Float64s
    means: Floats
    read_at: datetime | None


class _Kept:
    lock = RLock()
    served: Lately[Hashable, Served] = Lately(KEPT)
    lately: Lately[Hashable, LastSteps] = Lately(1)


@dataclass(frozen=True, slots=True, kw_only=True)
class LanesAsked:
    """Which lanes to tell of."""

    tier_id: int | None = None
    is_untiered: bool = False
    state: IoState | None = None
    found: Found | None = None  # in the last days
    node: Node | None = None  # disks of one thing alone


ALL_LANES: Final = LanesAsked()


def served_at(view: View, asked: LanesAsked = ALL_LANES) -> Served | None:
    """Return how disks are served, of a past day those that are asked for alone.

    None of days to come: of those nobody knows. Raises TooManyDisksError where a past day of
    more disks than can be read while somebody waits is asked for.
    """
    reading = view.reading
    if reading.when is When.FORECAST:
        return None
    tiered = tiered_at(reading)
    if reading.when is When.PAST:
        shown = np.flatnonzero(asked_for(view, tiered, asked))
        if len(shown) > MOST_OF_PAST:
            raise TooManyDisksError(n=len(shown), most=MOST_OF_PAST)
        return _served(reading, tiered, rows=shown)
    return served_now(reading)


def served_now(reading: Reading) -> Served:
    """Return how all disks are served now; who sees what is for the caller."""
    tiered = tiered_at(reading)
    made = lately_made(DISKS)
    is_kept = made is not None and now() - made[0] < KEPT_FOR
    key = (
        reading.estate.revision, reading.day, tiered.key,
        made if is_kept else (collected_at(), int(now().timestamp()) // KEPT_SECONDS),
    )  # fmt: skip
    with _Kept.lock:
        if (kept := _Kept.served.get(key)) is not None:
            return kept
        lately = _lately() if is_kept else None
        rows = np.arange(len(reading.estate.table("disk")))
        return _Kept.served.keep(key, _served(reading, tiered, rows=rows, lately=lately))


def _lately() -> LastSteps | None:
    """What a worker packed of all disks; of several readings unpacked once."""
    made = lately_made(DISKS)
    if made is None:  # the database was started anew meanwhile
        return None
    kept = _Kept.lately.get(made)
    if kept is None and (kept := lately_kept(DISKS)) is not None:
        _Kept.lately.keep(made, kept)
    return kept


def collected_at() -> datetime | None:
    """Return when anything was collected last: nothing is read otherwise."""
    told: datetime | None = Feed.objects.aggregate(at=Max("last_good_at"))["at"]
    return told


def _served(
    reading: Reading, tiered: Tiered, *, rows: Int64s, lately: LastSteps | None = None
) -> Served:
    table = reading.estate.table("disk")
    ids = table.ids[rows]
    steps, end_at = (
        newest_steps(reading, ids=ids) if lately is None else (lately.along(ids), lately.end_at)
    )
    n = len(table)
    codes = np.full(n, STATES.index(IoState.UNREAD), dtype=np.int8)
    codes[rows] = io_states(
        steps, min_iops=tiered.minimum[rows], max_iops=tiered.maximum[rows],
        is_tiered=tiered.tier[rows] != NOWHERE,
    )  # fmt: skip
    mean, means = np.full(n, np.nan), np.full((n, len(PARTS)), np.nan)
    means[rows] = steps[:, :, -1]
    mean[rows] = operations(steps)[:, -1]
    is_read = not np.isnan(mean[rows]).all() if len(rows) else False
    return Served(
        tiered=tiered, codes=codes, mean=mean, means=means, read_at=end_at if is_read else None
    )


def newest_steps(reading: Reading, *, ids: Int64s) -> tuple[Floats, datetime]:
    """Return the last steps in which anything was read, and when they ended."""
    day = EPOCH + timedelta(days=reading.day)
    end = datetime(day.year, day.month, day.day, tzinfo=UTC) + timedelta(days=1)
    if reading.when is When.NOW:
        at = int(now().timestamp()) // STEP_SECONDS * STEP_SECONDS
        end = datetime.fromtimestamp(at, tz=UTC)
    steps = last_steps(ids, end_at=end, n_steps=LOOKED_BACK + STATE_STEPS)
    is_read = ~np.isnan(operations(steps))
    n_read = is_read.sum(axis=0)
    # The newest step may still be coming in: it counts when most of what is read is there.
    enough = np.flatnonzero(n_read * 2 >= max(1, n_read.max(initial=0)))
    recent = enough[enough >= STATE_STEPS]
    if len(recent) == 0:  # what was read is too old to tell of now
        return np.full_like(steps[:, :, :STATE_STEPS], np.nan), end
    last = int(recent[-1]) + 1
    left_out = steps.shape[2] - last
    return steps[:, :, last - STATE_STEPS : last], end - timedelta(seconds=left_out * STEP_SECONDS)


def seen_disks(view: View) -> Bools:
    """Return which disks the bearing leaves and the person may see."""
    told: Bools = view.shown_along("disk", kinds=("disk", "vm", "datastore"))
    return told & view.reading.is_there["disk"]


def disks_of_lanes(view: View, served: Served, asked: LanesAsked) -> Int64s:
    """Return the rows of disks in sight that are asked for, as they stand in their table."""
    shown = asked_for(view, served.tiered, asked)
    if asked.state is not None:
        shown &= served.codes == STATES.index(asked.state)
    if asked.found is not None:
        shown &= week_at(view.reading).found.is_found[FOUND.index(asked.found)]
    return np.flatnonzero(shown)


def rows_of_lanes(view: View, served: Served, asked: LanesAsked) -> Int64s:
    """Return the rows of disks in sight, the worst first, then who is nearest to its limit."""
    rows = disks_of_lanes(view, served, asked)
    rows = ordered(Columns(view, kind="disk"), rows=rows, order=["name"])
    with np.errstate(invalid="ignore"):
        pressed = np.nan_to_num(served.mean[rows] / served.tiered.maximum[rows])
    if asked.found is Found.OUTGROWS:  # the first to end first
        outlooks, ids = week_at(view.reading).outlooks, view.reading.estate.table("disk").ids
        on = [outlooks[pk].likely_on for pk in ids[rows].tolist()]
        return rows[np.argsort(np.array(on, dtype="datetime64[D]"), kind="stable")]
    told: Int64s = rows[np.lexsort((-pressed, _RANKS[served.codes[rows]]))]
    return told


def asked_for(view: View, tiered: Tiered, asked: LanesAsked) -> Bools:
    """Return which disks in sight are of the thing and the tier that are asked for."""
    if asked.node is None:
        return seen_disks(view) & of_tier(tiered, asked)
    return sharing(view, asked.node, kind="disk") & of_tier(tiered, asked)


def of_tier(tiered: Tiered, asked: LanesAsked) -> Bools:
    """Return which disks are in the tier that is asked for."""
    if asked.is_untiered:
        return np.asarray(tiered.tier == NOWHERE, dtype=np.bool_)
    if asked.tier_id is None:
        return np.ones(len(tiered.tier), dtype=np.bool_)
    place = next(
        (at for at, one in enumerate(tiered.defined) if one.tier.pk == asked.tier_id), NOWHERE - 1
    )
    return np.asarray(tiered.tier == place, dtype=np.bool_)


def tier_tally(view: View, served: Served | None) -> list[dict[str, int]]:
    """Return of each tier, and last of no tier, how many disks in sight stand how."""
    tiered = tiered_at(view.reading)
    shown = seen_disks(view)
    told = []
    for place in (*range(len(tiered.defined)), NOWHERE):
        mine = shown & (tiered.tier == place)
        if served is None:
            told.append({"n": int(mine.sum())})
            continue
        n = np.bincount(served.codes[mine], minlength=len(STATES))
        told.append({"n": int(mine.sum()), **{s.value: int(n[at]) for at, s in enumerate(STATES)}})
    return told


def lanes_of(
    view: View, served: Served, rows: Int64s, *, shows_places: bool
) -> list[dict[str, Any]]:  # Any: JSON
    """Return the lanes of some disks, in their order; of tenants' viewers without places."""
    table = view.reading.estate.table("disk")
    ids = table.ids[rows]
    order = np.argsort(ids)
    day = EPOCH + timedelta(days=view.reading.day)
    steps = np.empty((len(rows), len(PARTS), 2 * STEPS_A_DAY), dtype=np.float32)
    steps[order] = steps_of(ids[order], first_on=day - timedelta(days=1), n_days=2)
    begin = datetime(day.year, day.month, day.day, tzinfo=UTC) - timedelta(days=1)
    end = 2 * STEPS_A_DAY
    if served.read_at is not None:
        end = int((served.read_at - begin).total_seconds()) // STEP_SECONDS
    window = operations(steps[:, :, max(0, end - STEPS_A_DAY) : end])
    instants = _in_order(ids, order) if view.reading.when is When.NOW else None
    told = _Teller(view, served, shows_places=shows_places)
    return [
        told.lane(int(row), day=window[at], instants=instants, at=at)
        for at, row in enumerate(rows.tolist())
    ]


def _in_order(ids: Int64s, order: Int64s) -> Instants:
    told = instants_of(ids[order])
    back = np.argsort(order)
    return Instants(
        iops=told.iops[back], latency_ms=told.latency_ms[back], qos_ms=told.qos_ms[back],
        read_at=told.read_at[back],
    )  # fmt: skip


class _Teller:
    """Tells lanes in words and numbers."""

    def __init__(self, view: View, served: Served, *, shows_places: bool) -> None:
        self.view, self.served, self.tiered = view, served, served.tiered
        self.shows_places = shows_places
        reading = view.reading
        self.set_most = np.append(configured(reading, kind="volume")[1], np.nan)
        self.is_oversold = np.append(oversold(reading, self.tiered), False)
        self.table = reading.estate.table("disk")
        self.minute = minute_of(now())
        self.week = week_at(reading)

    def lane(
        self, row: int, *, day: Floats, instants: Instants | None, at: int
    ) -> dict[str, Any]:  # Any: JSON
        served, tiered = self.served, self.tiered
        place = int(tiered.tier[row])
        one = tiered.defined[place] if place != NOWHERE else None
        means = served.means[row]
        known = day[~np.isnan(day)]
        state = STATES[int(served.codes[row])]
        settles = self._settles_in(row)
        return {
            "id": int(self.table.ids[row]),
            "name": self.table.names[row],
            "vm": self._named("vm", int(self.view.reading.link("disk", "vm")[row])),
            "datastore": self._named("datastore", int(tiered.place["datastore"][row]))
            if self.shows_places
            else None,
            "tier_id": one and one.tier.pk,
            "tier_name": one and one.core.name,
            "by": BY[int(tiered.by[row])] if one else None,
            "min_iops": one.core.min_iops if one else None,
            "max_iops": one.core.max_iops if one else None,
            "is_together": bool(one and one.core.is_together),
            "limit_iops": number(tiered.maximum[row]),
            "bound_by": BOUND_BY[int(tiered.bound_by[row])],
            "least_iops": number(known.min()) if len(known) else None,
            "mean_iops": number(served.mean[row]),
            "most_iops": number(known.max()) if len(known) else None,
            "instant_iops": number(instants.iops[at]) if instants else None,
            "instant_at": moment(instants.read_at[at]) if instants else None,
            "in_line": number(means[PARTS.index("queue_latency_ms")] * served.mean[row] / 1000),
            **{name: number(means[PARTS.index(name)]) for name in LATENCY_PARTS},
            "state": state.value,
            "settles_in_minutes": settles,
            "reason": self._reason(row, state=state),
            "found": self._found(row),
        }

    def _found(self, row: int) -> str:
        """What the last days show of it, in words."""
        of = self.week.found
        is_so = {kind: bool(of.is_found[at, row]) for at, kind in enumerate(FOUND)}
        told = []
        if is_so[Found.HELD_LONG]:
            told.append(f"held {of.held_hours[row]:.1f} h a day")
        if is_so[Found.STARVED_OFTEN]:
            told.append(f"starved {of.starved_hours[row]:.1f} h a day")
        if is_so[Found.LIMIT_LAX] or is_so[Found.BUSY_UNTIERED]:
            fits = fitting_tier(self.tiered, self.week, row)
            place = f"{fits.name} would do" if fits else "no tier is wide enough"
            told.append(f"at most {of.most_iops[row]:,.0f} in {len(self.week.days)} d: {place}")
        if is_so[Found.OUTGROWS]:
            ahead = self.week.outlooks[int(self.view.reading.estate.table("disk").ids[row])]
            told.append(
                f"busy hours at {ahead.level_iops:,.0f}: outgrows it {day_told(ahead.likely_on)}"
            )
        return "; ".join(told)

    def _settles_in(self, row: int) -> float | None:
        """A changed limit is judged when a whole mean has passed since."""
        changed = float(self.tiered.changed_at[row])
        if np.isnan(changed):
            return None
        until = (changed // STEP_MINUTES + 2) * STEP_MINUTES
        left = until - self.minute
        return left if left > 0 else None

    def _reason(self, row: int, *, state: IoState) -> str:
        means = self.served.means[row]
        qos = float(np.nan_to_num(means[PARTS.index("qos_latency_ms")]))
        limit = self.tiered.maximum[row]
        by = BOUND_BY[int(self.tiered.bound_by[row])]
        array = int(self.tiered.place["array"][row])
        if state is IoState.UNREAD:
            return "nothing read in the last half hour"
        if state is IoState.HELD:
            what = {"tier": "its tier", "disk": "its host", "volume": "its volume"}.get(by)
            where = f"{what} lets through {limit:,.0f}" if what else "no limit of it is told"
            return f"+{qos:.1f} ms of delay, {where}" if qos > 0 else f"at its limit: {where}"
        if state is IoState.STARVED:
            if self.shows_places and self.is_oversold[array]:
                name = self.view.reading.estate.table("array").names[array]
                return f"minimums are oversold on {name}"
            most = self.set_most[int(self.tiered.place["volume"][row])]
            if not np.isnan(most) and self._volume_pressed(row):
                return f"its volume is set to {most:,.0f} in all"
            return "less than its minimum while operations wait in line"
        wait = float(means[PARTS.index("latency_ms")])
        told = "" if np.isnan(wait) else f"{wait:.1f} ms"
        return told if state is IoState.WITHIN else f"no tier · {told}" if told else "no tier"

    def _volume_pressed(self, row: int) -> bool:
        """Whether all of the volume together do about what it is set to."""
        volume = int(self.tiered.place["volume"][row])
        mine = self.tiered.place["volume"] == volume
        return bool(np.nansum(self.served.mean[mine]) >= VOLUME_PRESSED * self.set_most[volume])

    def _named(self, kind: str, row: int) -> dict[str, Any] | None:  # Any: JSON
        if row == NOWHERE or not self.view.seen[kind][row]:
            return None
        table = self.view.reading.estate.table(kind)
        return {"id": int(table.ids[row]), "kind": kind, "name": table.names[row]}


VOLUME_PRESSED: Final = 0.9
LATENCY_PARTS: Final = (
    "latency_ms", "array_latency_ms", "network_latency_ms", "queue_latency_ms", "qos_latency_ms",
)  # fmt: skip


def number(amount: float) -> float | None:
    """Return an amount as JSON knows it, None where it is not known."""
    return None if np.isnan(amount) else round(float(amount), 3)


def moment(seconds: float) -> datetime | None:
    """Return seconds from 1970 as a moment."""
    return None if np.isnan(seconds) else datetime.fromtimestamp(seconds, tz=UTC)
