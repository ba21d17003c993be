"""What disks are asked for: the same each time, counted as it is recorded, held at its limit."""

import itertools
from datetime import UTC, datetime, time, timedelta

import numpy as np
import pyarrow.parquet as pa_parquet
import pytest

from standins.arrays import HISTORY_DAYS
from standins.counters import COUNTED
from standins.demand import (
    LINE_SECONDS,
    STEP_SECONDS,
    STEPS_A_DAY,
    Demand,
)
from standins.estate import make_estate
from standins.flow import Flow
from standins.limits import TIERS, TOGETHER
from standins.performance_file import DAYS, write_performance
from tests.conftest import ANCHOR_ON

TODAY = HISTORY_DAYS  # by the index that Estate.on knows


@pytest.fixture(scope="module")
def estate():
    return make_estate(size="small", anchor_on=ANCHOR_ON)


@pytest.fixture(scope="module")
def flow(estate):
    return Flow(estate, since=float(TODAY - 2))


def test_a_day_is_the_same_from_wherever_it_is_asked_for(estate, flow):
    again = Demand(estate)
    for day in (TODAY - 1, TODAY, TODAY - 1):
        assert (again.day(day).ops == flow.demand.day(day).ops).all()
    assert not (again.day(TODAY).ops == again.day(TODAY - 1).ops).all()


def test_a_limit_lets_no_more_through_and_the_rest_waits_in_line(flow):
    demand, day = flow.demand, flow.demand.day(TODAY)
    held = np.array([one.uid in demand.limits for one in demand.disks])
    assert held.any()
    limits = np.array([demand.limits.get(one.uid, np.inf) for one in demand.disks])
    assert (day.ops <= limits[:, None] * 1.001).all()
    assert (day.qos_ms[~held] == 0).all()
    assert day.qos_ms[held].max() > 0
    assert day.qos_ms.max() <= LINE_SECONDS * 1000 * 1.001
    at_limit = day.ops >= limits[:, None] * 0.999
    assert at_limit[day.qos_ms > 0].all()


def test_every_disk_may_do_what_its_tier_lets_through(estate, flow):
    demand = flow.demand
    assert {"Slack", "Ebb"} <= set(demand.tiers.values()) <= {*TIERS, *TOGETHER}
    is_own = [demand.limits.get(uid) == TIERS[tier][1] for uid, tier in demand.tiers.items()
              if tier in TIERS]  # fmt: skip
    assert 0.9 < np.mean(is_own) < 1  # some hosts are set to less


def test_a_volume_is_set_to_the_sums_of_its_disks(flow):
    demand = flow.demand
    rows = demand.by_volume()
    assert demand.set_to
    for naa, (least, most) in demand.set_to.items():
        own = [demand.tiers[demand.disks[row].uid] for row in rows[naa]]
        each = [TIERS[tier] for tier in own if tier in TIERS]
        together = [TOGETHER[tier] for tier in set(own) & set(TOGETHER)]
        assert least == sum(told[0] for told in [*each, *together])
        assert most == sum(told[1] for told in [*each, *together])


def test_what_a_volume_cannot_do_waits_in_front_of_it(estate):
    demand = Demand(estate)
    naa, rows = max(demand.by_volume().items(), key=lambda one: len(one[1]))
    usual = demand.day(TODAY).ops[rows].sum(axis=0)
    demand = Demand(estate)
    demand.set_to[naa] = (0, int(np.median(usual)))
    day = demand.day(TODAY)
    assert (day.ops[rows].sum(axis=0) <= demand.set_to[naa][1] * 1.001).all()
    is_cut = usual > demand.set_to[naa][1]
    assert (day.queue_ms[rows][:, is_cut] >= LINE_SECONDS * 1000).all()
    assert (day.queue_ms[rows][:, ~is_cut] < 10).all()


def test_counters_count_what_the_steps_say_and_never_run_back(flow):
    begin = float(TODAY - 1)  # the day that Estate.on calls TODAY begins
    moments = begin + np.sort(np.random.default_rng(3).random(12))
    counts = [flow.of_disks(at) for at in moments.tolist()]
    for before, after in itertools.pairwise(counts):
        assert (after - before >= -1e-3).all()
    whole = flow.of_disks(begin + 1 - 1e-9) - flow.of_disks(begin)
    day = flow.demand.day(TODAY)
    np.testing.assert_allclose(whole[0], day.reads.sum(axis=1) * STEP_SECONDS, rtol=1e-4)
    busy = (day.ops * day.latency_ms / 1000).sum(axis=1) * STEP_SECONDS
    np.testing.assert_allclose(whole[COUNTED.index("busy_seconds")], busy, rtol=1e-4)
    apart = whole[COUNTED.index("read_seconds")] + whole[COUNTED.index("write_seconds")]
    np.testing.assert_allclose(apart, busy, rtol=1e-4)  # every operation is one or the other


