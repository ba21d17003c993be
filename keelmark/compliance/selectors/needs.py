"""What carrying a revision out would take: what must move, whether it fits, when it is quiet."""

from collections.abc import Hashable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from threading import RLock
from typing import Final

import numpy as np

from keelmark.access.clock import now
from keelmark.bearings.selectors.picture import Lately
from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.found import week_at
from keelmark.compliance.selectors.tiers import sustained, tiered_at
from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.books import exact_sum
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reach import pulled
from keelmark.core.estate.reading import Reading
from keelmark.core.performance import PARTS, operations
from keelmark.core.performance.quiet import HOURS_A_WEEK, Quiet, quietest
from keelmark.core.policy.fitting import fitted, least_seconds
from keelmark.core.policy.judging import Policy
from keelmark.core.policy.rules import SnapshotsEvery, SnapshotsKept
from keelmark.estate.models import Array
from keelmark.readings.models import Measure
from keelmark.readings.performance.reading import HOURS_A_DAY, days_added, hours_added
from keelmark.readings.selectors import most_of_days

QUIET_HOURS: Final = 4  # in a row
MOST_FITTED: Final = 5_000  # disks for which a pool is looked for, the largest
WEEK: Final = 7
DAY_SECONDS, MINUTES_A_DAY = 86_400, 1_440
WEEKS: Final = 2  # that are looked back on
MOST_READ: Final = 2_000  # disks whose hours are read
KEPT, KEPT_SECONDS = 8, 3600


@dataclass(frozen=True, slots=True, kw_only=True)
class PlaceFitted:
    """What of it would go to one pool."""

    row: int
    n_disks: int
    used_bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Beside:
    """What a draft asks for beside what has to move, bytes; None where it asks for none of it.

    ``snapshot_bytes`` is the most: what is written in the days that they are kept, or all that
    is used where that is less.
    """

    copy_bytes: int | None
    copy_room_bytes: int
    thick_bytes: int | None
    snapshot_bytes: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Needs:
    """What would have to move, and what there is for it.

    ``iops`` is the sum of the busiest five-minute means of a week, each at its own time, None
    where nobody read them; ``n_unread`` disks are not in the bytes.
    """

    n_disks: int
    used_bytes: int
    n_unread: int
    iops: float | None
    n_uncounted: int
    room_bytes: int
    places: list[PlaceFitted]  # in which they would find room, most bytes first
    n_left: int  # disks that find none
    least_seconds: float | None  # that those which find room move, as fast as arrays have left
    fits: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class QuietHours:
    """The next of the quietest hours of the week, and what is done in them and usually."""

    begins_at: datetime
    n_hours: int
    iops: float
    usual_iops: float
    n_days: int
    n_disks: int  # that were read
    n_all: int


def disks_of(view: View, *, kind: str, mask: Bools) -> Bools:
    """Return the disks in sight of subjects of a kind."""
    found = mask if kind == "disk" else pulled(view.reading, mask, kind="disk", other=kind)
    told: Bools = found & view.seen["disk"] & view.reading.is_there["disk"]
    return told


def needs_of(view: View, *, moving: Bools, keeps: Int64s, left: Int64s) -> Needs | None:
    """Return what disks that must move take, None where none must.

    ``keeps`` are the pools that would keep it and ``left`` the bytes left in each.
    """
    if not moving.any():
        return None
    used = view.reading.books["disk"].used
    known = moving & used.is_known
    most = week_at(view.reading).found.most_iops[moving]
    is_counted = ~np.isnan(most)
    n_bytes = exact_sum(used.values[known])
    rows = np.flatnonzero(known)
    rows = rows[np.argsort(-used.values[rows], kind="stable")]
    largest = rows[:MOST_FITTED]
    array = view.reading.link("pool", "array")[keeps]
    at = fitted(
        used.values[largest], iops=week_at(view.reading).found.most_iops[largest],
        room_bytes=left, array=array, room_iops=_room_iops(view.reading),
    )  # fmt: skip
    places = [
        PlaceFitted(
            row=int(keeps[place]), n_disks=int((at == place).sum()),
            used_bytes=exact_sum(used.values[largest[at == place]]),
        )
        for place in np.unique(at[at != NOWHERE]).tolist()
    ]  # fmt: skip
    n_left = int((at == NOWHERE).sum())
    return Needs(
        n_disks=int(moving.sum()),
        used_bytes=n_bytes,
        n_unread=int((moving & ~used.is_known).sum()),
        iops=float(np.nansum(most)) if is_counted.any() else None,
        n_uncounted=int((~is_counted).sum()),
        room_bytes=exact_sum(left),
        places=sorted(places, key=lambda one: -one.used_bytes),
        n_left=n_left,
        least_seconds=_least_seconds(view.reading, used.values, rows=largest, target=array, at=at),
        fits=n_left == 0 and n_bytes <= exact_sum(left),
    )


def _least_seconds(
    reading: Reading, sizes: Int64s, *, rows: Int64s, target: Int64s, at: Int64s
) -> float | None:
    goes = at != NOWHERE
    ids = reading.estate.table("array").ids
    told_by = Array.objects.values_list("entity_id", "sustainable_bytes_per_second")
    sustains = {pk: float(n) for pk, n in told_by if n is not None}
    busy = busy_of_arrays(reading, measure=Measure.THROUGHPUT)
    spare = np.array([sustains.get(pk, np.nan) for pk in ids.tolist()]) - busy
    told = least_seconds(
        sizes[rows[goes]], source=tiered_at(reading).place["array"][rows[goes]],
        target=target[at[goes]], spare=spare,
    )  # fmt: skip
    return None if told is None or np.isinf(told) else told


