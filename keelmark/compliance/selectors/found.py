"""What the last days show of disks and their tiers, from one packed row a day."""

import io
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import date, timedelta
from threading import RLock
from typing import Any, Final

import numpy as np
from django.db.models import Max

from keelmark.bearings.selectors.picture import Lately
from keelmark.bearings.selectors.views import View
from keelmark.compliance.models import DayServed, TierOutlook
from keelmark.compliance.selectors.tiers import Tiered, tiered_at
from keelmark.core.arrays import Bools, Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading, When
from keelmark.core.qos.found import Found, FoundOf, Tally, found_of
from keelmark.core.qos.tiers import Tier

DAYS: Final = 7  # that are looked at
KEPT: Final = 2
SOON: Final = timedelta(days=180)  # who comes to its maximum later is nobody to act for now
FOUND: Final = tuple(Found)
_NAMES: Final = tuple(field.name for field in fields(Tally))


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Week:
    """What is found of all disks of a reading, of which days, and what is forecast of some."""

    found: FoundOf
    days: Sequence[date]
    outlooks: Mapping[int, TierOutlook]  # by disk


class _Kept:
    lock = RLock()
    weeks: Lately[Hashable, Week] = Lately(KEPT)


def packed(ids: Int64s, tally: Tally) -> bytes:
    """Return one day as it is kept."""
    told = io.BytesIO()
    columns: dict[str, Any] = {name: getattr(tally, name) for name in _NAMES}  # Any: NumPy's own
    np.savez_compressed(told, ids=ids, **columns)
    return told.getvalue()


def unpacked(content: bytes) -> tuple[Int64s, Tally]:
    """Return the sorted ids of a kept day and how they were served."""
    with np.load(io.BytesIO(content), allow_pickle=False) as told:
        return told["ids"], Tally(**{name: told[name] for name in _NAMES})


def week_at(reading: Reading) -> Week:
    """Return what the days up to that of a reading show; who sees what is for the caller."""
    tiered = tiered_at(reading)
    last_on = EPOCH + timedelta(days=reading.day)
    known = DayServed.objects.filter(day__lte=last_on, day__gt=last_on - timedelta(days=DAYS + 1))
    newest = known.aggregate(at=Max("made_at"))["at"]
    ahead = TierOutlook.objects.aggregate(at=Max("made_at"))["at"]
    key = (tiered.key, reading.when, newest, ahead)
    with _Kept.lock:
        return _Kept.weeks.get(key) or _Kept.weeks.keep(
            key, _week(reading, tiered, days=list(known.order_by("-day")[:DAYS]))
        )


def _week(reading: Reading, tiered: Tiered, *, days: Sequence[DayServed]) -> Week:
    ids = reading.estate.table("disk").ids
    outlooks = _outlooks(reading, tiered)
    found = found_of(
        [_along(ids, *unpacked(bytes(one.content))) for one in days],
        tiers=[one.core for one in tiered.defined],
        tier=tiered.tier,
        outgrows=np.isin(ids, [pk for pk, one in outlooks.items() if is_outgrown(one)]),
    )
    shown = found.is_found & reading.is_there["disk"]
    return Week(
        found=replace(found, is_found=shown), days=[one.day for one in days],
        outlooks=outlooks,
    )  # fmt: skip


def _outlooks(reading: Reading, tiered: Tiered) -> dict[int, TierOutlook]:
    """Of the disks that are still in the tier that they were forecast for; of a past day none."""
    if reading.when is not When.NOW:
        return {}
    table = reading.estate.table("disk")
    told = {one.entity_id: one for one in TierOutlook.objects.exclude(likely_on=None)}
    rows = table.rows_of(np.array(list(told), dtype=np.int64))
    tier_ids = np.array([*(one.tier.pk for one in tiered.defined), NOWHERE])[tiered.tier[rows]]
    return {
        one.entity_id: one
        for one, row, tier_id in zip(told.values(), rows.tolist(), tier_ids.tolist(), strict=True)
        if row != NOWHERE and one.tier_id == tier_id
    }


def day_told(day: date | None) -> str:
    """Return a day in words, as sentences tell it."""
    return "later than two years from now" if day is None else f"{day.day} {day:%b %Y}"


def is_outgrown(one: TierOutlook) -> bool:
    """Return whether a disk grows out of its tier soon: not by one odd day, and not already."""
    soon = one.level_iops + one.growth_per_day * SOON.days
    return (
        one.likely_on is not None
        and one.likely_on - one.made_at.date() <= SOON
        and one.level_iops < one.max_iops <= soon
    )


def _along(ids: Int64s, known: Int64s, tally: Tally) -> Tally:
    """The same along other ids; who was not there on that day has nothing read."""
    at = np.searchsorted(known, ids)
    at[at == len(known)] = 0
    is_known = known[at] == ids if len(known) else np.zeros(len(ids), dtype=np.bool_)
    empty = {"most_iops": np.nan}
    columns = {}
    for name in _NAMES:
        told = getattr(tally, name)
        nothing = np.full(len(ids), empty.get(name, 0), dtype=told.dtype)
        columns[name] = np.where(is_known, told[at] if len(known) else nothing, nothing)
    return Tally(**columns)


def found_tally(view: View, *, shown: Bools) -> list[dict[str, Any]]:  # Any: JSON
    """Return of each tier, and last of no tier, what is found of its disks among those shown.

    ``spare_iops`` is by how much the maximums of disks with too wide a limit could be lowered.
    """
    tiered, week = tiered_at(view.reading), week_at(view.reading)
    lax = week.found.is_found[FOUND.index(Found.LIMIT_LAX)]
    spare = _spare(tiered, week)
    told = []
    for place in (*range(len(tiered.defined)), NOWHERE):
        mine = shown & (tiered.tier == place)
        told.append({
            **{kind.value: int((mine & week.found.is_found[at]).sum())
               for at, kind in enumerate(FOUND)},
            "spare_iops": int(spare[mine & lax].sum()),
        })  # fmt: skip
    return told


def _spare(tiered: Tiered, week: Week) -> Int64s:
    most = np.array([*(one.core.max_iops for one in tiered.defined), 0], dtype=np.int64)
    told: Int64s = np.maximum(most[tiered.tier] - most[week.found.fits], 0)
    return told


def fitting_tier(tiered: Tiered, week: Week, row: int) -> Tier | None:
    """Return the least tier that the busiest mean of a disk fits into."""
    place = int(week.found.fits[row])
    return None if place == NOWHERE else tiered.defined[place].core
