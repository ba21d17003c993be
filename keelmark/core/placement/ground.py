"""Places to which work may go, and what is left at each: columns without the estate around them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.holds import Hold
from keelmark.core.forecast import Outlook
from keelmark.core.forecast.room import Additions, additions_of, room_until
from keelmark.core.prices import NO_PRICES, Prices
from keelmark.core.units import PERCENT


@dataclass(frozen=True, kw_only=True, eq=False)
class SpaceColumns:
    """Pools or datastores (n,): what is written to each, its limit mark and its future.

    ``age_days`` is how long ago each one's last reading was, from which its outlook counts;
    ``planned_bytes`` what is planned to come onto it besides, at its tightest, below 0 where a
    plan makes room.
    """

    used_bytes: Int64s
    reserved_bytes: Int64s
    limit_bytes: Int64s
    is_read: Bools
    outlook: Outlook
    age_days: Int64s
    planned_bytes: Float64s | float = 0.0
    limit_percent: Int64s | int = PERCENT  # of its size, the limit mark


@dataclass(frozen=True, kw_only=True, eq=False)
class PoolColumns(SpaceColumns):
    """Pools (n_pools,): their books, marks and futures, and what others hold from today on."""

    array: Int64s
    site: Int64s
    service_class: Sequence[str]
    usable_bytes: Int64s
    promised_bytes: Int64s
    is_promise_known: Bools
    overcommit_limit_percent: Int64s
    holds: tuple[Hold, ...] = ()
    today: int = 0  # counted from 1970, as holds are


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class ArrayColumns:
    """Arrays (n_arrays,): what is left of what each can do, NaN where nobody tells."""

    sustains_iops: Float64s
    iops_left: Float64s  # that it can sustain, less its busy hours
    minimums_left: Float64s  # the same, less the minimums that are promised
    bytes_per_second_left: Float64s
    ports_free: Float64s


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class AllottedColumns:
    """What one tenant may provision still of pools (n_pools,), NaN where it has no allotment."""

    bytes_left: Float64s
    iops_left: Float64s


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class ClusterColumns:
    """Clusters (n_clusters,): what is left when so many hosts are lost, NaN where nobody tells."""

    cpus_left: Float64s
    memory_left: Float64s


Worked = dict[tuple[str, int, int], Float64s]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Ground:
    """Where work may go, (n_places,): a pool, the cluster that runs it, a datastore or a new one.

    ``cluster`` and ``store`` are NOWHERE where none is chosen, or a new one would be made.
    ``quota_left`` and ``allotted`` are by the name of a tenant, ``rejects`` by that of every policy
    that is asked for: (n_places,) how many of its rules a place would break.
    """

    pool: Int64s
    cluster: Int64s
    store: Int64s
    pools: PoolColumns
    arrays: ArrayColumns
    clusters: ClusterColumns
    stores: SpaceColumns | None = None
    sites: Sequence[str] = ()
    cluster_names: Sequence[str] = ()
    quota_left: Mapping[str, float] = field(default_factory=dict)
    allotted: Mapping[str, AllottedColumns] = field(default_factory=dict)
    rejects: Mapping[str, Int64s] = field(default_factory=dict)
    prices: Prices = NO_PRICES
    worked: Worked = field(default_factory=dict)

    @property
    def price(self) -> Float64s:
        """Money for a TiB and month at each place, NaN where its class has no price."""
        return np.append(self.prices.of(self.pools.service_class), np.nan)[self.pool]

    @property
    def array(self) -> Int64s:
        """The array of each place, NOWHERE where its pool is of none."""
        return np.append(self.pools.array, NOWHERE)[self.pool]

    def space_left(self, kind: str, *, until_day: int, horizon_days: int) -> Float64s:
        """Return :func:`space_left` of its pools, or of its datastores."""
        columns = self.pools if kind == "pool" else self.stores
        if columns is None:
            return np.zeros(0)
        told = self.by_date(kind, until_day=until_day, horizon_days=horizon_days)
        return _left(columns, told)

    def by_date(self, kind: str, *, until_day: int, horizon_days: int) -> Float64s:
        """Return what may come onto its pools, or datastores, by their futures alone."""
        columns = self.pools if kind == "pool" else self.stores
        if columns is None:
            return np.zeros(0)
        key = kind, until_day, horizon_days
        if key not in self.worked:
            self.worked[key] = room_of(columns, until_day=until_day, horizon_days=horizon_days)
        return self.worked[key]

    def early_after(self, *, horizon_days: int) -> Additions:
        """Return :func:`early_after` of its pools."""
        key = "early", 0, horizon_days
        if key not in self.worked:
            told = early_after(self.pools, horizon_days=horizon_days)
            self.worked[key] = np.stack([told.added_bytes, told.early_days])
        added, early = self.worked[key]
        return Additions(added_bytes=added, early_days=early)

    @property
    def site(self) -> Int64s:
        """The site of each place."""
        return np.append(self.pools.site, NOWHERE)[self.pool]


def space_left(pools: SpaceColumns, *, until_day: int, horizon_days: int) -> Float64s:
    """Return how many bytes may be put on each pool so that its limit mark holds until a day.

    Parameters
    ----------
    pools : SpaceColumns
        (n_pools,), or datastores.
    until_day : int
        From today.
    horizon_days : int
        How far is looked.

    Returns
    -------
    (n_pools,) float64
        By first passage on the bad case, one chance in ten, and no more than the limit leaves
        beside what is used and reserved now, less what is planned; NaN where one is unread.
    """
    return _left(pools, room_of(pools, until_day=until_day, horizon_days=horizon_days))


def room_of(columns: SpaceColumns, *, until_day: int, horizon_days: int) -> Float64s:
    """Return what may come onto each by its future alone, (n,), as :func:`space_left`."""
    ages = int(columns.age_days.max(initial=0))
    return room_until(
        columns.outlook, mark_bytes=columns.limit_bytes, days=until_day + columns.age_days,
        horizon_days=max(horizon_days, until_day) + ages,
    )  # fmt: skip


def _left(columns: SpaceColumns, by_date: Float64s) -> Float64s:
    taken = columns.used_bytes.astype(np.float64) + columns.reserved_bytes
    left = np.minimum(by_date, columns.limit_bytes - taken) - columns.planned_bytes
    return np.where(columns.is_read, left, np.nan)


def early_after(pools: PoolColumns, *, horizon_days: int) -> Additions:
    """Return the early days to the limit mark, counted from today, for what may be added."""
    ages = int(pools.age_days.max(initial=0))
    most = np.maximum(pools.limit_bytes - pools.used_bytes, 0).astype(np.float64)
    told = additions_of(
        pools.outlook, mark_bytes=pools.limit_bytes, least=np.zeros(len(most)), most=most,
        horizon_days=horizon_days + ages,
    )  # fmt: skip
    return Additions(
        added_bytes=told.added_bytes,
        early_days=np.maximum(told.early_days - pools.age_days, 0.0),
    )


def exposure_left(pools: PoolColumns, *, most_bytes: int) -> Float64s:
    """Return how many bytes may be promised so that no more than so many would be missing."""
    left = most_bytes + pools.usable_bytes.astype(np.float64) - pools.promised_bytes
    return np.where(pools.is_promise_known, left, np.nan)


def promise_left(pools: PoolColumns) -> Float64s:
    """Return how many bytes may be promised below each pool's overcommit limit."""
    ceiling = pools.usable_bytes.astype(np.float64) * pools.overcommit_limit_percent / PERCENT
    left = np.floor(ceiling) - pools.promised_bytes
    return np.where(pools.is_promise_known, left, np.nan)
