"""The stand-ins' measures: they end where the live estate begins."""

import itertools
import json
from datetime import UTC, datetime, time, timedelta

import numpy as np
import pytest

from standins.arrays import HISTORY_DAYS
from standins.estate import make_estate
from standins.flow import Flow
from standins.holding import held_bytes, snapshot_bytes
from standins.measures import STEPS_DAYS, TOLD_DAYS, measures
from standins.objects import BUCKETS
from standins.records import records, write_copies
from tests.conftest import ANCHOR_ON

EVE = HISTORY_DAYS - 1


@pytest.fixture(scope="module")
def estate():
    return make_estate(size="demo", anchor_on=ANCHOR_ON)


@pytest.fixture(scope="module")
def lines(estate):
    return list(measures(estate, last_day=EVE))


def told(lines, measure):
    return {line["uid"]: line["amounts"] for line in lines if line.get("measure") == measure}


def test_hosts_tell_the_busy_hours_of_disks_up_to_the_days_of_which_they_tell_every_step(lines):
    told_of = {line["uid"]: line for line in lines if line.get("measure") == "iops"}
    disks = [line for uid, line in told_of.items() if uid.startswith("path.")]
    assert {len(line["amounts"]) for line in disks} == {TOLD_DAYS}
    last = EVE - STEPS_DAYS - TOLD_DAYS + 1
    assert {line["first_on"] for line in disks} == {
        (ANCHOR_ON + timedelta(days=last - HISTORY_DAYS)).isoformat()
    }
    grown = [line["amounts"] for line in disks if line["amounts"][-1] > 2 * line["amounts"][0] > 40]
    assert grown


def test_every_array_tells_its_io_up_to_its_last_day(estate, lines):
    iops = {
        uid: amounts for uid, amounts in told(lines, "iops").items() if uid.startswith("serial.")
    }
    assert iops.keys() == told(lines, "throughput").keys()
    for array in estate.arrays:
        amounts = iops[f"serial.{array.serial}"]
        assert len(amounts) == HISTORY_DAYS + 1 - array.story.history_ends_days_back
        assert min(amounts) > 0


def test_io_ends_at_what_the_counters_do_in_the_busy_part_of_a_day(estate, lines):
    iops = told(lines, "iops")
    steps = np.arange(289) / 288 + EVE - 1  # the day that ends at the eve
    flow = Flow(estate, since=EVE - 1)
    arrays = estate.arrays[:3]
    ops = np.array([
        [
            sum(flow.of_volume(array, one, day=day)[:2].sum()
                for pool in array.pools for one in pool.volumes)
            for array in arrays
        ]
        for day in steps.tolist()
    ])  # fmt: skip
    busy = np.quantile(np.diff(ops, axis=0) / 300, 0.95, axis=0)
    for array, wanted in zip(arrays, busy.tolist(), strict=True):
        assert iops[f"serial.{array.serial}"][-1] == pytest.approx(wanted, rel=0.08)


def test_what_vms_are_promised_grows_to_what_they_have_now(estate, lines):
    cpu, memory = told(lines, "cpu"), told(lines, "memory")
    for cluster in estate.clusters:
        uid = f"id.cluster/{cluster.story.name}"
        running = [
            machine
            for machine in cluster.machines
            if machine.is_on and machine.host != cluster.story.faulted_host
        ]
        assert cpu[uid][-1] == sum(machine.n_cpus for machine in running)
        assert memory[uid][-1] == sum(machine.memory_bytes for machine in running)
        assert all(a <= b for a, b in itertools.pairwise(cpu[uid]))
        assert cpu[uid][0] == pytest.approx(
            cluster.story.n_vms_share_before * cpu[uid][-1], rel=0.06
        )


def test_snapshots_end_at_what_the_pool_tells_live(estate, lines):
    held = told(lines, "snapshots")
    keepers = [pool for array in estate.arrays for pool in array.pools if pool.story.snapshot_share]
    assert held.keys() == {f"uuid.{pool.uuid}" for pool in keepers}
    for pool in keepers:
        assert held[f"uuid.{pool.uuid}"][-1] == snapshot_bytes(pool, day=EVE)
        assert held[f"uuid.{pool.uuid}"][-1] > held[f"uuid.{pool.uuid}"][0]


def test_tiers_add_up_to_the_bytes_of_their_bucket(lines):
    used = {line["uid"]: line["used_bytes"] for line in lines if line["doc"] == "readings"}
    for name in BUCKETS:
        uid = f"id.bucket/satellite/{name}"
        tiers = [told(lines, f"objects_{tier}").get(uid) for tier in ("hot", "warm", "cold")]
        sums = np.sum([tier for tier in tiers if tier is not None], axis=0)
        np.testing.assert_array_equal(sums, used[uid])
        assert used[uid][-1] > used[uid][0]


def test_disks_hold_what_their_records_say_of_them(estate, lines):
    used = {line["uid"]: line for line in lines if line["doc"] == "readings"}
    machine = next(m for m in estate.clusters[0].machines if m.is_on)
    disk = machine.disks[0]
    line = used[f"path.{machine.uuid}:{disk.slot}"]
    written = int(disk.datastore.volume.curve_bytes[EVE])
    assert line["used_bytes"][-1] == held_bytes(disk, written=written)
    assert all(x is None or 0 <= x <= disk.size_bytes for x in line["used_bytes"])


def test_nobody_hears_of_a_faulted_hosts_guests(estate, lines):
    uids = {line["uid"] for line in lines}
    cluster = next(c for c in estate.clusters if c.story.faulted_host)
    hidden = [m for m in cluster.machines if m.host == cluster.story.faulted_host]
    assert hidden
    assert not {f"path.{m.uuid}:{d.slot}" for m in hidden for d in m.disks} & uids


def test_records_tell_what_each_array_can_sustain(estate):
    now = datetime.combine(ANCHOR_ON, time(7), tzinfo=UTC) + timedelta(hours=1)
    told_of = {
        line["uid"]: line["says"]["sustainable_iops"]
        for line in records(estate, now=now)
        if line["doc"] == "about" and "sustainable_iops" in line["says"]
    }
    assert told_of.keys() == {f"serial.{array.serial}" for array in estate.arrays}
    assert all(amount > 0 for amount in told_of.values())


def test_every_copy_goes_on_but_the_one_that_is_late(estate, tmp_path):
    now = datetime.now(UTC)
    before = write_copies(estate, folder=tmp_path, now=now - timedelta(minutes=30))
    path = write_copies(estate, folder=tmp_path, now=now)
    assert not before.exists()  # one file alone is told
    lines = [json.loads(line) for line in path.read_text().splitlines()]
    ages = [
        now - datetime.fromisoformat(line["started_at"])
        for line in lines
        if line["doc"] == "protection"
    ]
    late = [age for age in ages if age > timedelta(hours=4)]
    assert len(late) == (1 if len(ages) > 6 else 0)
