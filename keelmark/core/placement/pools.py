"""Where a workload fits among pools: hard tests with margins, then a ranking."""

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.forecast import Runway
from keelmark.core.forecast.passage import first_passage_days
from keelmark.core.units import MAX_BYTES, PERCENT, checked_bytes, percent_of


class Hurdle(StrEnum):
    """The hard tests, in the order in which they are told."""

    READ = "read"
    SERVICE_CLASS = "service_class"
    SPACE = "space"
    OVERCOMMIT = "overcommit"


@dataclass(frozen=True, slots=True, kw_only=True)
class Workload:
    """Equal consumers to be placed together on one pool.

    ``written_percent`` of ``size_bytes`` is written on the first day, then
    ``growth_bytes_per_day`` each, until the size is full.
    """

    n_copies: int
    size_bytes: int
    written_percent: int
    growth_bytes_per_day: int
    last_day: int
    service_class: str | None = None

    def __post_init__(self) -> None:
        """Refuse what cannot be asked for."""
        checked_bytes(self.size_bytes, argument="size_bytes")
        checked_bytes(self.growth_bytes_per_day, argument="growth_bytes_per_day")
        if self.size_bytes == 0:
            raise RangeError(argument="size_bytes", found=0, wanted="more than 0 bytes")
        if not 0 <= self.written_percent <= PERCENT:
            raise RangeError(
                argument="written_percent", found=self.written_percent, wanted="0 to 100"
            )
        if self.n_copies < 1 or self.promised_bytes > MAX_BYTES:
            raise RangeError(
                argument="n_copies", found=self.n_copies, wanted="1 or more, together under 8 EiB"
            )
        if self.last_day < 1:
            raise RangeError(argument="last_day", found=self.last_day, wanted="1 day or more")

    @property
    def promised_bytes(self) -> int:
        """Bytes promised to all copies."""
        return self.n_copies * self.size_bytes

    @property
    def first_bytes(self) -> int:
        """Bytes all copies write on the first day."""
        return self.n_copies * percent_of(self.size_bytes, self.written_percent)

    def demand_bytes(self) -> Float64s:
        """Return what all copies have written at the end of days 1 … last_day.

        Returns
        -------
        (last_day,) float64
            Bytes, rising to the promised size and no further.
        """
        days = np.arange(self.last_day, dtype=np.float64)
        grown = self.first_bytes + days * self.n_copies * self.growth_bytes_per_day
        return np.minimum(grown, float(self.promised_bytes))


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Pools:
    """Candidates, every array (n_pools,) unless said otherwise.

    ``high_path_bytes`` is the 90 % path, (n_pools, n_days) with n_days ≥ the workload's last
    day; NaN rows are pools whose future cannot be judged. ``provisioned_bytes`` may be
    unknown where ``is_provisioned_known`` is False.
    """

    service_classes: tuple[str, ...]
    usable_bytes: Int64s
    used_bytes: Int64s
    reserved_bytes: Int64s
    provisioned_bytes: Int64s
    is_provisioned_known: Bools
    limit_bytes: Int64s
    overcommit_limit_percent: Int64s
    is_read: Bools
    high_path_bytes: Float64s
    growth_bytes_per_day: Float64s
    wander_variance: Float64s
    drift_variance: Float64s


@dataclass(frozen=True, slots=True, kw_only=True)
class Margin:
    """How far one pool clears (≥ 0) or misses (< 0) one hurdle, in bytes; None: unknown.

    A hurdle that is not an amount (class, read) has only ``is_cleared``.
    """

    hurdle: Hurdle
    is_cleared: bool
    margin_bytes: int | None = None
    tightest_day: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Verdict:
    """One pool's answer; ``rank`` from 1 among those that fit, None where rejected.

    ``left_bytes`` is what the limit mark still leaves on the tightest day (90 % path);
    days are runways to the limit mark with the workload in, inf = not within the horizon,
    None = not judged.
    """

    pool_index: int
    rank: int | None
    margins: tuple[Margin, ...]
    left_bytes: int | None
    overcommit_percent: float | None
    early_days: float | None
    likely_days: float | None
    late_days: float | None

    @property
    def fits(self) -> bool:
        """Whether every hurdle is cleared."""
        return all(margin.is_cleared for margin in self.margins)


def place(pools: Pools, *, workload: Workload, horizon_days: int) -> list[Verdict]:
    """Test every pool and rank those that fit by what they leave behind.

    Parameters
    ----------
    pools : Pools
        Candidates.
    workload : Workload
        What is to be placed.
    horizon_days : int
        How far the new runways are looked for, 1 or more.

    Returns
    -------
    list of Verdict
        Fitting pools first, longest early runway first, then most bytes left for their
        size; after them the rejected, those of the wanted class first, nearest miss first.

    Raises
    ------
    ShapeError
        If the paths do not reach the workload's last day.
    """
    if pools.high_path_bytes.shape[1] < workload.last_day:
        raise ShapeError(
            argument="high_path_bytes",
            wanted=f"(n_pools, ≥ {workload.last_day})",
            found=pools.high_path_bytes.shape,
        )
    space, tightest = _space_margins(pools, workload=workload)
    overcommit = _overcommit_margins(pools, workload=workload)
    new = _new_runways(pools, workload=workload, horizon_days=horizon_days)
    verdicts = [
        _verdict(
            pools,
            index=index,
            workload=workload,
            space=float(space[index]),
            tightest_day=int(tightest[index]) + 1,
            overcommit=int(overcommit[index]),
            new=new,
        )
        for index in range(len(pools.service_classes))
    ]
    return _ranked(verdicts, usable_bytes=pools.usable_bytes)


