"""Tells lanes in words and numbers: what a disk does, may do and is promised, and why it waits."""

from datetime import UTC, datetime, timedelta
from typing import Any, Final

import numpy as np

from keelmark.access.clock import now
from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.found import FOUND, day_told, fitting_tier, week_at
from keelmark.compliance.selectors.promised import minute_of
from keelmark.compliance.selectors.serving import STATES, STEP_MINUTES, Served
from keelmark.compliance.selectors.tiers import BY, configured, oversold
from keelmark.core.arrays import Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import When
from keelmark.core.performance import PARTS, STEPS_A_DAY, Floats, operations
from keelmark.core.qos import IoState
from keelmark.core.qos.found import Found
from keelmark.core.qos.tiers import BOUND_BY
from keelmark.readings.performance.reading import (
    STEP_SECONDS,
    Instants,
    instants_of,
    steps_of,
)


def lanes_of(
    view: View, served: Served, rows: Int64s, *, shows_places: bool
) -> list[dict[str, Any]]:  # Any: JSON
    """Return the lanes of some disks, in their order; of tenants' viewers without places."""
    table = view.reading.estate.table("disk")
    ids = table.ids[rows]
    day = EPOCH + timedelta(days=view.reading.day)
    steps = steps_of(ids, first_on=day - timedelta(days=1), n_days=2)
    begin = datetime(day.year, day.month, day.day, tzinfo=UTC) - timedelta(days=1)
    end = 2 * STEPS_A_DAY
    if served.read_at is not None:
        end = int((served.read_at - begin).total_seconds()) // STEP_SECONDS
    window = operations(steps[:, :, max(0, end - STEPS_A_DAY) : end])
    instants = instants_of(ids) if view.reading.when is When.NOW else None
    told = _Teller(view, served, shows_places=shows_places)
    return [
        told.lane(int(row), day=window[at], instants=instants, at=at)
        for at, row in enumerate(rows.tolist())
    ]


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
