"""The hard tests of a placement: limits that add up, and gates that are open or closed."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.placement.ground import Ground, exposure_left, promise_left
from keelmark.core.placement.question import Limit
from keelmark.core.placement.workloads import MOST_VMS, Apart, Demands, Workload, demands_of


class Check(StrEnum):
    """The tests, in the order in which they are told."""

    READ = "read"
    CLASS = "class"
    SITE = "site"
    CLUSTER = "cluster"
    POLICY = "policy"
    SPACE = "space"
    DATASTORE = "datastore"
    OVERCOMMIT = "overcommit"
    EXPOSURE = "exposure"
    ALLOTMENT = "allotment"
    ALLOTTED_IOPS = "allotted IOPS"
    MINIMUMS = "minimums"
    IOPS = "iops"
    THROUGHPUT = "throughput"
    PORTS = "ports"
    CPUS = "cpus"
    MEMORY = "memory"
    QUOTA = "quota"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Gate:
    """A test without an amount: open (n_workloads, n_places), and by how many it is missed."""

    check: Check
    is_open: Bools
    n_missed: Int64s | None = None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Hurdles:
    """All tests of some workloads over some places."""

    demands: Demands
    gates: Sequence[Gate]
    limits: Sequence[Limit]

    def margins(self, limit: Limit) -> Float64s:
        """Return by how much one unit clears (≥ 0) or misses a limit, (n_workloads, n_places).

        inf where nothing is asked of it; NaN where nobody tells what is left.
        """
        n_places = self.gates[0].is_open.shape[1]
        rows = limit.rows(len(limit.demand), n_places)
        left = np.append(limit.room, np.inf)[rows] - limit.demand[:, None]
        return np.where((limit.demand == 0)[:, None], np.inf, left)

    def units_that_fit(self) -> tuple[Int64s, Int64s]:
        """Return how many units of each alone fit at each place, and which limit stops the next.

        Both (n_workloads, n_places); the limit is a place in ``limits``, NOWHERE where a gate is
        closed or nothing stops it.
        """
        most = np.where(self._is_open(), MOST_VMS, 0).astype(np.float64)
        stops = np.full(most.shape, NOWHERE, dtype=np.int64)
        for at, limit in enumerate(self.limits):
            rows = limit.rows(*most.shape)
            room = np.append(np.nan_to_num(limit.room, nan=0.0), np.inf)[rows]
            demand = limit.demand[:, None]
            n = np.floor(np.maximum(room, 0) / np.where(demand > 0, demand, 1.0))
            is_less = (demand > 0) & (n < most)
            most, stops = np.where(is_less, n, most), np.where(is_less, at, stops)
        return most.astype(np.int64), stops

    def _is_open(self) -> Bools:
        told: Bools = np.logical_and.reduce([gate.is_open for gate in self.gates])
        return told

    def clears(self) -> Bools:
        """Return where one unit of each clears everything, (n_workloads, n_places).

        What nobody can judge is not cleared.
        """
        told = self._is_open()
        for limit in self.limits:
            told = told & (self.margins(limit) >= 0)
        return told


def hurdles_of(ground: Ground, workloads: Sequence[Workload], *, horizon_days: int) -> Hurdles:
    """Return the tests of workloads over all places of a ground."""
    demands = demands_of(workloads)
    return Hurdles(
        demands=demands,
        gates=tuple(_gates(ground, workloads)),
        limits=tuple(_limits(ground, workloads, demands, horizon_days=horizon_days)),
    )


def _gates(ground: Ground, workloads: Sequence[Workload]) -> list[Gate]:
    n, n_places = len(workloads), len(ground.pool)
    is_read = np.append(ground.pools.is_read & ground.pools.outlook.is_judged, False)[ground.pool]
    classes = np.array([*ground.pools.service_class, ""], dtype=object)[ground.pool]
    sites = np.array([*ground.sites, ""], dtype=object)[ground.site]
    clusters = np.array([*ground.cluster_names, ""], dtype=object)[ground.cluster]
    missed = np.zeros((n, n_places), dtype=np.int64)
    for at, one in enumerate(workloads):
        if one.policy is not None:
            missed[at] = ground.rejects[one.policy.name]
    return [
        Gate(check=Check.READ, is_open=np.broadcast_to(is_read, (n, n_places))),
        Gate(check=Check.CLASS, is_open=_one_of(
            [{one.service_class} - {""} for one in workloads], classes)),
        Gate(check=Check.SITE, is_open=_one_of([one.sites for one in workloads], sites)),
        Gate(check=Check.CLUSTER, is_open=_one_of([one.clusters for one in workloads], clusters)),
        Gate(check=Check.POLICY, is_open=missed == 0, n_missed=missed),
        *_allotted(ground, workloads),
        *_ports(ground, workloads),
    ]  # fmt: skip


def _allotted(ground: Ground, workloads: Sequence[Workload]) -> list[Gate]:
    """Whether the tenant of what comes out of an allotment has one; a datastore is made of it."""
    if not any(one.is_from_allotment for one in workloads):
        return []
    is_open = np.ones((len(workloads), len(ground.pool)), dtype=np.bool_)
    for at, one in enumerate(workloads):
        if one.is_from_allotment:
            columns = ground.allotted.get(one.tenant)
            has = np.isfinite(columns.bytes_left) if columns else np.zeros(0, dtype=np.bool_)
            rows = np.flatnonzero(has)
            is_open[at] = np.isin(ground.pool, rows) & (ground.store == NOWHERE)
    return [Gate(check=Check.ALLOTMENT, is_open=is_open)]


def _ports(ground: Ground, workloads: Sequence[Workload]) -> list[Gate]:
    """Whether an array has the ports that a workload wants, wherever a part of it goes."""
    wanted = np.array([0 if one.apart is Apart.TOGETHER else one.n_ports for one in workloads])
    if not wanted.any():
        return []
    free = np.append(ground.arrays.ports_free, np.nan)[ground.array]
    is_open = (wanted[:, None] == 0) | (np.nan_to_num(free, nan=-1.0)[None, :] >= wanted[:, None])
    return [Gate(check=Check.PORTS, is_open=is_open)]


def _one_of(wanted: Sequence[frozenset[str] | set[str]], told: np.ndarray) -> Bools:
    """Where what a place is told to be is among what each workload wants; anything if nothing."""
    return np.array(
        [np.isin(told, list(some)) if some else np.ones(len(told), dtype=np.bool_)
         for some in wanted],
        dtype=np.bool_,
    ).reshape(len(wanted), len(told))  # fmt: skip


def _limits(
    ground: Ground, workloads: Sequence[Workload], demands: Demands, *, horizon_days: int
) -> list[Limit]:
    _pools, arrays, clusters = ground.pools, ground.arrays, ground.clusters
    space = ground.space_left("pool", until_day=demands.last_day, horizon_days=horizon_days)
    tenants = sorted({one.tenant for one in workloads if one.tenant in ground.quota_left})
    row_of = {name: row for row, name in enumerate(tenants)}
    of = np.array([row_of.get(one.tenant, NOWHERE) for one in workloads], dtype=np.int64)
    quotas = np.array([ground.quota_left[name] for name in tenants], dtype=np.float64)
    return [
        Limit(name=Check.SPACE, room=space, demand=demands.open_to_all(demands.written_bytes),
              at=ground.pool),
        *_promised(ground, workloads, demands),
        *_of_stores(ground, demands, horizon_days=horizon_days),
        *(
            _told_or_not(test, room, demand=demand, at=at)
            for test, room, demand, at in (
                (Check.MINIMUMS, arrays.minimums_left, demands.open_to_all(demands.min_iops),
                 ground.array),
                (Check.IOPS, arrays.iops_left, demands.busy_iops, ground.array),
                (Check.THROUGHPUT, arrays.bytes_per_second_left, demands.busy_bytes_per_second,
                 ground.array),
                (Check.PORTS, arrays.ports_free, demands.ports, ground.array),
                (Check.CPUS, clusters.cpus_left, demands.cpus, ground.cluster),
                (Check.MEMORY, clusters.memory_left, demands.memory_bytes, ground.cluster),
            )
        ),
        Limit(name=Check.QUOTA, room=quotas, demand=demands.written_bytes, of=of),
    ]  # fmt: skip


def _promised(
    ground: Ground, workloads: Sequence[Workload], demands: Demands
) -> Iterator[Limit]:  # fmt: skip
    """What may be promised of pools, by anybody and out of allotments.

    What goes onto a datastore that there is promises no more of its pool; a new one all of itself.
    """
    made = np.where(ground.store == NOWHERE, ground.pool, NOWHERE)
    promised = demands.open_to_all(demands.made_bytes)
    yield Limit(name=Check.OVERCOMMIT, room=promise_left(ground.pools), demand=promised, at=made)
    asked = [one.most_exposure_bytes for one in workloads if one.most_exposure_bytes is not None]
    if asked:  # the least of them holds for all that come together
        left = exposure_left(ground.pools, most_bytes=min(asked))
        yield Limit(name=Check.EXPOSURE, room=left, demand=promised, at=made)
    for tenant in sorted({one.tenant for one in workloads if one.is_from_allotment}):
        columns = ground.allotted.get(tenant)
        if columns is None:
            continue  # its gate is closed everywhere
        is_its = np.array([one.tenant == tenant for one in workloads])
        for check, left, demand in (
            (Check.ALLOTMENT, columns.bytes_left, demands.drawn_bytes),
            (Check.ALLOTTED_IOPS, columns.iops_left,
             demands.min_iops - demands.open_to_all(demands.min_iops)),
        ):  # fmt: skip
            yield Limit(name=check, room=left, demand=np.where(is_its, demand, 0.0), at=ground.pool)


def _of_stores(ground: Ground, demands: Demands, *, horizon_days: int) -> list[Limit]:
    """Below its limit mark, where a datastore that there is takes it; its pool promises no more."""
    if ground.stores is None:
        return []
    left = ground.space_left("datastore", until_day=demands.last_day, horizon_days=horizon_days)
    return [
        Limit(name=Check.DATASTORE, room=left, demand=demands.written_bytes, at=ground.store)
    ]  # fmt: skip


def _told_or_not(test: Check, room: Float64s, *, demand: Float64s, at: Int64s) -> Limit:
    """A limit whose last row stands for places of which nobody tells anything."""
    n = len(room)
    return Limit(
        name=test, room=np.append(room, np.nan), demand=demand, at=np.where(at == NOWHERE, n, at)
    )