def _space_margins(pools: Pools, *, workload: Workload) -> tuple[Float64s, Int64s]:
    """Least room under the limit mark on any day, and that day's column."""
    path = pools.high_path_bytes[:, : workload.last_day]
    room = (
        (pools.limit_bytes - pools.reserved_bytes)[:, None].astype(np.float64)
        - path
        - workload.demand_bytes()
    )
    tightest = np.argmin(np.nan_to_num(room, nan=np.inf), axis=1)
    return room[np.arange(len(room)), tightest], tightest


def _overcommit_margins(pools: Pools, *, workload: Workload) -> Int64s:
    ceiling = percent_of(pools.usable_bytes, pools.overcommit_limit_percent)
    return ceiling - pools.provisioned_bytes - workload.promised_bytes


def _new_runways(pools: Pools, *, workload: Workload, horizon_days: int) -> Runway:
    """Two demands bound the real one from above: growing for ever, and written full at once.

    The real date is never before the later of the two, so that one is told.
    """
    # Used alone, as in the dates without the workload: what is reserved is not written yet.
    last = pools.used_bytes.astype(np.float64)
    ever = workload.n_copies * workload.growth_bytes_per_day
    bounds = [
        first_passage_days(
            (pools.limit_bytes - last - start) / unit,
            per_day=(np.nan_to_num(pools.growth_bytes_per_day) + drift) / unit,
            wander_variance=pools.wander_variance / unit**2,
            drift_variance=pools.drift_variance / unit**2,
            horizon_days=horizon_days,
        )
        for unit in [np.maximum(pools.usable_bytes.astype(np.float64), 1.0)]
        for start, drift in ((workload.first_bytes, ever), (workload.promised_bytes, 0))
    ]
    ever_way, written_way = bounds
    is_unread = np.isnan(pools.high_path_bytes[:, 0])
    days = np.ceil(np.maximum(ever_way.days, written_way.days))
    days = np.where(is_unread[None, :], np.nan, days)
    chance = np.minimum(ever_way.chance_within, written_way.chance_within)
    return Runway(
        early_days=days[0],
        likely_days=days[1],
        late_days=days[2],
        chance_within=np.where(is_unread, np.nan, chance),
    )


def _verdict(
    pools: Pools,
    *,
    index: int,
    workload: Workload,
    space: float,
    tightest_day: int,
    overcommit: int,
    new: Runway,
) -> Verdict:
    is_judged = not np.isnan(space)
    is_promise_known = bool(pools.is_provisioned_known[index])
    left = int(np.clip(np.floor(space), -float(2**62), float(2**62))) if is_judged else None
    wanted = workload.service_class
    usable = int(pools.usable_bytes[index])
    margins = (
        Margin(hurdle=Hurdle.READ, is_cleared=bool(pools.is_read[index]) and is_judged),
        Margin(
            hurdle=Hurdle.SERVICE_CLASS,
            is_cleared=wanted is None or pools.service_classes[index] == wanted,
        ),
        Margin(
            hurdle=Hurdle.SPACE,
            is_cleared=left is None or left >= 0,  # not judged: the hurdle READ rejects it
            margin_bytes=left,
            tightest_day=tightest_day if is_judged else None,
        ),
        Margin(
            hurdle=Hurdle.OVERCOMMIT,
            is_cleared=is_promise_known and overcommit >= 0,
            margin_bytes=overcommit if is_promise_known else None,
        ),
    )
    promised = int(pools.provisioned_bytes[index]) + workload.promised_bytes
    early, likely, late = (
        None if np.isnan(days[index]) else float(days[index])
        for days in (new.early_days, new.likely_days, new.late_days)
    )
    return Verdict(
        pool_index=index,
        rank=None,
        margins=margins,
        left_bytes=left,
        overcommit_percent=PERCENT * promised / usable if is_promise_known and usable else None,
        early_days=early,
        likely_days=likely,
        late_days=late,
    )


def _ranked(verdicts: list[Verdict], *, usable_bytes: Int64s) -> list[Verdict]:
    def share_left(verdict: Verdict) -> float:
        left = verdict.left_bytes
        return -np.inf if left is None else left / max(int(usable_bytes[verdict.pool_index]), 1)

    fitting = sorted(
        (v for v in verdicts if v.fits),
        key=lambda v: (-(v.early_days or 0.0), -share_left(v), v.pool_index),
    )
    rejected = sorted(
        (v for v in verdicts if not v.fits),
        key=lambda v: (
            any(m.hurdle is Hurdle.SERVICE_CLASS and not m.is_cleared for m in v.margins),
            sum(not m.is_cleared for m in v.margins),
            -share_left(v),
            v.pool_index,
        ),
    )
    return [
        *(replace(verdict, rank=rank) for rank, verdict in enumerate(fitting, start=1)),
        *rejected,
    ]