def test_vms_and_volumes_count_what_their_disks_do(estate, flow):
    at = TODAY - 1 + 0.5
    disks = flow.of_disks(at)
    for machine in [m for m in estate.clusters[0].machines if m.is_on][:5]:
        own = [n for n, one in enumerate(flow.demand.disks) if one.machine is machine]
        np.testing.assert_allclose(flow.of_machine(machine.uuid, day=at), disks[:, own].sum(axis=1))
    off = next(m for m in estate.clusters[0].machines if not m.is_on)
    assert flow.of_machine(off.uuid, day=at) is None
    store = estate.clusters[0].datastores[0]
    own = [n for n, d in enumerate(flow.demand.disks) if d.disk.datastore is store]
    told = flow.of_volume(store.array, store.volume, day=at)
    np.testing.assert_allclose(told, disks[:4, own].sum(axis=1))


def test_drives_do_what_their_pools_are_asked_and_what_parity_costs(estate, flow):
    at = TODAY - 1 + 0.5
    uids, told = flow.of_drives(at)
    assert len(uids) == len(set(uids)) == told.shape[1]
    for array in estate.arrays:
        volumes = [v for pool in array.pools for v in pool.volumes]
        reads, writes, *moved = sum(flow.of_volume(array, v, day=at) for v in volumes)
        own = told[:, [uid.startswith(f"serial.{array.serial}-") for uid in uids]].sum(axis=1)
        np.testing.assert_allclose(own[:2], [reads + 3 * writes, 3 * writes])
        np.testing.assert_allclose(own[2:], [moved[0] + 3 * moved[1], 3 * moved[1]])
    assert (flow.of_drives(at + 0.1)[1] >= told - 1e-3).all()


def test_the_recorder_writes_two_weeks_and_today_up_to_now(estate, tmp_path):
    now = datetime.combine(ANCHOR_ON, time(10, 7), tzinfo=UTC)
    demand = Demand(estate)
    assert write_performance(estate, path=tmp_path / "a.parquet", now=now) == (
        len(demand.disks) * (DAYS + 1)
    )
    table = pa_parquet.read_table(tmp_path / "a.parquet")
    days = table.column("day").to_pylist()
    assert (min(days), max(days)) == (ANCHOR_ON - timedelta(days=DAYS), ANCHOR_ON)
    n_steps = dict(zip(days, (len(x) for x in table.column("read_iops").to_pylist()), strict=True))
    assert n_steps.pop(ANCHOR_ON) == 121  # 10:05 has begun
    assert set(n_steps.values()) == {STEPS_A_DAY}
    reads = np.array(table.column("read_iops")[0].as_py())
    np.testing.assert_allclose(reads, demand.day(TODAY - DAYS).reads[0], rtol=0.006)


def test_a_volume_that_is_set_does_no_more_from_then_on_and_what_it_counted_stands(
    estate, tmp_path
):
    kept = tmp_path / "limits.json"
    flow = Flow(estate, since=float(TODAY - 2), kept=kept)
    busiest = max(flow.demand.by_volume().values(), key=lambda rows: flow.demand.level[rows].sum())
    store = flow.demand.disks[busiest[0]].disk.datastore
    noon = TODAY - 1 + 0.501
    before = flow.of_volume(store.array, store.volume, day=noon)
    usual = flow.of_volume(store.array, store.volume, day=noon + 0.01) - before
    flow.restart(TODAY - 2)
    assert (flow.of_volume(store.array, store.volume, day=noon) == before).all()
    least = int(usual[:2].sum() / (0.01 * 86_400) / 2)
    flow.set_volume(store.volume, limits=(0, least))
    assert flow.limits_of(store.volume) == (0, least)
    at = [
        flow.of_volume(store.array, store.volume, day=noon + ahead) for ahead in (0, 0.0002, 0.01)
    ]
    assert (at[0] == before).all()  # nothing bears before anybody looks again
    assert (at[1] >= at[0]).all()
    rate = (at[2] - at[1])[:2].sum() / (0.0098 * 86_400)
    assert rate == pytest.approx(least, rel=0.01)
    again = Flow(estate, since=float(TODAY - 2), kept=kept)
    assert again.limits_of(store.volume) == (0, least)
