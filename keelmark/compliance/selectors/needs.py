"""What carrying a revision out would take: what must move, whether it fits, when it is quiet."""

from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from typing import Final

import numpy as np

from keelmark.access.clock import now
from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.found import week_at
from keelmark.core.arrays import Bools
from keelmark.core.estate.books import exact_sum
from keelmark.core.estate.reach import pulled
from keelmark.core.performance import PARTS, operations
from keelmark.core.performance.quiet import HOURS_A_WEEK, quietest
from keelmark.readings.performance.reading import hours_added

QUIET_HOURS: Final = 4  # in a row
WEEKS: Final = 2  # that are looked back on
RATES: Final = tuple(PARTS.index(name) for name in ("read_iops", "write_iops"))


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


def quiet_of(view: View, *, disks: Bools) -> QuietHours | None:
    """Return the quietest hours of disks by the last two weeks, None where they were not read."""
    ids = np.sort(view.reading.estate.table("disk").ids[disks])
    if not len(ids):
        return None
    today = now().date()
    monday = today - timedelta(days=today.weekday() + 7 * WEEKS)
    n_days = (today - monday).days
    steps, n_read = hours_added(ids, first_on=monday, n_days=n_days)
    done = np.asarray(operations(steps), dtype=np.float64)
    told = quietest(np.where(n_read > 0, done, np.nan), n_hours=QUIET_HOURS)
    if told is None:
        return None
    return QuietHours(
        begins_at=_next(told.begins_at),
        n_hours=told.n_hours,
        iops=told.mean,
        usual_iops=told.usual,
        n_days=int((n_read.reshape(-1, 24) > 0).any(axis=1).sum()),
    )


def _next(hour: int) -> datetime:
    """The next time that an hour of the week comes, counted from Monday."""
    at = now()
    monday = datetime.combine(at.date() - timedelta(days=at.weekday()), time(), tzinfo=UTC)
    begins = monday + timedelta(hours=hour)
    return begins if begins > at else begins + timedelta(hours=HOURS_A_WEEK)
