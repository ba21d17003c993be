"""Where a workload fits among pools: hard tests with margins, then a ranking."""

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.forecast import Outlook, Runway, paths, runway
from keelmark.core.units import MAX_BYTES, PERCENT, checked_bytes, percent_of


class Hurdle(StrEnum):
    """The hard tests, in the order in which they are told."""

    READ = "read"
    SERVICE_CLASS = "service_class"
    SPACE = "space"
    DATE = "date"
    OVERCOMMIT = "overcommit"


HIGH_QUANTILE = 0.9  # one chance in ten that demand is above


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

    ``outlook`` is that from which their dates are told, counted from each one's last reading,
    ``age_days`` ago. ``provisioned_bytes`` may be unknown where ``is_provisioned_known`` is False.
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
    outlook: Outlook
    age_days: Int64s


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
        If there is not one outlook a pool.

    Notes
    -----
    What is tried is computed as what is: the dates are those of the pools' own outlooks with the
    workload's demand added to every day. A pool fits only if even its early date comes after
    the workload's last day.
    """
    n_pools = len(pools.service_classes)
    if len(pools.outlook.last_bytes) != n_pools:
        raise ShapeError(
            argument="outlook", wanted=f"({n_pools},)", found=pools.outlook.last_bytes.shape
        )
    space, tightest = _space_margins(pools, workload=workload)
    new = _new_runways(pools, workload=workload, horizon_days=horizon_days)
    verdicts = [
        _verdict(
            pools,
            index=index,
            workload=workload,
            space=float(space[index]),
            tightest_day=int(tightest[index]) + 1,
            new=new,
        )
        for index in range(n_pools)
    ]
    return _ranked(verdicts, usable_bytes=pools.usable_bytes)


def _space_margins(pools: Pools, *, workload: Workload) -> tuple[Float64s, Int64s]:
    """Least room under the limit mark on any day, and that day's column.

    What is promised thick is taken, written or not: a path that writes into it takes no more.
    """
    n_days = workload.last_day
    path = paths(
        pools.outlook,
        horizon_days=n_days + int(pools.age_days.max(initial=0)),
        quantiles=(HIGH_QUANTILE,),
    )[:, 0]
    columns = np.arange(n_days)[None, :] + pools.age_days[:, None]
    path = np.take_along_axis(path, columns, axis=1)
    taken = pools.used_bytes.astype(np.float64) + pools.reserved_bytes
    room = (
        pools.limit_bytes[:, None].astype(np.float64)
        - np.maximum(path, taken[:, None])
        - workload.demand_bytes()
    )
    tightest = np.argmin(np.nan_to_num(room, nan=np.inf), axis=1)
    return room[np.arange(len(room)), tightest], tightest


def _new_runways(pools: Pools, *, workload: Workload, horizon_days: int) -> Runway:
    """Days from today, the workload written from tomorrow on."""
    whole = replace(workload, last_day=horizon_days).demand_bytes()
    n_days = horizon_days + int(pools.age_days.max(initial=0))
    since = np.arange(n_days)[None, :] - pools.age_days[:, None]
    added = np.where(since >= 0, whole[np.clip(since, 0, horizon_days - 1)], 0.0)
    way = runway(
        pools.outlook, mark_bytes=pools.limit_bytes, horizon_days=n_days, added_bytes=added
    )
    # What stands there by the newest reading needs no forecast.
    is_there = pools.used_bytes.astype(np.float64) + workload.first_bytes >= pools.limit_bytes

    def from_today(days: Float64s) -> Float64s:
        left = np.where(np.isnan(days), np.nan, np.maximum(days - pools.age_days, 0.0))
        return np.where(is_there, 0.0, left)

    return Runway(
        early_days=from_today(way.early_days),
        likely_days=from_today(way.likely_days),
        late_days=from_today(way.late_days),
        chance_within=np.where(is_there, 1.0, way.chance_within),
    )


def _verdict(
    pools: Pools,
    *,
    index: int,
    workload: Workload,
    space: float,
    tightest_day: int,
    new: Runway,
) -> Verdict:
    is_judged = not np.isnan(space)
    is_promise_known = bool(pools.is_provisioned_known[index])
    left = int(np.clip(np.floor(space), -float(2**62), float(2**62))) if is_judged else None
    wanted = workload.service_class
    usable = int(pools.usable_bytes[index])
    # Whole numbers of any size: what is promised to it may be more than 64 bits hold.
    promised = int(pools.provisioned_bytes[index]) + workload.promised_bytes
    ceiling = usable * int(pools.overcommit_limit_percent[index]) // PERCENT
    overcommit = ceiling - promised
    early, likely, late = (
        None if np.isnan(days[index]) else float(days[index])
        for days in (new.early_days, new.likely_days, new.late_days)
    )
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
            hurdle=Hurdle.DATE,
            is_cleared=early is None or early > workload.last_day,
            tightest_day=int(early) if early is not None and np.isfinite(early) else None,
        ),
        Margin(
            hurdle=Hurdle.OVERCOMMIT,
            is_cleared=is_promise_known and overcommit >= 0,
            margin_bytes=max(overcommit, -MAX_BYTES) if is_promise_known else None,
        ),
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
