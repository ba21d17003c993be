"""Which of the places that clear everything is best, by what each would leave behind."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.placement.assigning import Assigned, assign
from keelmark.core.placement.ground import Ground
from keelmark.core.placement.hurdles import Check, Hurdles, hurdles_of
from keelmark.core.placement.question import Limit, Question
from keelmark.core.placement.workloads import KEPT_APART, Demands, Workload
from keelmark.core.units import TIB

PREFERENCE: Final = 0.25  # of the worth of a unit: the best place against the worst that clears


class Aim(StrEnum):
    """What a planner may want to keep."""

    RUNWAY = "runway"
    BALANCE = "balance"
    PERFORMANCE = "performance"
    COST = "cost"


@dataclass(frozen=True, slots=True, kw_only=True)
class Weights:
    """How much each aim counts, 0 or more, not all of them nothing."""

    runway: float = 1.0
    balance: float = 1.0
    performance: float = 1.0
    cost: float = 1.0

    def __post_init__(self) -> None:
        """Refuse weights by which nothing can be ranked."""
        told = [getattr(self, aim.value) for aim in Aim]
        if min(told) < 0 or sum(told) <= 0:
            raise RangeError(argument="weights", found=told, wanted="0 or more, one above 0")


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Remains:
    """What a unit of each workload would leave at each place, (n_workloads, n_places) each.

    ``early_days`` is the runway to the limit mark on the bad case, ``space_share`` of the limit
    that is left by the last day, ``iops_share`` of what the array sustains; ``cost_a_month`` is
    what the unit costs there by its last day. NaN where nobody tells.
    """

    early_days: Float64s
    space_share: Float64s
    iops_share: Float64s
    cost_a_month: Float64s


def left_by(ground: Ground, hurdles: Hurdles, *, horizon_days: int) -> Remains:
    """Return what a unit of each workload would leave behind at each place."""
    by_name = {one.name: one for one in hurdles.limits}
    demands = hurdles.demands
    n_pools = len(ground.pools.usable_bytes)
    comes = demands.open_to_all(demands.written_bytes)
    written = np.broadcast_to(comes[:, None], (len(demands.units), n_pools))
    early = ground.early_after(horizon_days=horizon_days).early_after(written)
    limit = np.append(ground.pools.limit_bytes, 0).astype(np.float64)[ground.pool]
    sustains = np.append(ground.arrays.sustains_iops, np.nan)[ground.array]
    iops = by_name[Check.IOPS]
    with np.errstate(invalid="ignore", divide="ignore"):
        space = (_left(by_name[Check.SPACE], ground) - comes[:, None]) / limit
        speed = (_left(iops, ground) - demands.busy_iops[:, None]) / sustains
    return Remains(
        early_days=np.column_stack([early, np.full(len(early), np.nan)])[:, ground.pool],
        space_share=space, iops_share=speed, cost_a_month=_costs(ground, demands),
    )  # fmt: skip


def _left(limit: Limit, ground: Ground) -> Float64s:
    return np.append(limit.room, np.nan)[limit.rows(len(limit.demand), len(ground.pool))]


def _costs(ground: Ground, demands: Demands) -> Float64s:
    made, there = (
        ground.prices.bytes_paid(promised=promised, written=demands.written_bytes)
        for promised in (demands.made_bytes, demands.promised_bytes)
    )
    paid = np.where((ground.store == NOWHERE)[None, :], made[:, None], there[:, None])
    told: Float64s = paid / TIB * ground.price[None, :]
    return told


def scores(left: Remains, weights: Weights, *, horizon_days: int) -> Float64s:
    """Return how well places keep what is to be kept, 0 to 1, (n_workloads, n_places).

    A runway counts by its logarithm: from a month to two is as much as from a year to two. A place
    that costs twice as much as the cheapest keeps half. What nobody tells counts as nothing left;
    where no place has a price, cost is no aim.
    """
    days = np.clip(np.nan_to_num(left.early_days, nan=0.0, posinf=horizon_days), 0, horizon_days)
    told = {
        Aim.RUNWAY: np.log1p(days) / np.log1p(horizon_days),
        Aim.BALANCE: np.clip(np.nan_to_num(left.space_share), 0, 1),
        Aim.PERFORMANCE: np.clip(np.nan_to_num(left.iops_share), 0, 1),
        Aim.COST: _cheap(left.cost_a_month),
    }
    weight = {aim: getattr(weights, aim.value) for aim in Aim}
    if not np.isfinite(left.cost_a_month).any():
        weight[Aim.COST] = 0.0
    score = np.zeros(days.shape)
    for aim in Aim:
        if weight[aim]:
            score += weight[aim] / sum(weight.values()) * told[aim]
    return score


def _cheap(costs: Float64s) -> Float64s:
    """How near each place comes to the cheapest of its row, 1 there, 0 where it has no price."""
    known = np.isfinite(costs)
    least = np.where(known, costs, np.inf).min(axis=1, initial=np.inf)[:, None]
    with np.errstate(invalid="ignore", divide="ignore"):
        share = np.where(costs == least, 1.0, least / costs)
    return np.where(known, share, 0.0)


def ranked(clears: Bools, score: Float64s) -> list[Int64s]:
    """Return the places that each workload may go to, the best first, then by their order."""
    return [
        rows[np.argsort(-score[at][rows], kind="stable")]
        for at, rows in enumerate(np.flatnonzero(one) for one in clears)
    ]


def groups_of(ground: Ground) -> tuple[Int64s, ...]:
    """Return what each place is of, (n_places,) each, for every way to keep VMs apart."""
    return ground.pool, ground.array, ground.site


def place_together(
    ground: Ground, workloads: Sequence[Workload], *, weights: Weights, horizon_days: int
) -> tuple[Hurdles, Assigned]:
    """Return the tests of workloads, and where all of them go together.

    As many bytes as can be placed come first: a place that keeps more is worth up to a quarter
    more of the bytes that are promised there.
    """
    hurdles = hurdles_of(ground, workloads, horizon_days=horizon_days)
    score = scores(
        left_by(ground, hurdles, horizon_days=horizon_days), weights, horizon_days=horizon_days
    )
    promised = hurdles.demands.promised_bytes
    share = promised / promised.mean() if len(promised) else promised
    worth = share[:, None] * (1 + PREFERENCE * score)
    question = Question(
        worth=np.where(hurdles.clears(), worth, -np.inf),
        units=hurdles.demands.units,
        # Of what nobody tells nothing may be taken.
        limits=[
            Limit(name=one.name, room=np.nan_to_num(one.room, nan=0.0), demand=one.demand,
                  at=one.at, of=one.of)
            for one in hurdles.limits
        ],
        apart=np.array(
            [
                KEPT_APART.index(one.apart) if one.apart in KEPT_APART else NOWHERE
                for one in workloads
            ],
            dtype=np.int64,
        ),
        groups=groups_of(ground),
    )  # fmt: skip
    return hurdles, assign(question)
