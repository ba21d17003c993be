"""What disks did and asked for in the last days, and the limits that bear on them."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from threading import RLock
from typing import Any, Final

import numpy as np

from keelmark.access.clock import now
from keelmark.bearings.selectors.picture import Lately
from keelmark.bearings.selectors.views import View
from keelmark.compliance.errors import TooManyDisksError
from keelmark.compliance.selectors.serving import LanesAsked, of_tier, seen_disks
from keelmark.compliance.selectors.tiers import Tiered, configured, is_served
from keelmark.core.arrays import Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import When
from keelmark.core.performance import STEPS_A_DAY, Floats, operations
from keelmark.core.qos import Demand, Limits, Shared, demand_of
from keelmark.core.qos.states import WAITED_BY
from keelmark.readings.performance.reading import steps_of

MOST_DAYS: Final = 14
MOST_DISKS: Final = 5_000
MOST_DISK_DAYS: Final = 20_000  # five-minute courses of a day that are read for one replay
BESIDE_AT_MOST: Final = 2  # times as many, with those that share a volume with them
KEPT: Final = 3
KEPT_SECONDS: Final = 900
AT_ONCE: Final = 500  # disks whose steps are read together


@dataclass(frozen=True, slots=True, kw_only=True)
class DraftLimit:
    """Other limits for one tier."""

    tier_id: int
    min_iops: int
    max_iops: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ReplayAsked:
    """What to replay."""

    tier_id: int | None
    days: int
    drafts: Sequence[DraftLimit] = ()
    course_of: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Recorded:
    """What some disks did and asked for in a window, (n_disks, n_steps).

    The first ``n_own`` are those that were asked for; after them stand others that share the
    limit of a volume with one of them.
    """

    rows: Int64s
    n_own: int
    first_on: date
    done: Floats
    asked: Demand
    made: dict[str, Any] = field(default_factory=dict)  # Any: what does not change with a draft


class _Kept:
    lock = RLock()
    recorded: Lately[Hashable, Recorded] = Lately(KEPT)


def recorded_of(view: View, tiered: Tiered, asked: ReplayAsked) -> Recorded:
    """What is recorded of the disks in sight; kept for whoever tries one limit after another."""
    reading = view.reading
    shown = seen_disks(view) & of_tier(tiered, LanesAsked(tier_id=asked.tier_id))
    own = np.flatnonzero(shown & (tiered.tier != NOWHERE))
    rows = np.concatenate([own, _beside(view, tiered, own)])
    most = min(MOST_DISKS, MOST_DISK_DAYS // asked.days)
    if len(own) > most or len(rows) > BESIDE_AT_MOST * most:
        raise TooManyDisksError(n=len(rows), most=most)
    today = EPOCH + timedelta(days=reading.day)
    last_on = today if reading.when is When.PAST else min(today, now().date())
    first_on = last_on - timedelta(days=asked.days - 1)
    ids = reading.estate.table("disk").ids[rows]
    quarter = int(now().timestamp()) // KEPT_SECONDS
    key = (
        reading.estate.key, first_on, asked.days, asked.tier_id, tiered.key, ids.tobytes(),
        quarter,
    )  # fmt: skip
    with _Kept.lock:
        kept = _Kept.recorded.get(key)
    if kept is not None:
        return kept
    made = _read(rows, ids, n_own=len(own), first_on=first_on, n_days=asked.days)
    if not made.asked.is_read.any():
        return made  # asked again it may be there
    with _Kept.lock:
        return _Kept.recorded.keep(key, made)


def _beside(view: View, tiered: Tiered, own: Int64s) -> Int64s:
    """Other disks on volumes that let less through than their disks may do: they share that."""
    volume, set_most = tiered.place["volume"], configured(view.reading, kind="volume")[1]
    served = np.where(is_served(view.reading), volume, NOWHERE)
    n = len(set_most) + 1  # the last stands for nowhere
    may_do = np.bincount(
        served % n, weights=np.nan_to_num(tiered.maximum, nan=np.inf, posinf=np.inf), minlength=n
    )
    presses = np.append(set_most, np.nan) < may_do
    has_own = np.zeros(n, dtype=np.bool_)
    has_own[volume[own]] = True
    has_own[NOWHERE] = False
    told = (presses & has_own)[served]
    told[own] = False
    return np.flatnonzero(told)


def _read(rows: Int64s, ids: Int64s, *, n_own: int, first_on: date, n_days: int) -> Recorded:
    n, n_steps = len(ids), n_days * STEPS_A_DAY
    done = np.full((n, n_steps), np.nan, dtype=np.float32)
    asked = np.zeros((n, n_steps), dtype=np.float32)
    patience = np.full(n, np.inf)
    flags = [np.zeros((n, n_steps), dtype=np.bool_) for _ in range(3)]
    for begin in range(0, n, AT_ONCE):
        some = slice(begin, begin + AT_ONCE)
        steps = steps_of(ids[some], first_on=first_on, n_days=n_days, parts=WAITED_BY)
        done[some] = operations(steps)
        told = demand_of(done[some], qos_ms=steps[:, 2], queue_ms=steps[:, 3])
        asked[some] = told.asked
        patience[some] = told.patience
        for flag, one in zip(flags, (told.is_estimated, told.is_least, told.is_read), strict=True):
            flag[some] = one
    return Recorded(
        rows=rows, n_own=n_own, first_on=first_on, done=done,
        asked=Demand(
            asked=asked, is_estimated=flags[0], is_least=flags[1], is_read=flags[2],
            patience=patience,
        ),
    )  # fmt: skip


def limits_of(
    view: View, tiered: Tiered, recorded: Recorded, *, drafts: Sequence[DraftLimit]
) -> Limits:
    """What bears on disks: their own limits, tiers that are shared, and what volumes are set to.

    A draft takes the place of its tier's limits, also where a host or a volume is set to less:
    who tries a limit means to have it set.
    """
    rows = recorded.rows
    draft_of = {one.tier_id: one for one in drafts}
    told = [draft_of.get(one.tier.pk) for one in tiered.defined]
    is_drafted = np.array([*(one is not None for one in told), False])[tiered.tier[rows]]
    is_shared = np.array([*(one.core.is_together for one in tiered.defined), False])
    most = np.array([*(np.nan if one is None else float(one.max_iops) for one in told), np.nan])
    least = np.array([*(np.nan if one is None else float(one.min_iops) for one in told), np.nan])
    maximum = np.where(is_drafted, most[tiered.tier[rows]], tiered.maximum[rows])
    alone = ~is_shared[tiered.tier[rows]]
    maximum = np.where(np.isnan(maximum), np.inf, maximum)
    minimum = np.where(is_drafted, least[tiered.tier[rows]], tiered.minimum[rows])
    ceilings = np.array(
        [
            np.inf if not one.core.is_together else float((draft or one.core).max_iops)
            for one, draft in zip(tiered.defined, told, strict=True)
        ]
    )
    volume = tiered.place["volume"][rows]
    set_most = configured(view.reading, kind="volume")[1]
    under = np.where(is_drafted, NOWHERE, volume)
    return Limits(
        maximum=maximum,
        minimum=np.minimum(np.nan_to_num(np.where(alone, minimum, 0)), maximum),
        patience=recorded.asked.patience,
        shared=(
            Shared(group=tiered.tier[rows], ceiling=ceilings),
            Shared(group=under, ceiling=np.where(np.isnan(set_most), np.inf, set_most)),
        ),
    )
