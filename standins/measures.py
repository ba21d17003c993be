"""The history of what is read beside bytes: I/O, CPU, memory, snapshots, tiers, disks."""

import hashlib
from collections.abc import Iterator
from typing import Any

import numpy as np

from standins.arrays import HISTORY_DAYS, Array
from standins.compute import Cluster, Machine
from standins.demand import BUSY_SHARE, SATURDAY, Demand, busy_iops
from standins.estate import Estate
from standins.flow import READ_BYTES, READS, WRITE_BYTES
from standins.holding import held_bytes, snapshot_bytes
from standins.objects import ACCOUNT, BUCKETS, TIERS, age_days, size_bytes

Document = dict[str, Any]  # one line of an estate file; its schema is published with the product
NOISE_SHARE = 0.012
TOLD_DAYS = 110  # hosts tell the busy hours of their disks
STEPS_DAYS = 13  # and of so many days every step, from which they are reckoned
A_WEEK = 7
FIRST_DAY = 0


def measures(estate: Estate, *, last_day: int) -> Iterator[Document]:
    """Yield measures and disk readings up to a day; what they are of is told of elsewhere."""
    demand = Demand(estate)
    for array in estate.arrays:
        yield from _io(estate, array=array, demand=demand, last_day=_last_told(array, eve=last_day))
        for pool in array.pools:
            if pool.story.snapshot_share:
                days = range(pool.first_day, last_day + 1)
                held = [snapshot_bytes(pool, day=day) for day in days]
                yield _line(estate, f"uuid.{pool.uuid}", "snapshots", held, first=pool.first_day)
    for cluster in estate.clusters:
        yield from _promised(estate, cluster=cluster, last_day=last_day)
        for machine in _seen(cluster):
            yield from _disks(estate, machine=machine, last_day=last_day)
    yield from _busy(demand, last_day=last_day)
    yield from _tiers(estate, last_day=last_day)


def _last_told(array: Array, *, eve: int) -> int:
    """The last day of an array's history: one ends a few days early."""
    return eve + 1 - array.story.history_ends_days_back


def _line(
    estate: Estate, uid: str, measure: str, amounts: list[int], *, first: int = FIRST_DAY
) -> Document:
    return {
        "doc": "measures", "uid": uid, "measure": measure,
        "first_on": estate.on(first).isoformat(), "amounts": amounts,
    }  # fmt: skip


def _io(estate: Estate, *, array: Array, demand: Demand, last_day: int) -> Iterator[Document]:
    """What an array did in the busy part of each day, ending at what it does now."""
    rng = np.random.default_rng(int(hashlib.sha256(array.name.encode()).hexdigest()[:8], 16))
    days = np.arange(FIRST_DAY, last_day + 1)
    level = busy_iops(array) * (
        1 - array.story.io_growth_share_per_year * (HISTORY_DAYS - 1 - days) / 365
    )
    by_weekday = demand.share_of_weekdays(array)
    level *= by_weekday[[estate.on(day).weekday() for day in days.tolist()]]
    iops = np.maximum(level * (1 + rng.normal(0, NOISE_SHARE, len(days))), 0)
    bytes_an_operation = READS * READ_BYTES + (1 - READS) * WRITE_BYTES
    uid = f"serial.{array.serial}"
    yield _line(estate, uid, "iops", [round(x) for x in iops.tolist()])
    yield _line(estate, uid, "throughput", [round(x * bytes_an_operation) for x in iops.tolist()])


