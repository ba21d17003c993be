"""The ground that placements stand on, out of the estate's columns."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE, Amounts, Table, Words
from keelmark.core.estate.reading import Reading
from keelmark.core.estate.serving import served
from keelmark.core.hosting import HOLDS_NOTHING, VCPUS_A_CORE, held_after_losses
from keelmark.core.placement.ground import (
    AllottedColumns,
    ArrayColumns,
    ClusterColumns,
    Ground,
    PoolColumns,
    SpaceColumns,
)
from keelmark.core.placement.objects import ObjectGround
from keelmark.core.prices import NO_PRICES, Prices, classes_of_pools
from keelmark.core.units import percent_of

BITS_A_BYTE = 8


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Beside:
    """What the estate's columns do not tell, (n_arrays,) each, NaN where nobody does.

    ``busy_iops`` and ``busy_bytes_per_second`` is what arrays do in their busy hours,
    ``min_iops`` what they promise to disks. ``rejects`` is by policy (n_pools,): how many of its
    rules a pool would break. What the scenario ``owner`` holds itself is not counted.
    """

    busy_iops: Float64s
    busy_bytes_per_second: Float64s
    min_iops: Float64s
    rejects: Mapping[str, Int64s] = field(default_factory=dict)
    owner: int = 0
    prices: Prices = NO_PRICES


def ground_of(
    reading: Reading,
    beside: Beside,
    *,
    n_host_losses: int = 1,
    then: Reading | None = None,
    planned: Mapping[str, Float64s] = MappingProxyType({}),
    has_stores: bool = False,
) -> Ground:
    """Return where work may go at a reading: every pool there is, beside each cluster it reaches.

    Parameters
    ----------
    reading : Reading
        Of now: futures are counted from each pool's last reading.
    beside : Beside
        What is known besides.
    n_host_losses : int
        How many hosts of a cluster must be able to fail.
    then : Reading, optional
        Of the last day with a plan: what is promised, and what clusters have left.
    planned : mapping of kind to (n,) float64, optional
        Bytes that a plan brings onto pools and datastores, at their tightest.
    has_stores : bool
        Whether datastores that there are are places, too; each on the pool of its largest volume.

    Notes
    -----
    A cluster reaches an array where one of its datastores lies on a volume of it, and a pool of
    its own hosts. A pool that no cluster reaches is a place without one.
    """
    then = then or reading
    pool, cluster = reached(reading)
    store = np.full(len(pool), NOWHERE, dtype=np.int64)
    if has_stores:
        rows, under, over = _stored(reading)
        pool, cluster = np.append(pool, under), np.append(cluster, over)
        store = np.append(store, rows)
    return Ground(
        pool=pool,
        cluster=cluster,
        store=store,
        pools=_pools(reading, then=then, planned=planned, owner=beside.owner),
        stores=SpaceColumns(**_space(reading, "datastore", planned)) if has_stores else None,
        arrays=_arrays(reading, beside),
        clusters=clusters_of(then, n_host_losses=n_host_losses),
        sites=reading.estate.table("site").names,
        cluster_names=reading.estate.table("cluster").names,
        quota_left=_quotas(reading),
        allotted=_allotted(reading),
        rejects={name: told[pool] for name, told in beside.rejects.items()},
        prices=beside.prices,
    )


def object_ground_of(
    reading: Reading, *, prices: Prices = NO_PRICES,
    planned: Mapping[str, Float64s] = MappingProxyType({}),
) -> ObjectGround:  # fmt: skip
    """Return where objects may go at a reading of now: every bucket, by its account's quota."""
    quota = reading.estate.table("account").amounts("quota")
    bucket = np.flatnonzero(reading.is_there["bucket"])
    return ObjectGround(
        bucket=bucket, account=reading.link("bucket", "account")[bucket],
        accounts=SpaceColumns(**_space(reading, "account", planned)), has_quota=quota.is_known,
        quota_bytes=np.where(quota.is_known, quota.values, 0), prices=prices,
    )  # fmt: skip


