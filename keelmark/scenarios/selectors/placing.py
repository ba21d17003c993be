"""Where a workload can go, on the estate as it is or as a scenario without one of its moves."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final

import numpy as np
from django.contrib.auth.models import User

from keelmark.bearings.selectors.picture import Lately, drawn_of, reading_at
from keelmark.bearings.selectors.views import BAD_CASE, Bearing, View, view_for
from keelmark.compliance.selectors.definitions import Defined, defined
from keelmark.compliance.selectors.needs import busy_of_arrays
from keelmark.compliance.selectors.offers import offers_at
from keelmark.compliance.selectors.standing import facts_at
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import LIKELY, Reading
from keelmark.core.placement.answer import Answer, answer, runways_with
from keelmark.core.placement.assigning import Assigned
from keelmark.core.placement.ground import Ground, Worked
from keelmark.core.placement.hurdles import Check
from keelmark.core.placement.of_estate import Beside, ground_of
from keelmark.core.placement.ranking import Weights, place_together
from keelmark.core.placement.workloads import Workload
from keelmark.core.policy.judging import Policy
from keelmark.core.policy.places import places_for
from keelmark.core.policy.states import BROKEN, UNPROVEN
from keelmark.core.scenario.changes import Changes, changes_of
from keelmark.core.scenario.compiling import Compiled
from keelmark.core.scenario.outcome import room_with
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS
from keelmark.readings.models import Measure
from keelmark.scenarios.selectors.kept import PlannedMoves, planned_for
from keelmark.scenarios.selectors.prices import standing_prices

SPACES: Final = ("pool", "datastore")
KEPT_REVISIONS: Final = 2
MOST_WORKED: Final = 40  # last days that were asked about
_WORKED: Lately[int, Worked] = Lately(KEPT_REVISIONS)  # what futures alone leave, by revision


@dataclass(frozen=True, kw_only=True, eq=False)
class Placing:
    """A workload asked about, the ground that was looked over, and what was found."""

    view: View
    workload: Workload
    ground: Ground
    answer: Answer

    @cached_property
    def shown(self) -> list[int]:
        """Places of the answer, those of pools in sight alone."""
        seen = self.view.shown_along("pool", kinds=SPACES)
        pool = self.ground.pool
        return [one.place for one in self.answer.candidates if seen[pool[one.place]]]


def placing_of(
    actor: User, *, scope: str, workload: Workload, weights: Weights,
    scenario_id: int | None = None, without: int | None = None,
) -> Placing:  # fmt: skip
    """Return where a workload can go among the pools of a scope.

    On a scenario: with all that it plans but one move, what is planned counted at its tightest
    until the last day.
    """
    view = view_for(actor, bearing=Bearing(scope=scope))
    planned = None
    if scenario_id is not None:
        moves = planned_for(actor, scenario_id)
        kept = tuple(one for one in moves.moves if one.number != without)
        planned = PlannedMoves(
            scenario_id=scenario_id, revision=moves.revision, moves=kept, without=without
        )
    ground = _seen_ground(view, planned=planned, workloads=[workload])
    told = answer(ground, workload, weights=weights, horizon_days=HORIZON_DAYS)
    return Placing(view=view, workload=workload, ground=ground, answer=told)


@dataclass(frozen=True, kw_only=True, eq=False)
class Together:
    """Many workloads asked about at once, and where all of them go together."""

    view: View
    workloads: Sequence[Workload]
    ground: Ground
    assigned: Assigned
    n_alone: Int64s  # units of each that fit at its best place, if it came alone
    stopped_by: Sequence[Check | None]  # what stops one more there


def together_of(
    actor: User, *, scope: str, workloads: Sequence[Workload], weights: Weights,
    scenario_id: int | None = None,
) -> Together:  # fmt: skip
    """Return where many workloads go together among the pools of a scope, as with one of them."""
    view = view_for(actor, bearing=Bearing(scope=scope))
    planned = None if scenario_id is None else planned_for(actor, scenario_id)
    ground = _seen_ground(view, planned=planned, workloads=workloads)
    # VMs are run by somebody: a pool that no cluster reaches takes none.
    ground = _some(ground, np.flatnonzero(ground.cluster != NOWHERE))
    hurdles, assigned = place_together(
        ground, workloads, weights=weights, horizon_days=HORIZON_DAYS
    )
    n_fit, stops = hurdles.units_that_fit()
    best = n_fit.argmax(axis=1) if n_fit.shape[1] else np.zeros(len(workloads), dtype=np.int64)
    rows = np.arange(len(workloads))
    stop = stops[rows, best] if n_fit.shape[1] else np.full(len(workloads), NOWHERE)
    return Together(
        view=view, workloads=workloads, ground=ground, assigned=assigned,
        n_alone=n_fit[rows, best] if n_fit.shape[1] else np.zeros(len(workloads), dtype=np.int64),
        stopped_by=[
            None if one == NOWHERE else Check(hurdles.limits[one].name) for one in stop.tolist()
        ],
    )  # fmt: skip


def _seen_ground(
    view: View, *, planned: PlannedMoves | None, workloads: Sequence[Workload]
) -> Ground:
    """The ground in sight: out of sight is out of reach."""
    seen = view.shown_along("pool", kinds=SPACES)
    ground = _ground(view, planned=planned, workloads=workloads)
    return _some(ground, np.flatnonzero(np.append(seen, False)[ground.pool]))


def _some(ground: Ground, rows: Int64s) -> Ground:
    return replace(
        ground, pool=ground.pool[rows], cluster=ground.cluster[rows], store=ground.store[rows],
        rejects={name: told[rows] for name, told in ground.rejects.items()},
    )  # fmt: skip


# What others hold is planned, whether or not anything else is.
NOTHING_PLANNED: Final = PlannedMoves(scenario_id=0, revision=0, moves=())


def _ground(view: View, *, planned: PlannedMoves | None, workloads: Sequence[Workload]) -> Ground:
    reading = view.reading
    owner = planned.scenario_id if planned else 0
    span = (min(one.first_day for one in workloads), max(one.last_day for one in workloads))
    held = _held_iops(reading, owner=owner, last_day=span[1])
    beside = Beside(
        owner=owner,
        prices=standing_prices(),
        busy_iops=busy_of_arrays(reading, measure=Measure.IOPS) + held.busy,
        busy_bytes_per_second=busy_of_arrays(reading, measure=Measure.THROUGHPUT),
        min_iops=np.nan_to_num(offers_at(reading, kind="array").must_min) + held.least,
        rejects={
            policy.name: _rejects(view, policy)
            for policy in {one.policy.name: one.policy for one in workloads if one.policy}.values()
        },
    )
    losses = max(one.n_host_losses for one in workloads)  # what one asks for holds for all
    revision = reading.estate.revision
    worked = _WORKED.get(revision)
    if worked is None or len(worked) > MOST_WORKED:
        worked = _WORKED.keep(revision, {})
    if planned is None or not planned.moves:
        if not reading.estate.holds:
            return replace(
                ground_of(reading, beside, has_stores=True, n_host_losses=losses), worked=worked
            )
        planned = planned or NOTHING_PLANNED
    day = reading.estate.day + span[1]
    then = reading_at(day=day, quantile=BAD_CASE, planned=planned)
    plain = replace(
        ground_of(reading, beside, has_stores=True, n_host_losses=losses), worked=worked
    )
    told = ground_of(
        reading, beside, then=then, has_stores=True, n_host_losses=losses,
        planned={kind: _coming(plain, planned, kind, span=span) for kind in SPACES},
    )  # fmt: skip
    return replace(told, worked=worked)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _HeldIops:
    least: Float64s
    busy: Float64s


def _held_iops(reading: Reading, *, owner: int, last_day: int) -> _HeldIops:
    """I/O a second of each array that other scenarios hold until a day."""
    n = len(reading.estate.table("array"))
    least, busy = np.zeros(n), np.zeros(n)
    array = reading.link("pool", "array")
    last = reading.estate.day + last_day
    for one in reading.estate.holds:
        if one.kind != "pool" or one.owner == owner or one.first_day > last:
            continue
        if (row := int(array[one.row])) != NOWHERE:
            least[row] += one.min_iops
            busy[row] += one.busy_iops
    return _HeldIops(least=least, busy=busy)


def _coming(ground: Ground, planned: PlannedMoves, kind: str, *, span: tuple[int, int]) -> Float64s:
    """By how many bytes less may come onto things of a kind with a plan, (n,), in some days."""
    now = reading_at(day=None, quantile=LIKELY)
    told = drawn_of(planned).compiled
    change = changes_of(told, now=now, kind=kind)
    plain = ground.by_date(kind, until_day=span[1], horizon_days=HORIZON_DAYS)
    return coming_of(told, change, plain=plain, span=span)


def coming_of(
    told: Compiled, change: Changes, *, plain: Float64s, span: tuple[int, int]
) -> Float64s:
    """Return by how many bytes less than ``plain`` may come onto things that a plan changes."""
    coming = np.zeros(len(plain))
    read = np.flatnonzero(change.rows < len(plain))
    if len(read) == 0:
        return coming
    left = room_with(told.estate, change, first_day=span[0], last_day=span[1])[read]
    rows = change.rows[read]
    coming[rows] = np.nan_to_num(plain[rows] - left)
    return coming


def _rejects(view: View, policy: Policy) -> Int64s:
    """How many rules of a policy each pool would break, or may: nobody tells."""
    states = places_for(policy, facts=facts_at(view)).states
    told: Int64s = ((states == BROKEN) | (states == UNPROVEN)).sum(axis=1).astype(np.int64)
    return told


def policy_named(policy_id: int) -> Defined | None:
    """Return a policy that stands by its id."""
    return next((one for one in defined() if one.policy.pk == policy_id), None)


def dates_of(placing: Placing, places: list[int]) -> tuple[dict[int, tuple[float, ...]], ...]:
    """Return by pool the early, likely and late days as it is, and with the workload on it."""
    pools = np.unique(placing.ground.pool[places]) if places else np.zeros(0, dtype=np.int64)
    before, after = runways_with(
        placing.ground, placing.workload, pools=pools, horizon_days=HORIZON_DAYS
    )
    return tuple(
        {
            int(pool): (float(way.early_days[at]), float(way.likely_days[at]),
                        float(way.late_days[at]))
            for at, pool in enumerate(pools.tolist())
        }
        for way in (before, after)
    )  # fmt: skip
