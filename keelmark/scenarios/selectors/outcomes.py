"""What scenarios do, side by side and beside the estate as it is."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date, timedelta

import numpy as np

from keelmark.access.clock import now
from keelmark.bearings.selectors.picture import Drawn, drawn_of, reading_at
from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.serving import STATES, codes_with, seen_disks
from keelmark.compliance.selectors.standing import standing_at
from keelmark.compliance.selectors.tiers import oversold, tiered_at
from keelmark.core.arrays import Bools, Int64s
from keelmark.core.berths import ReferenceVm
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE, Words
from keelmark.core.estate.reading import LIKELY, Reading
from keelmark.core.forecast import Runway
from keelmark.core.placement.berths import berths_at
from keelmark.core.policy.facts import SUBJECTS
from keelmark.core.policy.states import BROKEN
from keelmark.core.prices import costs_of_objects, costs_of_pools, sum_of
from keelmark.core.qos import IoState
from keelmark.core.scenario.effects import OfRow
from keelmark.core.scenario.outcome import exposed, past_limit
from keelmark.forecasts.berths.counting import reference_vm
from keelmark.scenarios.selectors.kept import PlannedMoves
from keelmark.scenarios.selectors.prices import standing_prices

ENDING = ("pool", "datastore")
MOVING = (*ENDING, "cluster")  # of whole clusters it is told by how long they last
MOST_ENDS = 60
MOST_TURNED = 12
Broken = dict[str, Bools]  # who of each kind of subjects


@dataclass(frozen=True, slots=True, kw_only=True)
class End:
    """What ends, and on which day."""

    id: int
    kind: str
    name: str
    on: date


@dataclass(frozen=True, slots=True, kw_only=True)
class ClusterBerths:
    """Berths of one cluster; None where one of its resources is not known."""

    id: int
    name: str
    n_free: int | None
    limited_by: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Figures:
    """What one line of the outcome tells; everything within the scope and what may be seen."""

    n_berths: int | None
    n_unknown_clusters: int
    clusters: list[ClusterBerths]
    exposure_bytes: int
    n_broken: int
    n_past_limit: int
    n_oversold: int  # arrays whose minimums are more than they sustain
    n_held: int | None  # disks, by what was asked for in the newest means; None: none was read
    n_starved: int | None
    costs_a_month: float | None  # of pools and objects, by the price list; None: nothing has one
    n_unpriced: int  # pools without a price
    first_end: End | None
    order_by: End | None


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


@dataclass(frozen=True, slots=True, kw_only=True)
class Turned:
    """A subject that is broken with a scenario and is not without, or the other way."""

    id: int
    kind: str
    name: str
    is_broken: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """What one scenario does."""

    figures: Figures
    moved: list[Moved]
    n_moved: int
    turned: list[Turned]
    n_turned: int
    spends: float
    n_barred: int


def figures_of(view: View, *, broken: Broken) -> Figures:
    """Return the line of the outcome for the estate as a view reads it."""
    reading = view.reading
    reference, _ = reference_vm(now=now())
    codes = codes_with(reading, as_it_is=reading_at(day=None, quantile=LIKELY))
    stood = codes[seen_disks(view)]
    is_read = bool((stood != STATES.index(IoState.UNREAD)).any())
    clusters = _clusters(view, reference=reference)
    known = [one.n_free for one in clusters if one.n_free is not None]
    pools = _seen(view, "pool")
    prices = standing_prices()
    costs = costs_of_pools(reading, prices)
    objects = costs_of_objects(reading, prices, view.shown_along("bucket", kinds=("bucket",)))
    return Figures(
        n_berths=sum(known) if known else None,
        n_unknown_clusters=len(clusters) - len(known),
        clusters=clusters,
        exposure_bytes=exposed(reading, of=pools),
        n_broken=sum(int(one.sum()) for one in broken.values()),
        n_past_limit=int((past_limit(reading, kind="pool") & pools).sum()),
        n_oversold=int((oversold(reading, tiered_at(reading)) & _seen(view, "array")).sum()),
        n_held=int((stood == STATES.index(IoState.HELD)).sum()) if is_read else None,
        n_starved=int((stood == STATES.index(IoState.STARVED)).sum()) if is_read else None,
        costs_a_month=sum_of([costs.total(pools), *objects.values()]),
        n_unpriced=int((pools & ~costs.is_priced).sum()),
        first_end=_first(view, column="runway"),
        order_by=_first(view, column="early", less_lead=True),
    )


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


def outcome_of(
    view: View, *, as_it_is: View, was_broken: Broken, drawn: Drawn, before: Before | None = None
) -> Outcome:  # fmt: skip
    """Return what a scenario does, by the same reading of it as every screen has.

    With ``before`` what moves and what turns is what does so from there on.
    """
    moved, n_moved = _moved(view, as_it_is=as_it_is, drawn=drawn, before=before)
    broken = broken_in(view)
    turned, n_turned = _turned(
        view, broken=broken, was=before.view if before else as_it_is,
        was_broken=before.broken if before else was_broken,
    )  # fmt: skip
    return Outcome(
        figures=figures_of(view, broken=broken),
        moved=moved, n_moved=n_moved, turned=turned, n_turned=n_turned,
        spends=drawn.compiled.spends,
        n_barred=sum(one.is_barred for one in drawn.compiled.told),
    )  # fmt: skip


def _seen(view: View, kind: str) -> Bools:
    seen: Bools = view.shown_along(kind, kinds=ENDING)
    return seen


def _clusters(view: View, *, reference: ReferenceVm) -> list[ClusterBerths]:
    table = view.reading.estate.table("cluster")
    shown = view.shown_along("cluster", kinds=("cluster",))
    told = berths_at(view.reading, reference=reference)
    return [
        ClusterBerths(
            id=int(table.ids[row]), name=table.names[row], n_free=told[row].n_free,
            limited_by=told[row].limited_by,
        )
        for row in np.flatnonzero(shown).tolist()
    ]  # fmt: skip


def broken_in(view: View) -> Broken:
    """Return who breaks a rule of those in sight."""
    told = {}
    for kind in SUBJECTS:
        standing = standing_at(view.reading, kind=kind)
        shown = view.shown_along(kind, kinds=SUBJECTS) & standing.counts
        told[kind] = shown & (standing.verdicts.worst == BROKEN)
    return told


def _first(view: View, *, column: str, less_lead: bool = False) -> End | None:
    """What comes first of the dates to come of what is in sight."""
    of = {kind: _seen(view, kind) for kind in ENDING}
    return _soonest(view.reading, column=column, of=of, less_lead=less_lead)


def _soonest(
    reading: Reading, *, column: str, of: Mapping[str, Bools], less_lead: bool = False
) -> End | None:  # fmt: skip
    """What comes first; what stands there already is counted elsewhere."""
    estate, found = reading.estate, []
    for kind, mask in of.items():
        told = estate.table(kind).amounts(column)
        days = told.values - (estate.marks[kind].lead_time_days if less_lead else 0)
        rows = np.flatnonzero(mask & told.is_known & (told.values > estate.day))
        if len(rows):
            row = int(rows[np.argmin(days[rows])])
            found.append((int(days[row]), kind, row))
    if not found:
        return None
    day, kind, row = min(found)
    return End(
        id=int(estate.table(kind).ids[row]), kind=kind, name=name_of(reading, kind, row),
        on=EPOCH + timedelta(days=day),
    )  # fmt: skip


def name_of(reading: Reading, kind: str, row: int) -> str:
    """Return a name; a pool's behind that of its array."""
    table = reading.estate.table(kind)
    array = int(reading.link(kind, "array")[row]) if kind == "pool" else NOWHERE
    if array == NOWHERE:
        return table.names[row]
    return f"{reading.estate.table('array').names[array]} · {table.names[row]}"