def _pools(
    reading: Reading, *, then: Reading, planned: Mapping[str, Float64s], owner: int
) -> PoolColumns:  # fmt: skip
    table = reading.estate.table("pool")
    n = len(table)
    # What a plan brings that is not there yet stands behind all rows.
    promised, size = then.books["pool"].promised, then.books["pool"].size
    return PoolColumns(
        **_space(reading, "pool", planned),
        array=reading.link("pool", "array"),
        site=reading.link("pool", "site"),
        service_class=classes_of_pools(reading),
        usable_bytes=np.where(size.is_known, size.values, 0)[:n],
        promised_bytes=promised.values[:n],
        is_promise_known=promised.is_known[:n],
        overcommit_limit_percent=reading.estate.marks["pool"].overcommit_limit_percent,
        holds=tuple(
            one for one in reading.estate.holds if one.kind == "pool" and one.owner != owner
        ),
        today=reading.day,
    )


def _space(
    reading: Reading, kind: str, planned: Mapping[str, Float64s]
) -> dict[str, Any]:  # Any: the fields of SpaceColumns
    table, books = reading.estate.table(kind), reading.books[kind]
    outlooks, marks = reading.estate.outlooks[kind], reading.estate.marks[kind]
    return {
        "used_bytes": books.used.values,
        # What is held is planned, too: it is counted by its days, not here.
        "reserved_bytes": books.reserved.values - books.held.values,
        "limit_bytes": percent_of(books.size.values, marks.limit_percent),
        "is_read": books.size.is_known & books.used.is_known & ~_is_unread(table),
        "outlook": outlooks.of,
        "age_days": np.maximum(reading.day - outlooks.as_of, 0),
        "planned_bytes": planned.get(kind, 0.0),
        "limit_percent": marks.limit_percent,
    }


def _stored(reading: Reading) -> tuple[Int64s, Int64s, Int64s]:
    """Datastores that are there beside each cluster that they serve, and the pool under each.

    It is that of the largest volume. What is nobody's serves no cluster.
    """
    stores, clusters = served(reading)
    pairs = reading.estate.pairs["extents"]
    sizes = reading.books["volume"].size.values[pairs.right]
    order = np.lexsort((-sizes, pairs.left))
    rows, first = np.unique(pairs.left[order], return_index=True)
    volume = pairs.right[order][first]
    is_there = reading.is_there["datastore"][rows]
    rows, volume = rows[is_there], volume[is_there]
    pool = np.full(len(reading.estate.table("datastore")), NOWHERE, dtype=np.int64)
    pool[rows] = reading.link("volume", "pool")[volume]
    nobodys = np.setdiff1d(rows, stores)
    stores = np.append(stores, nobodys)
    clusters = np.append(clusters, np.full(len(nobodys), NOWHERE, dtype=np.int64))
    is_told = pool[stores] != NOWHERE
    order = np.flatnonzero(is_told)[np.argsort(stores[is_told], kind="stable")]
    return stores[order], pool[stores[order]], clusters[order]


def _is_unread(table: Table) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    state = table.columns.get("state")
    if not isinstance(state, Words) or "unread" not in state.words:
        return np.zeros(len(table), dtype=np.bool_)
    told: np.ndarray[tuple[int], np.dtype[np.bool_]] = state.codes == state.words.index("unread")
    return told


def reached(reading: Reading) -> tuple[Int64s, Int64s]:
    """Return the pools that are there beside the clusters that reach them, in their order.

    Both (n_places,); NOWHERE beside a pool that no cluster reaches.
    """
    array = reading.link("pool", "array")
    is_there = reading.is_there["pool"]
    pairs = reading.estate.pairs["extents"]
    on = np.append(reading.link("volume", "pool"), NOWHERE)[pairs.right]
    array_under = np.append(array, NOWHERE)[on]
    by_store: dict[int, set[int]] = {}
    for store, under in zip(pairs.left.tolist(), array_under.tolist(), strict=True):
        by_store.setdefault(store, set()).add(under)
    reach = {
        (under, cluster)
        for store, cluster in zip(*(one.tolist() for one in served(reading)), strict=True)
        for under in by_store.get(store, ())
        if under != NOWHERE
    }
    by_array: dict[int, list[int]] = {}
    for at, cluster in sorted(reach):
        by_array.setdefault(at, []).append(cluster)
    own = reading.link("pool", "cluster")
    told: list[tuple[int, int]] = []
    for row in np.flatnonzero(is_there).tolist():
        clusters = [int(own[row])] if own[row] != NOWHERE else by_array.get(int(array[row]), [])
        told += [(row, cluster) for cluster in clusters or [NOWHERE]]
    both = np.array(told, dtype=np.int64).reshape(len(told), 2)
    return both[:, 0], both[:, 1]


