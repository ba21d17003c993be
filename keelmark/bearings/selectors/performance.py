"""What a thing reads and writes and how long that takes: its own means, or its disks' added up."""

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any, Final

import numpy as np

from keelmark.bearings.selectors.things import sharing
from keelmark.bearings.selectors.views import View
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.places import places_of_disks
from keelmark.core.estate.strata import Node
from keelmark.core.performance import (
    PARTS,
    STEPS_A_DAY,
    Bins,
    Floats,
    added,
    binned,
    operations,
    rolled,
)
from keelmark.estate.models import Array
from keelmark.readings.partitions import STEP_DAYS_KEPT
from keelmark.readings.performance.reading import (
    HOURS_A_DAY,
    days_added,
    days_of,
    hours_added,
    hours_of,
    steps_of,
)

WINDOWS_DAYS: Final = (1, 7, 14, 30, 90, 365)
N_BINS: Final = 288
LEAST_SHARE_READ: Final = 0.9  # of a window; below it, its disks may tell more
MOST_DAY_PACKS: Final = 150  # things · days read step by step; more are told by the hour,
MOST_HOUR_DAYS: Final = 8000  # and more than these by the day
HOUR_WINDOW_DAYS: Final = 90
MOST_EATERS: Final = 12
EATERS: Final = ("disk", "vm", "datastore", "volume", "project", "tenant", "port", "pool", "drive")
# What a place's own parts count, beside what the disks on it do.
_PARTS_OF: Final = {"array": ("port", "pool", "drive"), "pool": ("drive",), "host": ("drive",)}
_STEP_SECONDS: Final = {STEPS_A_DAY: 300, HOURS_A_DAY: 3600, 1: 86_400}


@dataclass(frozen=True, slots=True, kw_only=True)
class Performance:
    """A thing's means over a window, in bins, and of what they are."""

    source: str  # own: told of it; disks: added up of what lies on it; none: nothing was read
    n_things: int
    first_on: date
    first_step: int  # steps of the first day that lie before the window
    step_seconds: int  # of what was read; a bin has width steps
    bins: Bins
    least_read: Int64s  # (n_bins,) of how many things the fewest were read
    sustains_iops: int | None = None  # what an array can do for long, as it is told of it
    sustains_bytes_per_second: int | None = None


def performance_of(view: View, node: Node, *, days: int) -> Performance:
    """Return what a thing did in the days up to the one looked at, as far as it may be seen."""
    estate = view.reading.estate
    ids = np.array([estate.table(node.kind).ids[node.row]], dtype=np.int64)
    last = min(view.reading.day, estate.day)
    source, told = "own", _read(ids, last=last, days=days)
    if node.kind != "disk" and told.share_read(days) < LEAST_SHARE_READ:
        disks = disks_of(view, node)
        added_up = _read(disks, last=last, days=days)
        if added_up.share_read(days) > told.share_read(days):  # told of itself for less long
            source, ids, told = "disks", disks, added_up
    if told.is_nothing:
        source, ids = "none", ids[:0]
    sustains = sustained_by(node.kind, entity_id=int(estate.table(node.kind).ids[node.row]))
    begin, end = told.window(days)
    bins = binned(told.steps[:, begin:end], n_bins=N_BINS)
    return Performance(
        source=source,
        n_things=len(ids),
        first_on=told.first_on,
        first_step=begin,
        step_seconds=_STEP_SECONDS[told.per_day],
        bins=bins,
        least_read=_least(told.n_read[begin:end], width=bins.width, n_bins=len(bins.least)),
        sustains_iops=sustains[0],
        sustains_bytes_per_second=sustains[1],
    )


def sustained_by(kind: str, *, entity_id: int) -> tuple[int | None, int | None]:
    """Return the operations and bytes a second that an array sustains; of others nothing is."""
    if kind != "array":
        return None, None
    told = Array.objects.filter(pk=entity_id).values_list(
        "sustainable_iops", "sustainable_bytes_per_second"
    )
    return told.first() or (None, None)


def eaters_of(view: View, node: Node, *, days: int, by: str) -> list[dict[str, Any]]:  # Any: JSON
    """Return who of a kind reads and writes most on a thing, by their disks there.

    An array's ports, pools and drives are told as they count themselves, a pool's drives too.
    """
    estate = view.reading.estate
    is_own = by in _PARTS_OF["array"]
    ids = _parts_of(view, node, kind=by) if is_own else disks_of(view, node)
    if len(ids) == 0:
        return []
    counted = estate.table(by if is_own else "disk")
    last = min(view.reading.day, estate.day)
    first = EPOCH + timedelta(days=last - days)
    read = hours_of if days == 1 else days_of
    told, peak = read(ids, first_on=first, n_days=days + 1)
    begin, end = _window(told, days=days, per_day=HOURS_A_DAY if days == 1 else 1)
    told, peak = told[:, :, begin:end], peak[:, begin:end]
    whole = rolled(told, width=end - begin)[0]
    rows = np.searchsorted(counted.ids, ids)
    onto = rows if is_own else _owner(view, by=by)[rows]
    has_owner = onto != NOWHERE
    owners, of = np.unique(onto[has_owner], return_inverse=True)
    sums, _ = added(whole[has_owner], of=of, n_groups=len(owners))
    done: Float64s = operations(sums)[:, 0].astype(np.float64)
    is_counted = ~np.isnan(sums[:, 2:4, 0])
    moved = np.where(
        is_counted.any(axis=1), np.where(is_counted, sums[:, 2:4, 0], 0).sum(axis=1), np.nan
    )
    ranked = moved if np.isnan(done).all() else done  # ports count bytes and no operations
    is_read = ~np.isnan(ranked)
    order = [at for at in np.argsort(-np.nan_to_num(ranked), kind="stable").tolist() if is_read[at]]
    total = float(np.nansum(ranked))
    busiest = np.where(np.isnan(peak), -1, peak).max(axis=1)[has_owner]
    table = estate.table(by)
    return [
        {
            "id": int(table.ids[owners[at]]),
            "kind": by,
            "name": table.names[int(owners[at])],
            "iops": _or_none(done[at]),
            "share": float(ranked[at]) / total if total else 0.0,
            "bytes_per_second": _or_none(moved[at]),
            "latency_ms": _or_none(sums[at, PARTS.index("latency_ms"), 0]),
            "qos_latency_ms": _or_none(sums[at, PARTS.index("qos_latency_ms"), 0]),
            "most_iops": _or_none(_known_most(busiest[of == at])),
        }
        for at in order[:MOST_EATERS]
    ]


