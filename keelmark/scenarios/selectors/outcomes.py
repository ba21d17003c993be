"""What scenarios do, side by side and beside the estate as it is."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from keelmark.access.clock import now
from keelmark.bearings.selectors.picture import Drawn, drawn_of, reading_at
from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.serving import STATES, codes_with, seen_disks
from keelmark.compliance.selectors.standing import standing_at
from keelmark.compliance.selectors.tiers import oversold, tiered_at
from keelmark.core.arrays import Bools, Int64s
from keelmark.core.berths import Berths
from keelmark.core.days import EPOCH
from keelmark.core.estate.reading import LIKELY, Reading
from keelmark.core.placement.berths import berths_at, berths_together
from keelmark.core.policy.facts import SUBJECTS
from keelmark.core.policy.states import BROKEN
from keelmark.core.prices import costs_of_objects, costs_of_pools, sum_of
from keelmark.core.qos import IoState
from keelmark.core.scenario.outcome import exposed, past_limit
from keelmark.forecasts.berths.counting import reference_vm
from keelmark.scenarios.selectors.kept import PlannedMoves
from keelmark.scenarios.selectors.moving import (
    ENDING,
    Before,
    Broken,
    Moved,
    moved_by,
    name_of,
    seen_in,
)
from keelmark.scenarios.selectors.prices import standing_prices

MOST_TURNED = 12


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


def figures_of(view: View, *, broken: Broken) -> Figures:
    """Return the line of the outcome for the estate as a view reads it."""
    reading = view.reading
    reference, _ = reference_vm(now=now())
    codes = codes_with(reading, as_it_is=reading_at(day=None, quantile=LIKELY))
    stood = codes[seen_disks(view)]
    is_read = bool((stood != STATES.index(IoState.UNREAD)).any())
    berths = berths_at(reading, reference=reference)
    rows = np.flatnonzero(view.shown_along("cluster", kinds=("cluster",)))
    clusters = _clusters(reading, berths, rows=rows)
    pools = seen_in(view, "pool")
    prices = standing_prices()
    costs = costs_of_pools(reading, prices)
    objects = costs_of_objects(reading, prices, view.shown_along("bucket", kinds=("bucket",)))
    return Figures(
        n_berths=berths_together(reading, berths, of=rows, reference=reference),
        n_unknown_clusters=sum(one.n_free is None for one in clusters),
        clusters=clusters,
        exposure_bytes=exposed(reading, of=pools),
        n_broken=sum(int(one.sum()) for one in broken.values()),
        n_past_limit=int((past_limit(reading, kind="pool") & pools).sum()),
        n_oversold=int((oversold(reading, tiered_at(reading)) & seen_in(view, "array")).sum()),
        n_held=int((stood == STATES.index(IoState.HELD)).sum()) if is_read else None,
        n_starved=int((stood == STATES.index(IoState.STARVED)).sum()) if is_read else None,
        costs_a_month=sum_of([costs.total(pools), *objects.values()]),
        n_unpriced=int((pools & ~costs.is_priced).sum()),
        first_end=_first(view, column="runway"),
        order_by=_first(view, column="early", less_lead=True),
    )


def outcome_of(
    view: View, *, as_it_is: View, was_broken: Broken, drawn: Drawn, before: Before | None = None
) -> Outcome:  # fmt: skip
    """Return what a scenario does, by the same reading of it as every screen has.

    With ``before`` what moves and what turns is what does so from there on.
    """
    moved, n_moved = moved_by(view, as_it_is=as_it_is, drawn=drawn, before=before)
    broken = broken_in(view)
    turned, n_turned = _turned(
        view, broken=broken, was=before.view if before else as_it_is,
        was_broken=before.broken if before else was_broken,
    )  # fmt: skip
    return Outcome(
        figures=figures_of(view, broken=broken),
        moved=moved, n_moved=n_moved, turned=turned, n_turned=n_turned,
    )  # fmt: skip


def _clusters(
    reading: Reading, told: Sequence[Berths], *, rows: Int64s
) -> list[ClusterBerths]:  # fmt: skip
    table = reading.estate.table("cluster")
    return [
        ClusterBerths(
            id=int(table.ids[row]), name=table.names[row], n_free=told[row].n_free,
            limited_by=told[row].limited_by,
        )
        for row in rows.tolist()
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
    of = {kind: seen_in(view, kind) for kind in ENDING}
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
