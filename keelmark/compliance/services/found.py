"""Keeps how disks were served on each day that is over, and opens what that shows as findings."""

from datetime import date, datetime, timedelta
from typing import Final

import numpy as np
from django.db import transaction

from keelmark.bearings.selectors.picture import reading_at
from keelmark.compliance.models import DayServed, TierOutlook
from keelmark.compliance.selectors.found import (
    DAYS,
    FOUND,
    Week,
    day_told,
    fitting_tier,
    packed,
    week_at,
)
from keelmark.compliance.selectors.names import unknown_names
from keelmark.compliance.selectors.tiers import Tiered, tiered_at
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.reading import LIKELY, Reading
from keelmark.core.performance import operations
from keelmark.core.qos.found import Found, Tally, tally_of, together
from keelmark.core.qos.states import WAITED_BY
from keelmark.estate.models import Finding, FindingKind
from keelmark.estate.services.conflicts import MAX_SUBJECT, keep
from keelmark.readings.performance.packing import steps_packed
from keelmark.readings.performance.reading import packed_steps

AT_ONCE: Final = 2_000  # disks whose steps of a day are read together
KEPT_DAYS: Final = 30
Wanted = dict[tuple[FindingKind, int, str], tuple[str, list[int]]]
KINDS: Final = {
    Found.HELD_LONG: FindingKind.HELD_LONG,
    Found.STARVED_OFTEN: FindingKind.STARVED_OFTEN,
    Found.BUSY_UNTIERED: FindingKind.BUSY_UNTIERED,
    Found.OUTGROWS: FindingKind.OUTGROWS_TIER,
}  # a limit that is too wide costs nobody anything today: it stands with its tier alone


def keep_days(*, now: datetime) -> list[date]:
    """Keep the days that are packed, the newest first, and anew where more came; return which."""
    wanted = [now.date() - timedelta(days=back) for back in range(1, DAYS + 1)]
    known = dict(DayServed.objects.filter(day__in=wanted).values_list("day", "n_steps"))
    n_packed = {day: steps_packed(day) for day in wanted}
    told = [day for day in wanted if n_packed[day] and n_packed[day] != known.get(day)]
    reading = reading_at(day=None, quantile=LIKELY)
    for day in told:
        _keep_day(reading, day, n_steps=n_packed[day], now=now)
    DayServed.objects.filter(day__lt=now.date() - timedelta(days=KEPT_DAYS)).delete()
    return told


def _keep_day(reading: Reading, day: date, *, n_steps: int, now: datetime) -> None:
    """Keep one day by the limits that bear now."""
    tiered = tiered_at(reading)
    ids = reading.estate.table("disk").ids
    order = np.argsort(ids)
    tallies = [
        _tally(ids[rows], day, min_iops=tiered.minimum[rows], max_iops=tiered.maximum[rows])
        for rows in np.array_split(order, -(-len(order) // AT_ONCE) or 1)
    ]
    DayServed.objects.update_or_create(
        day=day,
        defaults={
            "made_at": now, "n_steps": n_steps, "content": packed(ids[order], together(tallies)),
        },
    )  # fmt: skip


def _tally(ids: Int64s, day: date, *, min_iops: Float64s, max_iops: Float64s) -> Tally:
    steps = packed_steps(ids, first_on=day, n_days=1, parts=WAITED_BY)
    return tally_of(
        operations(steps), qos_ms=steps[:, 2], queue_ms=steps[:, 3],
        min_iops=min_iops, max_iops=max_iops,
    )  # fmt: skip


@transaction.atomic
def look_for_found(*, now: datetime) -> int:
    """Open what the last days show of disks, end what is no longer so; return how many stand."""
    reading = reading_at(day=None, quantile=LIKELY)
    tiered, week = tiered_at(reading), week_at(reading)
    table = reading.estate.table("disk")
    wanted: Wanted = {
        (kind, int(table.ids[row]), "tier"): (
            _ahead(week.outlooks[int(table.ids[row])])
            if found is Found.OUTGROWS
            else _words(found, row, tiered=tiered, week=week),
            [],
        )
        for found, kind in KINDS.items()
        for row in np.flatnonzero(week.found.is_found[FOUND.index(found)]).tolist()
    }
    wanted |= _unknown(reading)
    ours = (*KINDS.values(), FindingKind.UNKNOWN_NAME)
    keep(wanted, standing=Finding.objects.filter(kind__in=ours, ended_at=None), at=now)
    return len(wanted)


def _unknown(reading: Reading) -> Wanted:
    """Names that feeds tell and nobody drew up: one finding a name, at the first that has it."""
    seen = {
        kind: np.ones(len(table), dtype=np.bool_) for kind, table in reading.estate.tables.items()
    }
    return {
        (FindingKind.UNKNOWN_NAME, one.some[0], f"{one.word} {one.name}"[:MAX_SUBJECT]): (
            f"{one.n:,} things are told to be in the {one.word} “{one.name}”, that nobody drew up",
            list(one.some[1:]),
        )
        for one in unknown_names(reading, seen=seen)
    }


def _ahead(one: TierOutlook) -> str:
    return (
        f"its busy hours, {one.level_iops:,.0f} operations a second now, come to the "
        f"{one.max_iops:,} of its tier likely on {day_told(one.likely_on)}, in one of "
        f"ten futures by {day_told(one.early_on)}, in nine of ten by {day_told(one.late_on)}"
    )


def _words(found: Found, row: int, *, tiered: Tiered, week: Week) -> str:
    of = week.found
    fits = fitting_tier(tiered, week, row)
    place = f"{fits.name} would fit it" if fits else "no tier is wide enough for it"
    n_days = len(week.days)
    days = "day" if n_days == 1 else f"{n_days} days"
    if found is Found.HELD_LONG:
        return f"was held at its limit for {of.held_hours[row]:.1f} hours a day in the last {days}"
    if found is Found.STARVED_OFTEN:
        return (
            f"had less than its minimum for {of.starved_hours[row]:.1f} hours a day in the last "
            f"{days}, while operations stood in line"
        )
    return (
        f"did up to {of.most_iops[row]:,.0f} operations a second in the last {days} and is in no "
        f"tier: {place}"
    )
