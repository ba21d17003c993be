"""Small grounds for placements: pools on arrays, clusters beside them, drawn at random."""

import numpy as np

from keelmark.core.estate.columns import NOWHERE
from keelmark.core.placement.ground import ArrayColumns, ClusterColumns, Ground, PoolColumns
from keelmark.core.placement.workloads import Apart, DiskAsked, Workload
from keelmark.core.units import GIB, TIB
from tests.core.outlooks import make_outlook

HORIZON = 730
SITES = ("Skerry", "Marram")
CLUSTERS = ("kelp", "dulse")


def pools_of(rng, n, **facts):
    usable = rng.integers(20, 200, n) * TIB
    used = (usable * rng.uniform(0.2, 0.85, n)).astype(np.int64)
    known = {
        "array": rng.integers(NOWHERE, 2, n),
        "site": rng.integers(0, len(SITES), n),
        "service_class": tuple(rng.choice(["Swift", "Deep"], n)),
        "usable_bytes": usable,
        "used_bytes": used,
        "reserved_bytes": rng.integers(0, 3, n) * TIB,
        "promised_bytes": (used * rng.uniform(1, 2, n)).astype(np.int64),
        "is_promise_known": rng.random(n) < 0.9,
        "limit_bytes": usable * 9 // 10,
        "overcommit_limit_percent": np.full(n, 200),
        "is_read": rng.random(n) < 0.9,
        "outlook": make_outlook(
            used.astype(np.float64), growth=float(rng.uniform(0, 0.2)) * TIB,
            spread=float(rng.uniform(0.01, 0.5)) * TIB,
        ),
        "age_days": rng.integers(0, 4, n),
    }  # fmt: skip
    return PoolColumns(**(known | facts))


def ground_of(seed, *, n_pools=4, **facts):
    rng = np.random.default_rng(seed)

    def some(n, low, high):
        return np.where(rng.random(n) < 0.15, np.nan, rng.integers(low, high, n))

    pools = pools_of(rng, n_pools)
    pool = np.repeat(np.arange(n_pools), 2)
    known = {
        "pool": pool,
        "cluster": np.tile([0, NOWHERE], n_pools),
        "store": np.full(len(pool), NOWHERE),
        "pools": pools,
        "arrays": ArrayColumns(
            sustains_iops=some(2, 20_000, 90_000), iops_left=some(2, -500, 9_000),
            minimums_left=some(2, -500, 9_000), bytes_per_second_left=some(2, 0, 9_000_000),
            ports_free=some(2, 0, 4),
        ),
        "clusters": ClusterColumns(cpus_left=some(2, 0, 90), memory_left=some(2, 0, 900) * GIB),
        "sites": SITES,
        "cluster_names": CLUSTERS,
        "quota_left": {"Tide Gauges": float(rng.integers(0, 40) * TIB)},
        "rejects": {"Twice-kept": rng.integers(0, 2, len(pool))},
    }  # fmt: skip
    return Ground(**(known | facts))


def workload_of(**facts):
    known = {
        "name": "sonar",
        "n_vms": 4,
        "disks": (DiskAsked(size_bytes=2 * TIB, written_percent=50),),
        "last_day": 100,
    }
    return Workload(**(known | facts))


def drawn_workload(seed):
    """Whatever may be asked for."""
    rng = np.random.default_rng(seed)
    first = int(rng.integers(1, 60))
    disks = tuple(
        DiskAsked(
            size_bytes=int(rng.integers(1, 4000)) * GIB, written_percent=int(rng.integers(0, 101)),
            growth_bytes_per_day=int(rng.integers(0, 20)) * GIB, is_thick=bool(rng.random() < 0.2),
            min_iops=int(rng.integers(0, 300)), busy_iops=int(rng.integers(0, 600)),
            busy_bytes_per_second=int(rng.integers(0, 100_000)),
        )
        for _ in range(int(rng.integers(1, 3)))
    )  # fmt: skip
    return workload_of(
        n_vms=int(rng.integers(1, 6)), disks=disks, n_cpus=int(rng.integers(0, 8)),
        memory_bytes=int(rng.integers(0, 32)) * GIB, first_day=first,
        last_day=first + int(rng.integers(0, 300)), apart=list(Apart)[int(rng.integers(5))],
        tenant=str(rng.choice(["", "Tide Gauges"])), n_ports=int(rng.integers(0, 2)),
    )  # fmt: skip