def _moved(
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
    shown = _seen(view, kind).copy()
    before = _seen(as_it_is, kind)
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


def _turned(
    view: View, *, broken: Broken, was: View, was_broken: Broken
) -> tuple[list[Turned], int]:  # fmt: skip
    """Whose promises a scenario breaks, and whose it keeps again; the broken first."""
    told: list[Turned] = []
    n = 0
    for kind in SUBJECTS:
        table = view.reading.estate.table(kind)
        ids = was.reading.estate.table(kind).ids[was_broken[kind]]
        after, before = broken[kind], np.isin(table.ids, ids)
        for rows, is_broken in ((after & ~before, True), (before & ~after, False)):
            turned: Int64s = np.flatnonzero(rows)
            n += len(turned)
            told += [
                Turned(id=int(table.ids[row]), kind=kind, name=table.names[row],
                       is_broken=is_broken)
                for row in turned[:MOST_TURNED].tolist()
            ]  # fmt: skip
    return sorted(told, key=lambda one: not one.is_broken)[:MOST_TURNED], n


def first_end_of(planned: PlannedMoves) -> End | None:
    """Return what ends first with a plan once all of it has come, of all that there is."""
    days = [one.day for one in drawn_of(planned).compiled.plan.effects]
    reading = reading_at(day=max(days, default=None), quantile=LIKELY, planned=planned)
    return _soonest(reading, column="runway", of={kind: reading.is_there[kind] for kind in ENDING})