def disks_of(view: View, node: Node) -> Int64s:
    """Return the ids of the disks that lie on a thing or belong to it, as far as seen."""
    table = view.reading.estate.table("disk")
    if node.kind == "disk":
        return table.ids[[node.row]]
    mask = sharing(view, node, kind="disk")
    found: Int64s = table.ids[mask]
    return found


def _parts_of(view: View, node: Node, *, kind: str) -> Int64s:
    """The ids of a place's own parts of a kind, as far as seen; of all else there are none."""
    if kind not in _PARTS_OF.get(node.kind, ()):
        return np.zeros(0, dtype=np.int64)
    reading = view.reading
    is_of = (reading.link(kind, node.kind) == node.row) & view.seen[kind] & reading.is_there[kind]
    found: Int64s = reading.estate.table(kind).ids[is_of]
    return found


def _owner(view: View, *, by: str) -> Int64s:
    """The row of a kind to which each disk belongs, NOWHERE where to none."""
    reading = view.reading
    if by == "disk":
        return np.arange(len(reading.estate.table("disk")), dtype=np.int64)
    if by in ("vm", "datastore", "tenant"):
        return reading.link("disk", by)
    if by == "project":
        vm, above = reading.link("disk", "vm"), reading.link("vm", "project")
        return np.where(vm == NOWHERE, NOWHERE, above[vm]) if len(above) else vm * 0 + NOWHERE
    return places_of_disks(reading, kind="volume")


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Read:
    """Things added up: steps (n_parts, n_steps) from the first day on, and how many were read."""

    steps: Floats
    n_read: Int64s
    per_day: int
    first_on: date

    @property
    def is_nothing(self) -> bool:
        return bool(np.isnan(self.steps).all())

    def share_read(self, days: int) -> float:
        """Return the share of the window's steps in which anything was read."""
        begin, end = self.window(days)
        return float((~np.isnan(self.steps[:, begin:end]).all(axis=0)).mean())

    def window(self, days: int) -> tuple[int, int]:
        """Return which steps are of the days before the last that was read."""
        return _window(self.steps[None], days=days, per_day=self.per_day)


def _window(steps: Floats, *, days: int, per_day: int) -> tuple[int, int]:
    """Return which steps (n_things, n_parts, n_steps) are of the days before the last read."""
    is_read = np.flatnonzero(~np.isnan(steps).all(axis=(0, 1)))
    end = int(is_read[-1]) + 1 if len(is_read) else steps.shape[2]
    return max(0, end - days * per_day), end


def _read(ids: Int64s, *, last: int, days: int) -> _Read:
    """Read by the step, hour or day, as finely as the window and the number of things allow."""
    first = EPOCH + timedelta(days=last - days)
    n_days = days + 1  # the last goes on, or the first is cut
    if days <= STEP_DAYS_KEPT and len(ids) * n_days <= MOST_DAY_PACKS:
        each = steps_of(ids, first_on=first, n_days=n_days)
        sums, n_read = added(each, of=np.zeros(len(ids), dtype=np.int64), n_groups=1)
        return _Read(steps=sums[0], n_read=n_read[0], per_day=STEPS_A_DAY, first_on=first)
    if days <= HOUR_WINDOW_DAYS and len(ids) * n_days <= MOST_HOUR_DAYS:
        steps, n = hours_added(ids, first_on=first, n_days=n_days)
        return _Read(steps=steps, n_read=n, per_day=HOURS_A_DAY, first_on=first)
    steps, n = days_added(ids, first_on=first, n_days=n_days)
    return _Read(steps=steps, n_read=n, per_day=1, first_on=first)


def _least(n_read: Int64s, *, width: int, n_bins: int) -> Int64s:
    """The fewest that were read in a step of each bin; steps that nobody read do not count."""
    most = np.iinfo(np.int64).max
    whole = np.full(n_bins * width, most)
    whole[: len(n_read)] = np.where(n_read == 0, most, n_read)
    least: Int64s = whole.reshape(n_bins, width).min(axis=1)
    return np.where(least == most, 0, least)


def _known_most(amounts: Float64s) -> float:
    most = float(amounts.max())
    return most if most >= 0 else float("nan")


def _or_none(amount: float) -> float | None:
    return None if np.isnan(amount) else float(amount)
