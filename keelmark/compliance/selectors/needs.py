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
from keelmark.core.arrays import Bools, Int64s
from keelmark.core.estate.books import exact_sum
from keelmark.core.estate.reach import pulled
from keelmark.core.performance import operations
from keelmark.core.performance.quiet import HOURS_A_WEEK, Quiet, quietest
from keelmark.readings.performance.reading import HOURS_A_DAY, hours_added

QUIET_HOURS: Final = 4  # in a row
WEEKS: Final = 2  # that are looked back on
MOST_READ: Final = 2_000  # disks whose hours are read
KEPT, KEPT_SECONDS = 8, 3600


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


def needs_of(view: View, *, moving: Bools, room_bytes: int) -> Needs | None:
    """Return what disks that must move take, None where none must."""
    if not moving.any():
        return None
    used = view.reading.books["disk"].used
    known = moving & used.is_known
    most = week_at(view.reading).found.most_iops[moving]
    is_counted = ~np.isnan(most)
    n_bytes = exact_sum(used.values[known])
    return Needs(
        n_disks=int(moving.sum()),
        used_bytes=n_bytes,
        n_unread=int((moving & ~used.is_known).sum()),
        iops=float(np.nansum(most)) if is_counted.any() else None,
        n_uncounted=int((~is_counted).sum()),
        room_bytes=room_bytes,
        fits=n_bytes <= room_bytes,
    )


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
