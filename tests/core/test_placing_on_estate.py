"""The ground of placements out of the estate: what reaches what, and what is left of it."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.estate.columns import NOWHERE, amounts
from keelmark.core.estate.estate import Outlooks
from keelmark.core.estate.reading import read
from keelmark.core.hosting import held_after_losses
from keelmark.core.placement.of_estate import Beside, ground_of
from keelmark.core.placement.ranking import Weights, place_together
from keelmark.core.units import GIB, TIB
from tests.core.estates import TODAY, make_estate
from tests.core.grounds import HORIZON, workload_of
from tests.core.outlooks import make_outlook


@given(
    hosts=st.lists(
        st.tuples(st.integers(-1, 2), st.none() | st.integers(0, 64)), max_size=10
    ),
    n_lost=st.integers(0, 3),
)  # fmt: skip
def test_what_is_held_is_worked_out_cluster_by_cluster(hosts, n_lost):
    told = held_after_losses(
        amounts([amount for _, amount in hosts]), n_clusters=3, n_lost=n_lost,
        cluster=np.array([cluster for cluster, _ in hosts], dtype=np.int64),
    )  # fmt: skip
    for cluster in range(3):
        mine = [amount for at, amount in hosts if at == cluster]
        if not mine or None in mine:
            assert np.isnan(told[cluster])
        else:
            assert told[cluster] == sum(sorted(mine)[: max(len(mine) - n_lost, 0)])


def estate(**rows):
    """Two arrays at two sites, one cluster that reaches the first."""
    known = {
        "site": [{"id": 1, "name": "Skerry"}, {"id": 2, "name": "Marram"}],
        "array": [
            {"id": 10, "site": 1, "sustains": 40_000, "free_ports": 3},
            {"id": 11, "site": 2},
        ],
        "port": [
            {"id": 12, "array": 10, "up": 1, "speed": 8_000}, {"id": 13, "array": 10, "up": 0,
                                                               "speed": 8_000},
        ],
        "pool": [
            {"id": at, "array": array, "site": site, "class": klass, "state": state,
             "size": 100 * TIB, "used": 40 * TIB, "promised": 60 * TIB, "reserved": TIB}
            for at, array, site, klass, state in (
                (20, 10, 1, "Swift", "clear"), (21, 10, 1, "Deep", "unread"),
                (22, 11, 2, "Swift", "clear"),
            )
        ],
        "volume": [{"id": 30, "pool": 20, "array": 10, "size": TIB}],
        "cluster": [{"id": 40, "name": "kelp", "site": 1}],
        "datastore": [{"id": 50, "cluster": 40, "size": TIB, "used": GIB}],
        "host": [
            {"id": 60 + at, "cluster": 40, "cpus": cpus, "memory": 64 * GIB, "health": health}
            for at, (cpus, health) in enumerate(((16, "up"), (32, "up"), (64, "maintenance")))
        ],
        "tenant": [{"id": 70, "name": "Tide Gauges", "quota": 5 * TIB}],
        "vm": [
            {"id": 80, "cluster": 40, "power": "on", "cpus": 10, "memory": 8 * GIB},
            {"id": 81, "cluster": 40, "power": "off", "cpus": 50, "memory": 80 * GIB},
        ],
        "disk": [{"id": 90, "vm": 80, "datastore": 50, "tenant": 70, "size": 4 * TIB,
                  "used": 2 * TIB}],
    }  # fmt: skip
    made = make_estate(pairs={"extents": [(50, 30)]}, **(known | rows))
    used = made.table("pool").amounts("used").values.astype(np.float64)
    outlooks = Outlooks(
        of=make_outlook(used, growth=0.05 * TIB, spread=0.01 * TIB),
        as_of=np.full(len(used), TODAY - 1),
    )
    return replace(made, outlooks={"pool": outlooks})


def ground(told=None, *, busy=10_000.0, minimums=36_000.0, **facts):
    beside = Beside(
        busy_iops=np.array([busy, np.nan]), busy_bytes_per_second=np.array([400.0, np.nan]),
        min_iops=np.array([minimums, 0.0]), rejects={"Twice-kept": np.array([0, 0, 2])},
    )  # fmt: skip
    return ground_of(read(told or estate(), day=TODAY), beside, **facts)


def test_pools_stand_beside_the_clusters_that_reach_their_array():
    told = ground()
    assert list(zip(told.pool.tolist(), told.cluster.tolist(), strict=True)) == [
        (0, 0), (1, 0), (2, NOWHERE),
    ]  # fmt: skip
    assert told.pools.is_read.tolist() == [True, False, True]
    assert told.pools.service_class == ["Swift", "Deep", "Swift"]
    assert told.pools.age_days.tolist() == [1, 1, 1]
    assert (told.pools.limit_bytes == 90 * TIB).all()
    assert told.rejects["Twice-kept"].tolist() == [0, 0, 2]


def test_what_arrays_clusters_and_tenants_have_left():
    told = ground()
    np.testing.assert_array_equal(told.arrays.iops_left, [30_000, np.nan])
    np.testing.assert_array_equal(told.arrays.minimums_left, [4_000, np.nan])
    np.testing.assert_array_equal(told.arrays.bytes_per_second_left, [600, np.nan])
    np.testing.assert_array_equal(told.arrays.ports_free, [3, np.nan])
    # The larger host that is up may fail; four CPUs are promised of each core.
    np.testing.assert_array_equal(told.clusters.cpus_left, [4 * 16 - 10])
    np.testing.assert_array_equal(told.clusters.memory_left, [64 * GIB - 8 * GIB])
    np.testing.assert_array_equal(ground(n_host_losses=0).clusters.cpus_left, [4 * 48 - 10])
    assert told.quota_left == {"Tide Gauges": 3.0 * TIB}


def test_a_vm_of_which_nobody_tells_its_size_leaves_its_cluster_unknown():
    vms = [{"id": 80, "cluster": 40, "power": "on", "cpus": 10}]
    told = ground(estate(vm=vms))
    assert told.clusters.cpus_left.tolist() == [54]
    assert np.isnan(told.clusters.memory_left).all()


@pytest.mark.parametrize(
    ("asks", "goes_to"),
    [
        ({}, {0, 2}),
        ({"sites": frozenset({"Marram"})}, {2}),
        ({"n_cpus": 2}, {0}),  # the other is reached by no cluster of which anything is known
        ({"n_cpus": 20}, set()),
        ({"tenant": "Tide Gauges", "n_vms": 4}, set()),
        ({"last_day": 730}, {0, 2}),
        ({"n_vms": 100}, set()),
    ],
)
def test_where_work_goes_on_an_estate(asks, goes_to):
    workload = workload_of(**({"n_vms": 3} | asks))
    _, told = place_together(ground(), [workload], weights=Weights(), horizon_days=HORIZON)
    fits = ground().pool[told.placed.place]
    whole = told.placed.n_of(0) == workload.n_vms
    assert whole == bool(goes_to)
    if whole:
        assert set(fits.tolist()) <= goes_to