def busy_of_arrays(reading: Reading, *, measure: Measure) -> Float64s:
    """Return what arrays did in the busiest hours of a week, (n_arrays,); NaN where unread."""
    ids = reading.estate.table("array").ids
    told = most_of_days(ids, measure=measure, since=now().date() - timedelta(days=WEEK))
    return np.array([told.get(pk, np.nan) for pk in ids.tolist()], dtype=np.float64)


def _room_iops(reading: Reading) -> Float64s:
    """What arrays sustain beyond what they did in the busiest hours of a week, NaN unknown."""
    busy = busy_of_arrays(reading, measure=Measure.IOPS)
    return np.maximum(sustained(reading) - busy, 0)


def beside_of(
    view: View, *, policy: Policy, uncopied: Bools, thin: Bools, unkept: Bools, room_bytes: int
) -> Beside | None:
    """Return what else a draft asks for of disks (n_disks,) that break its rules, None if nothing.

    ``uncopied`` have no copy where one is asked for, ``thin`` are to be thick, ``unkept`` have no
    snapshots.
    """
    books = view.reading.books["disk"]
    used, size = books.used, books.size
    copied, thick = uncopied & used.is_known, thin & used.is_known & size.is_known
    told = Beside(
        copy_bytes=exact_sum(used.values[copied]) if copied.any() else None,
        copy_room_bytes=room_bytes,
        thick_bytes=exact_sum(np.maximum(size.values - used.values, 0)[thick])
        if thick.any()
        else None,
        snapshot_bytes=_snapshots(view, policy=policy, disks=unkept & used.is_known),
    )
    is_any = (told.copy_bytes, told.thick_bytes, told.snapshot_bytes) != (None, None, None)
    return told if is_any else None


def _snapshots(view: View, *, policy: Policy, disks: Bools) -> int | None:
    every, kept = policy.rule("snapshots"), policy.rule("kept")
    days = 0.0
    if isinstance(every, SnapshotsEvery):
        days = every.every_minutes / MINUTES_A_DAY
    if isinstance(kept, SnapshotsKept):
        days = max(days, kept.for_days)
    if days == 0 or not disks.any():
        return None
    written = _written_a_day(np.sort(view.reading.estate.table("disk").ids[disks]))
    used = exact_sum(view.reading.books["disk"].used.values[disks])
    return None if written is None else min(used, round(written * days))


def _written_a_day(ids: Int64s) -> float | None:
    """Bytes a day by the last two weeks; of many by some of them. None where nobody read it."""
    some = ids[:: -(-len(ids) // MOST_READ)]
    first_on = now().date() - timedelta(weeks=WEEKS)
    steps, n_read = days_added(some, first_on=first_on, n_days=7 * WEEKS)
    a_second = steps[PARTS.index("write_bytes_per_second")][n_read > 0]
    known = a_second[~np.isnan(a_second)]
    if len(known) == 0:
        return None
    return float(known.mean()) * DAY_SECONDS * len(ids) / len(some)


class _Kept:
    lock = RLock()
    quiet: Lately[Hashable, tuple[Quiet, int] | None] = Lately(KEPT)


def quiet_of(view: View, *, disks: Bools) -> QuietHours | None:
    """Return the quietest hours of disks by the last two weeks, None where they were not read.

    Of many, every so manieth is read: a draft that is typed must not wait for all of them.
    """
    ids = np.sort(view.reading.estate.table("disk").ids[disks])
    if not len(ids):
        return None
    some = ids[:: -(-len(ids) // MOST_READ)]
    monday = _monday(now()) - timedelta(weeks=WEEKS)
    key = (some.tobytes(), monday, int(now().timestamp()) // KEPT_SECONDS)
    with _Kept.lock:
        if not (told := _Kept.quiet.get(key)):
            told = _Kept.quiet.keep(key, _read(some, first_on=monday.date()))
    if told is None:
        return None
    quiet, n_days = told
    return QuietHours(
        begins_at=_next(quiet.begins_at), n_hours=quiet.n_hours, iops=quiet.mean,
        usual_iops=quiet.usual, n_days=n_days, n_disks=len(some), n_all=len(ids),
    )  # fmt: skip


def _read(ids: Int64s, *, first_on: date) -> tuple[Quiet, int] | None:
    """The quietest hours of some disks, and how many days were read."""
    steps, n_read = hours_added(ids, first_on=first_on, n_days=(now().date() - first_on).days)
    done = np.asarray(operations(steps), dtype=np.float64)
    quiet = quietest(np.where(n_read > 0, done, np.nan), n_hours=QUIET_HOURS)
    n_days = int((n_read.reshape(-1, HOURS_A_DAY) > 0).any(axis=1).sum())
    return None if quiet is None else (quiet, n_days)


def _monday(at: datetime) -> datetime:
    return datetime.combine(at.date() - timedelta(days=at.weekday()), time(), tzinfo=UTC)


def _next(hour: int) -> datetime:
    """The next time that an hour of the week comes, counted from Monday."""
    at = now()
    begins = _monday(at) + timedelta(hours=hour)
    return begins if begins > at else begins + timedelta(hours=HOURS_A_WEEK)