def _busy(demand: Demand, *, last_day: int) -> Iterator[Document]:
    """What the disks of the cluster with the most of those that grow did in the busy hours."""
    estate, rows = demand.estate, {one.uid: at for at, one in enumerate(demand.disks)}
    growing = {demand.disks[at].uid for at in demand.growing}
    mine = max(
        ([one.uid for one in demand.disks if one.cluster == cluster.story.name]
         for cluster in estate.clusters),
        key=lambda uids: len(growing & set(uids)),
    )  # fmt: skip
    usual = _usual(demand, last_day=last_day)
    days = np.arange(last_day - STEPS_DAYS - TOLD_DAYS + 1, last_day - STEPS_DAYS + 1)
    share = np.stack([demand.share_on(day) for day in days.tolist()], axis=1)
    at = [int(estate.on(day).weekday() >= SATURDAY) for day in days.tolist()]
    rng = np.random.default_rng(int(hashlib.sha256(b"busy").hexdigest()[:8], 16))
    noise = 1 + rng.normal(0, NOISE_SHARE, share.shape)
    told = np.rint(usual[:, at] * share * noise).astype(np.int64)
    for uid in mine:
        yield _line(estate, uid, "iops", told[rows[uid]].tolist(), first=int(days[0]))


def _usual(demand: Demand, *, last_day: int) -> Any:  # Any: NumPy's own
    """What disks do in the busy hours of a weekday and of a weekend day, (n_disks, 2)."""
    told = []
    for is_weekend in (False, True):
        day = next(
            day for day in range(last_day, last_day - A_WEEK, -1)
            if (demand.estate.on(day).weekday() >= SATURDAY) == is_weekend
        )  # fmt: skip
        done = np.quantile(demand.day(day).ops, BUSY_SHARE, axis=1)
        told.append(done / demand.share_on(day))
    return np.stack(told, axis=1)


def _seen(cluster: Cluster) -> list[Machine]:
    return [m for m in cluster.machines if m.host != cluster.story.faulted_host]


def _promised(estate: Estate, *, cluster: Cluster, last_day: int) -> Iterator[Document]:
    """CPUs and memory of the VMs that are on; they came one by one."""
    running = [machine for machine in _seen(cluster) if machine.is_on]
    before = cluster.story.n_vms_share_before
    cpu, memory = [], []
    for day in range(FIRST_DAY, last_day + 1):
        share = min(1.0, before + (1 - before) * day / (HISTORY_DAYS - 1))
        there = running[: round(share * len(running))]
        cpu.append(sum(machine.n_cpus for machine in there))
        memory.append(sum(machine.memory_bytes for machine in there))
    uid = f"id.cluster/{cluster.story.name}"
    yield _line(estate, uid, "cpu", cpu)
    yield _line(estate, uid, "memory", memory)


def _disks(estate: Estate, *, machine: Machine, last_day: int) -> Iterator[Document]:
    for disk in machine.disks:
        pool = disk.datastore.pool
        last = _last_told(disk.datastore.array, eve=last_day)
        curve = disk.datastore.volume.curve_bytes
        days = range(pool.first_day, last + 1)
        yield {
            "doc": "readings",
            "uid": f"path.{machine.uuid}:{disk.slot}",
            "first_on": estate.on(pool.first_day).isoformat(),
            "used_bytes": [
                held_bytes(disk, written=int(curve[day])) if pool.is_read[day] else None
                for day in days
            ],
        }


def _tiers(estate: Estate, *, last_day: int) -> Iterator[Document]:
    """What the objects of today had brought together on each day before."""
    n_days = last_day + 1 - FIRST_DAY
    for name, (n_objects, mean_bytes, classes) in BUCKETS.items():
        uid = f"id.bucket/{ACCOUNT}/{name}"
        by_tier = {TIERS[kind]: np.zeros(n_days, dtype=np.int64) for kind in classes}
        for number in range(n_objects):
            key = f"{number:06d}"
            born = max(0, HISTORY_DAYS - age_days(name, key) - FIRST_DAY)
            tier = TIERS[classes[number % len(classes)]]
            by_tier[tier][born:] += size_bytes(name, key, mean_bytes=mean_bytes)
        for tier, held in by_tier.items():
            yield _line(estate, uid, f"objects_{tier}", held.tolist())
        yield {
            "doc": "readings", "uid": uid,
            "first_on": estate.on(FIRST_DAY).isoformat(),
            "used_bytes": sum(by_tier.values(), np.zeros(n_days, dtype=np.int64)).tolist(),
        }  # fmt: skip
