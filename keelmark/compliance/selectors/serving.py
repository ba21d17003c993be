"""How disks are served at a bearing: what they do, beside what they may do and are promised."""

from collections.abc import Hashable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from threading import RLock
from typing import Final

import numpy as np
from django.db.models import Max
from numpy.typing import NDArray

from keelmark.access.clock import now
from keelmark.bearings.selectors.lists import Columns, ordered
from keelmark.bearings.selectors.picture import Lately
from keelmark.bearings.selectors.things import sharing
from keelmark.bearings.selectors.views import View
from keelmark.compliance.errors import TooManyDisksError
from keelmark.compliance.selectors.found import FOUND, week_at
from keelmark.compliance.selectors.tiers import Tiered, tiered_at
from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading, When
from keelmark.core.estate.strata import Node
from keelmark.core.performance import PARTS, Floats, operations
from keelmark.core.qos import STATE_STEPS, IoState, demand_of, io_states, io_states_at
from keelmark.core.qos.found import Found
from keelmark.feeds.models import Feed
from keelmark.readings.performance.lately import LastSteps, lately_kept, lately_made
from keelmark.readings.performance.reading import (
    STEP_SECONDS,
    last_steps,
)

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
        reading.estate.key, reading.day, tiered.key,
        made if is_kept else (collected_at(), int(now().timestamp()) // KEPT_SECONDS),
    )  # fmt: skip
    with _Kept.lock:
        if (kept := _Kept.served.get(key)) is not None:
            return kept
        lately = _lately() if is_kept else None
        rows = np.arange(len(reading.estate.table("disk")))
        return _Kept.served.keep(key, _served(reading, tiered, rows=rows, lately=lately))


def codes_with(reading: Reading, *, as_it_is: Reading) -> NDArray[np.int8]:
    """Return how all disks stand by the newest means at the limits of a plan, (n_disks,).

    Where the limits are others, what was asked for in those steps is held against them; of what
    comes nobody has read anything.
    """
    served, tiered = served_now(as_it_is), tiered_at(reading)
    ids, was = reading.estate.table("disk").ids, served.tiered
    # A revision may have come between the two: what is not in both is read by nobody here.
    at = as_it_is.estate.table("disk").rows_of(ids)
    codes = np.append(served.codes, np.int8(STATES.index(IoState.UNREAD)))[at]
    differ = tiered.tier != np.append(was.tier, NOWHERE)[at]
    for after, before in ((tiered.minimum, was.minimum), (tiered.maximum, was.maximum)):
        told = np.append(before, np.nan)[at]
        differ |= ~((after == told) | (np.isnan(after) & np.isnan(told)))
    rows = np.flatnonzero(differ & (at != NOWHERE))
    if len(rows):
        steps, _ = newest_steps(as_it_is, ids=ids[rows])
        waits = {name: steps[:, PARTS.index(f"{name}_latency_ms")] for name in ("qos", "queue")}
        asked = demand_of(operations(steps), qos_ms=waits["qos"], queue_ms=waits["queue"])
        codes[rows] = io_states_at(
            steps, asked.asked, min_iops=tiered.minimum[rows], max_iops=tiered.maximum[rows],
            is_tiered=tiered.tier[rows] != NOWHERE,
        )  # fmt: skip
    return codes


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
