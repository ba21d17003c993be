"""What changed on a volume lately that moves what it must offer: why it drifted."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Final

import numpy as np

from keelmark.access.clock import now
from keelmark.bearings.selectors.picture import reading_at
from keelmark.bearings.selectors.views import View
from keelmark.compliance.models import TierRevision
from keelmark.compliance.selectors.tiers import Tiered, is_served, tiered_at
from keelmark.core.arrays import Bools
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.places import places_of_disks
from keelmark.core.estate.reading import LIKELY, Reading
from keelmark.feeds.changes.allowed import LIMITS
from keelmark.feeds.changes.reading import newest_changes
from keelmark.feeds.models import ChangeState

DAYS: Final = 30  # that are looked back on
MOST_NAMED: Final = 8
CAME, WENT, STARTED, STOPPED = "came", "went", "started", "stopped"
REVISED, SET = "tier revised", "set from here"


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """One thing that changed: of which disks, or of what, and by how much the sums moved."""

    what: str
    disks: list[dict[str, Any]]  # Any: JSON
    n: int
    max_iops: int  # by which what must be offered moved, or what it is set to
    name: str = ""
    at: datetime | None = None


def causes_of(view: View, *, row: int) -> list[Cause]:
    """Return what changed on a volume in the last days, disks first."""
    reading = view.reading
    tiered = tiered_at(reading)
    then = reading_at(day=reading.day - DAYS, quantile=LIKELY, planned=view.planned)
    here = (tiered.place["volume"] == row) & reading.is_there["disk"]
    was = (places_of_disks(then, kind="volume") == row) & then.is_there["disk"]
    lately, is_on = _power_changed(reading), is_served(reading)
    told = [
        _of_disks(view, tiered, what=CAME, mask=here & ~was & is_on, sign=1),
        _of_disks(view, tiered, what=WENT, mask=was & ~here, sign=-1),
        _of_disks(view, tiered, what=STARTED, mask=here & was & lately & is_on, sign=1),
        _of_disks(view, tiered, what=STOPPED, mask=here & was & lately & ~is_on, sign=-1),
    ]
    volume_id = int(reading.estate.table("volume").ids[row])
    return [one for one in told if one.n] + _revised(tiered, here=here & is_on) + _set(volume_id)


def _power_changed(reading: Reading) -> Bools:
    """Disks of VMs whose power is as it is since a day that was looked back on."""
    since = reading.estate.table("vm").amounts("since")
    lately = since.is_known & (since.values > reading.day - DAYS)
    told: Bools = np.append(lately, False)[reading.link("disk", "vm")]
    return told


def _of_disks(view: View, tiered: Tiered, *, what: str, mask: Bools, sign: int) -> Cause:
    rows = np.flatnonzero(mask & view.seen["disk"])
    most = np.array([*(one.core.max_iops for one in tiered.defined), 0], dtype=np.int64)
    shared = np.array([*(one.core.is_together for one in tiered.defined), False])
    tier = tiered.tier[rows]
    table = view.reading.estate.table("disk")
    return Cause(
        what=what,
        disks=[
            {"id": int(table.ids[row]), "kind": "disk", "name": table.names[row]}
            for row in rows[:MOST_NAMED].tolist()
        ],
        n=len(rows),
        max_iops=sign * int(most[tier][~shared[tier]].sum()),
    )


def _revised(tiered: Tiered, *, here: Bools) -> list[Cause]:
    """Tiers of the disks on it that were revised in the last days."""
    since = now() - timedelta(days=DAYS)
    told = []
    for place in sorted(set(tiered.tier[here].tolist()) - {NOWHERE}):
        one = tiered.defined[place]
        before = (
            TierRevision.objects.filter(tier=one.tier, number__lt=one.revision.number)
            .order_by("-number")
            .first()
        )
        if before is None or one.revision.made_at < since:
            continue
        n = int((here & (tiered.tier == place)).sum())
        by = one.core.max_iops - before.max_iops
        told.append(
            Cause(
                what=REVISED, disks=[], n=n, name=one.core.name, at=one.revision.made_at,
                max_iops=by if one.core.is_together else n * by,
            )
        )  # fmt: skip
    return told


def _set(volume_id: int) -> list[Cause]:
    done = newest_changes([volume_id], what=LIMITS, states=[ChangeState.SET])
    change = done.get(volume_id)
    since = now() - timedelta(days=DAYS)
    if change is None or change.ended_at is None or change.ended_at < since:
        return []
    most = change.wanted["max_iops"] - change.was["max_iops"]
    return [Cause(what=SET, disks=[], n=1, max_iops=most, at=change.ended_at)]
