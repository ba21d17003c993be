"""Whose runways a plan moves, beside the estate as it is or from another plan on."""

from dataclasses import dataclass, replace
from datetime import date, timedelta

import numpy as np

from keelmark.bearings.selectors.picture import Drawn
from keelmark.bearings.selectors.views import View
from keelmark.core.arrays import Bools
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE, Words
from keelmark.core.estate.reading import Reading
from keelmark.core.forecast import Runway
from keelmark.core.scenario.effects import OfRow

ENDING = ("pool", "datastore")
MOVING = (*ENDING, "cluster")  # of whole clusters it is told by how long they last
MOST_ENDS = 60
Broken = dict[str, Bools]  # who of each kind of subjects


@dataclass(frozen=True, slots=True, kw_only=True)
class Dates:
    """When a limit mark is reached: never within the horizon where a date is None."""

    early_on: date | None
    likely_on: date | None
    late_on: date | None
    order_by_on: date | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Stand:
    """How a thing stands on the day looked at."""

    size_bytes: int | None
    used_bytes: int | None
    promised_bytes: int | None
    held_bytes: int | None
    state: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Moved:
    """A thing whose runway a scenario moves; ``before`` is None where it is not there yet."""

    id: int
    kind: str
    name: str
    place: str
    caution_percent: int
    limit_percent: int
    lead_time_days: int
    before: Stand | None
    after: Stand | None
    dates_before: Dates
    dates_after: Dates


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Before:
    """What a plan is told beside: another one that it goes on from."""

    view: View
    drawn: Drawn
    broken: Broken

    def row_of(self, kind: str, row: int, *, of: Drawn) -> int | None:
        """Return the row that a row of another plan's has here; what is born is found by its id."""
        here, there = (one.compiled.estate.table(kind).ids for one in (self.drawn, of))
        if row < len(here) and here[row] == there[row]:
            return row
        found = np.flatnonzero(here == there[row])
        return int(found[0]) if len(found) else None


def seen_in(view: View, kind: str) -> Bools:
    """Return which of a kind are in sight, with what ends."""
    seen: Bools = view.shown_along(kind, kinds=ENDING)
    return seen


def name_of(reading: Reading, kind: str, row: int) -> str:
    """Return a name; a pool's behind that of its array."""
    table = reading.estate.table(kind)
    array = int(reading.link(kind, "array")[row]) if kind == "pool" else NOWHERE
    if array == NOWHERE:
        return table.names[row]
    return f"{reading.estate.table('array').names[array]} · {table.names[row]}"


def moved_by(
    view: View, *, as_it_is: View, drawn: Drawn, before: Before | None
) -> tuple[list[Moved], int]:
    """What a plan touches, the one that ends first with it first."""
    found: list[tuple[float, str, int]] = []
    told = drawn.compiled
    own = {(one.kind, one.row) for one in told.plan.effects if isinstance(one, OfRow)}
    # What others hold is reckoned anew with it, and moves by nothing that is planned here.
    others = {(one.kind, one.row) for one in told.estate.holds} - own
    for kind in MOVING:
        ends = drawn.ends.get(kind)
        if ends is None:
            continue
        shown = _seen_either(view, as_it_is, kind)
        days = np.nan_to_num(ends.moved.early_days, nan=np.inf, posinf=np.inf)
        found += [
            (early, kind, row)
            for early, row in zip(days.tolist(), ends.rows.tolist(), strict=True)
            if shown[row] and ((kind, row) not in others or _differ(ends.before, ends.after, row))
        ]
    found.sort()
    if before is None:
        some = [_told(view, as_it_is, drawn, kind, row) for _, kind, row in found[:MOST_ENDS]]
        return some, len(found)
    every = [_told_from(view, drawn, before, kind, row) for _, kind, row in found]
    differing = [one for one in every if one is not None]
    return differing[:MOST_ENDS], len(differing)


def _told_from(view: View, drawn: Drawn, before: Before, kind: str, row: int) -> Moved | None:
    """What moves from a plan on to another; None where both do the same to it."""
    there = before.row_of(kind, row, of=drawn)
    told = _told(view, before.view, drawn, kind, row)
    if there is None:
        return told
    ends = before.drawn.ends.get(kind)
    estate = before.drawn.compiled.estate
    dates = (
        dates_in(ends.after, there, lead=told.lead_time_days, day=estate.day)
        if ends is not None and there in ends.rows
        else told.dates_before
    )
    reading = before.view.reading
    stood = _stand(reading, kind, there) if reading.is_there[kind][there] else None
    if (stood, dates) == (told.after, told.dates_after):
        return None
    return replace(told, before=stood, dates_before=dates)


def _differ(before: Runway, after: Runway, row: int) -> bool:
    names = ("early_days", "likely_days", "late_days")
    one, other = ([float(getattr(way, name)[row]) for name in names] for way in (before, after))
    return not np.allclose(one, other, atol=0.5, equal_nan=True)


def _seen_either(view: View, as_it_is: View, kind: str) -> Bools:
    """What is there with the plan or without: what is retired by it is told, too."""
    shown = seen_in(view, kind).copy()
    before = seen_in(as_it_is, kind)
    shown[: len(before)] |= before
    return shown


def _told(view: View, as_it_is: View, drawn: Drawn, kind: str, row: int) -> Moved:
    estate = drawn.compiled.estate
    ends, marks = drawn.ends[kind], estate.marks[kind]
    lead = int(marks.lead_time_days[row])
    is_born = row >= len(as_it_is.reading.estate.table(kind))
    reading = view.reading
    at = int(reading.link(kind, "cluster")[row]) if kind == "datastore" else NOWHERE
    site = int(reading.link(kind, "site")[row])
    place = [
        reading.estate.table(name).names[to]
        for name, to in (("site", site), ("cluster", at))
        if to != NOWHERE
    ]
    return Moved(
        id=int(estate.table(kind).ids[row]), kind=kind, name=name_of(reading, kind, row),
        place=" · ".join(place),
        caution_percent=int(marks.caution_percent[row]),
        limit_percent=int(marks.limit_percent[row]), lead_time_days=lead,
        before=None if is_born else _stand(as_it_is.reading, kind, row),
        after=_stand(reading, kind, row) if reading.is_there[kind][row] else None,
        dates_before=dates_in(ends.before, row, lead=lead, day=estate.day),
        dates_after=dates_in(ends.after, row, lead=lead, day=estate.day),
    )  # fmt: skip


def _stand(reading: Reading, kind: str, row: int) -> Stand:
    books, state = reading.books[kind], reading.state(kind)
    return Stand(
        size_bytes=books.size.told(row), used_bytes=books.used.told(row),
        promised_bytes=books.promised.told(row),
        held_bytes=books.held.told(row),
        state=state.told(row) if isinstance(state, Words) else None,
    )  # fmt: skip


def dates_in(way: Runway, row: int, *, lead: int, day: int) -> Dates:
    """Return the dates of one row, its days counted from a day."""

    def on(days: float, *, less: int = 0) -> date | None:
        if not np.isfinite(days):
            return None
        return EPOCH + timedelta(days=day + int(days) - less)

    early = float(way.early_days[row])
    return Dates(
        early_on=on(early), likely_on=on(float(way.likely_days[row])),
        late_on=on(float(way.late_days[row])), order_by_on=on(early, less=lead),
    )  # fmt: skip