def _arrays(reading: Reading, beside: Beside) -> ArrayColumns:
    table = reading.estate.table("array")
    sustains = _known(table.amounts("sustains"))
    ports = reading.estate.table("port")
    onto = reading.link("port", "array")
    is_up = reading.is_there["port"] & (ports.amounts("up").values > 0) & (onto != NOWHERE)
    speed = _known(ports.amounts("speed"))
    bits = np.bincount(onto[is_up], weights=speed[is_up], minlength=len(table))
    lines = np.where(bits > 0, bits / BITS_A_BYTE, np.nan)  # nobody tells of any
    return ArrayColumns(
        sustains_iops=sustains,
        iops_left=sustains - beside.busy_iops,
        minimums_left=sustains - beside.min_iops,
        bytes_per_second_left=lines - beside.busy_bytes_per_second,
        ports_free=_known(table.amounts("free_ports")),
    )


def clusters_of(reading: Reading, *, n_host_losses: int = 1) -> ClusterColumns:
    """Return what clusters have left for VMs when so many of their largest hosts are lost."""
    hosts, vms = reading.estate.table("host"), reading.estate.table("vm")
    n = len(reading.estate.table("cluster"))
    health = hosts.columns.get("health")
    words = health.words if isinstance(health, Words) else ()
    codes = health.codes if isinstance(health, Words) else np.full(len(hosts), NOWHERE)
    idle = np.array([*(word in HOLDS_NOTHING for word in words), False])[codes]
    cluster = np.where(
        reading.is_there["host"] & ~idle, reading.link("host", "cluster"), NOWHERE
    ).astype(np.int64)
    power = vms.columns.get("power")
    is_on = reading.is_there["vm"].copy()
    if isinstance(power, Words):
        is_on &= np.array([*(word == "on" for word in power.words), False])[power.codes]
    onto = np.where(is_on, reading.link("vm", "cluster"), NOWHERE)

    def left(name: str, *, factor: int) -> Float64s:
        held = held_after_losses(
            hosts.amounts(name), cluster=cluster, n_clusters=n, n_lost=n_host_losses
        )
        asked = _known(vms.amounts(name))
        at = onto != NOWHERE
        taken = np.bincount(onto[at], weights=asked[at], minlength=n)  # NaN where one is unknown
        return held * factor - taken

    return ClusterColumns(
        cpus_left=left("cpus", factor=VCPUS_A_CORE), memory_left=left("memory", factor=1)
    )


def _quotas(reading: Reading) -> dict[str, float]:
    """What tenants with a quota may still write, as their fill is told."""
    table, books = reading.estate.table("tenant"), reading.books["tenant"]
    free = books.free
    return {
        table.names[row]: float(free.values[row]) for row in np.flatnonzero(free.is_known).tolist()
    }


def _allotted(reading: Reading) -> dict[str, AllottedColumns]:
    """What tenants may provision still of their allotments, those that stand by now."""
    tenants, n = reading.estate.table("tenant"), len(reading.estate.table("pool"))
    told: dict[str, AllottedColumns] = {}
    for one in reading.estate.holds:
        if one.tenant == NOWHERE or one.kind != "pool" or one.first_day > reading.day:
            continue
        columns = told.setdefault(
            tenants.names[one.tenant],
            AllottedColumns(bytes_left=np.full(n, np.nan), iops_left=np.full(n, np.nan)),
        )
        columns.bytes_left[one.row] = max(0, one.promised_bytes - one.asked_bytes)
        columns.iops_left[one.row] = one.min_iops
    return told


def _known(told: Amounts) -> Float64s:
    return np.where(told.is_known, told.values, np.nan).astype(np.float64)
