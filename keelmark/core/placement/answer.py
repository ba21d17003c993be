"""One workload asked about: where it can go whole, by what it misses elsewhere, how many fit."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.forecast import Runway, runway
from keelmark.core.placement.assigning import Assigned
from keelmark.core.placement.extending import Extension, extension_of
from keelmark.core.placement.ground import Ground, PoolColumns
from keelmark.core.placement.hurdles import Check, Hurdles, hurdles_of
from keelmark.core.placement.ranking import Weights, groups_of, left_by, place_together, scores
from keelmark.core.placement.workloads import KEPT_APART, Apart, Workload


@dataclass(frozen=True, slots=True, kw_only=True)
class Margin:
    """By how much one test is cleared (≥ 0) or missed, in its unit.

    ``amount`` is None of a test without one, and where nobody tells what is left; ``is_asked`` is
    False where nothing is asked of it. ``n_missed`` counts the rules of a policy that are broken.
    """

    check: Check
    is_cleared: bool
    is_asked: bool = True
    amount: float | None = None
    n_missed: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    """One place: ``rank`` from 1 where all of it can go there, None where not.

    ``n_fit`` is how many of its VMs fit there at most, whatever is asked for, and ``stopped_by``
    which limit stops the next. ``early_days``, ``space_share`` and ``iops_share`` are what is left
    with all of it there, ``cost_a_month`` what it costs by its last day, None where nobody tells.
    ``extends_bytes`` is by how much a datastore that there is must be extended to take all of it,
    0 where it need not be.
    """

    place: int
    rank: int | None
    margins: tuple[Margin, ...]
    n_fit: int
    stopped_by: Check | None
    early_days: float | None
    space_share: float | None
    iops_share: float | None
    cost_a_month: float | None
    extends_bytes: int = 0


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Answer:
    """All places of one workload: those that it can go to whole, the best first, then the others.

    ``spread`` is where all of its VMs go together if they may lie at several places.
    """

    candidates: tuple[Candidate, ...]
    spread: Assigned
    n_fit: int  # VMs over all places, each resource counted once

    @property
    def n_fitting(self) -> int:
        """How many places take all of it."""
        return sum(one.rank is not None for one in self.candidates)


def answer(ground: Ground, workload: Workload, *, weights: Weights, horizon_days: int) -> Answer:
    """Return where a workload can go.

    Parameters
    ----------
    ground : Ground
        Where it may go.
    workload : Workload
        What is asked for.
    weights : Weights
        What is to be kept.
    horizon_days : int
        How far runways are looked for.

    Returns
    -------
    Answer
        What must be extended first is told after what takes it as it is, what cannot take it after
        both, that first which misses the fewest tests. Where no two may lie together a candidate is
        asked for one, and the spread tells how all of them go.
    """
    whole = workload.at_one_place
    loose = replace(
        workload, apart=Apart.ANYHOW if workload.apart is Apart.TOGETHER else workload.apart
    )
    hurdles = hurdles_of(ground, [whole], horizon_days=horizon_days)
    left = left_by(ground, hurdles, horizon_days=horizon_days)
    score = scores(left, weights, horizon_days=horizon_days)[0]
    extension = extension_of(ground, hurdles)
    extends = extension.by_bytes
    clears = hurdles.clears()[0] | (extends > 0)
    units = hurdles_of(ground, [loose], horizon_days=horizon_days)
    n_fit, stops = units.units_that_fit()
    n_in_all = _all_that_fit(ground, n_fit[0], units)
    if workload.apart in KEPT_APART:
        n_fit = np.minimum(n_fit, 1)
        of = groups_of(ground)[KEPT_APART.index(workload.apart)]
        n_in_all = min(n_in_all, len(np.unique(of[n_fit[0] > 0])))
    margins = _margins(hurdles)
    for place in np.flatnonzero(extends).tolist():
        margins[place] = _extended(margins[place], extension, place=place)
    n_missed = np.array([sum(not one.is_cleared for one in told) for told in margins])
    order = np.lexsort((-score, extends > 0, n_missed, ~clears))
    candidates: list[Candidate] = []
    for place in order.tolist():
        stop = int(stops[0, place])
        candidates.append(
            Candidate(
                place=place,
                rank=len(candidates) + 1 if clears[place] else None,
                margins=margins[place],
                n_fit=int(n_fit[0, place]),
                stopped_by=None if stop == NOWHERE else Check(units.limits[stop].name),
                early_days=_known(left.early_days[0, place]),
                space_share=_finite(left.space_share[0, place]),
                iops_share=_finite(left.iops_share[0, place]),
                cost_a_month=_finite(left.cost_a_month[0, place]),
                extends_bytes=int(extends[place]),
            )
        )
    _, spread = place_together(ground, [loose], weights=weights, horizon_days=horizon_days)
    return Answer(candidates=tuple(candidates), spread=spread, n_fit=n_in_all)


def _extended(
    told: Sequence[Margin], extension: Extension, *, place: int
) -> tuple[Margin, ...]:  # fmt: skip
    """The margins of a place whose datastore is extended: it holds, and its pool promises that."""
    amounts = {Check.DATASTORE: extension.spare_bytes[place]} | {
        check: left[place] for check, left in extension.left_bytes.items()
    }
    return tuple(
        replace(one, is_cleared=True, is_asked=True, amount=float(amounts[one.check]))
        if one.check in amounts
        else one
        for one in told
    )


def _known(told: float | np.float64) -> float | None:
    return None if np.isnan(told) else float(told)


def _finite(told: float | np.float64) -> float | None:
    return float(told) if np.isfinite(told) else None


def _margins(hurdles: Hurdles) -> list[tuple[Margin, ...]]:
    """Of every place all tests, in the order in which they are told."""
    n_places = hurdles.gates[0].is_open.shape[1]
    told: list[list[Margin]] = [[] for _ in range(n_places)]
    for gate in hurdles.gates:
        for place in range(n_places):
            missed = None if gate.n_missed is None else int(gate.n_missed[0, place])
            told[place].append(
                Margin(check=gate.check, is_cleared=bool(gate.is_open[0, place]), n_missed=missed)
            )
    for limit in hurdles.limits:
        margins = hurdles.margins(limit)[0]
        for place, margin in enumerate(margins.tolist()):
            told[place].append(
                Margin(
                    check=Check(limit.name),
                    is_cleared=margin >= 0,
                    is_asked=not np.isposinf(margin),
                    amount=_finite(margin),
                )
            )
    return [_once(one) for one in told]


def _once(told: Sequence[Margin]) -> tuple[Margin, ...]:
    """One margin a test: what is a gate and a limit is cleared where it clears both."""
    by_check: dict[Check, Margin] = {}
    for one in told:
        was = by_check.get(one.check)
        by_check[one.check] = one if was is None else replace(
            one, is_cleared=one.is_cleared and was.is_cleared, is_asked=True,
            amount=one.amount if was.amount is None else was.amount,
        )  # fmt: skip
    return tuple(by_check.values())


def _all_that_fit(ground: Ground, n_fit: Int64s, units: Hurdles) -> int:
    """VMs over all places at most: no row of any limit gives more than it has.

    By each limit the sum over its rows of what fits there, and of those sums the least.
    """
    is_open = n_fit > 0
    most = int(n_fit[is_open].sum())
    for limit in units.limits:
        demand = float(limit.demand[0])
        if demand <= 0 or limit.at is None or not is_open.any():
            continue
        rows = limit.at[is_open]
        free = np.zeros(len(limit.room) + 1)
        np.add.at(free, rows, n_fit[is_open])
        by_row = np.floor(np.maximum(np.nan_to_num(limit.room), 0) / demand)
        counted = np.minimum(free[: len(by_row)], by_row)
        most = min(most, int(counted.sum() + free[-1]))
    return most


def runways_with(
    ground: Ground, workload: Workload, *, pools: Int64s, horizon_days: int
) -> tuple[Runway, Runway]:
    """Return the runways of some pools as they are, and with a workload on each.

    As much of it as one place takes. Both (n,), days from today; what is nothing moves no date.
    """
    columns = ground.pools
    ages = columns.age_days[pools]
    n_days = horizon_days + int(ages.max(initial=0))
    written = workload.at_one_place.written_on(np.arange(1, horizon_days + 1))
    if workload.is_from_allotment:
        written = np.zeros(len(written))  # it is held already
    since = np.arange(n_days)[None, :] - ages[:, None]
    added = np.where(since >= 0, written[np.clip(since, 0, horizon_days - 1)], 0.0)
    of, marks = columns.outlook.of_rows(pools), columns.limit_bytes[pools]
    used = columns.used_bytes[pools].astype(np.float64)
    held = _held(columns, pools=pools, ages=ages, n_days=n_days)
    told = []
    for more in (held, held + added):
        way = runway(of, mark_bytes=marks, horizon_days=n_days, added_bytes=more)
        # What stands there by the newest reading needs no forecast.
        is_there = used >= marks
        told.append(
            Runway(
                early_days=_from_today(way.early_days, ages, is_there),
                likely_days=_from_today(way.likely_days, ages, is_there),
                late_days=_from_today(way.late_days, ages, is_there),
                chance_within=np.where(is_there, 1.0, way.chance_within),
            )
        )
    return told[0], told[1]


def _held(columns: PoolColumns, *, pools: Int64s, ages: Int64s, n_days: int) -> Float64s:
    """What others hold of some pools, on each day from each one's own last reading."""
    told = np.zeros((len(pools), n_days))
    place = {row: at for at, row in enumerate(pools.tolist())}
    for one in columns.holds:
        at = place.get(one.row)
        if at is not None:
            told[at] += one.on(columns.today - ages[at] + np.arange(1, n_days + 1))
    return told


def _from_today(days: Float64s, ages: Int64s, is_there: np.ndarray) -> Float64s:
    left = np.where(np.isnan(days), np.nan, np.maximum(days - ages, 0.0))
    return np.where(is_there, 0.0, left)
