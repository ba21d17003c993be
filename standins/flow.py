"""What volumes, pools, ports and VMs count: what the disks on them are asked for, added up.

A volume without a disk of a VM on it does a little by itself, busier by day than by night; one
that nobody is mapped to does nothing.
"""

import math
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from standins.arrays import Array, Volume, drives_of
from standins.counters import Counters
from standins.demand import BASE_IOPS, BESIDE, SWING_OPS, Counts, Demand
from standins.estate import DAY_SECONDS, Estate
from standins.limits import Limits, keep_limits, kept_limits

READS, READ_BYTES, WRITE_BYTES = 0.7, 16 * 1024, 24 * 1024
HELD_SECONDS = 5  # figures of one moment are told for so long
N_COUNTED = 4  # reads, writes and the bytes of both
# What one small write costs with two parities: old data and both parities are read, then written.
READS_A_WRITE = WRITES_A_WRITE = 3
DRIVE_SPREAD = 11  # drives of a pool are not asked alike: so many steps of a hundredth apart
Groups = tuple[list[str], NDArray[np.intp]]  # names, and to which each disk belongs


@dataclass(slots=True, repr=False)
class Flow:
    """Counters of one estate, from the beginning of the day on which they are first asked."""

    estate: Estate
    since: float
    demand: Demand = field(init=False)
    kept: Path | None = None  # where volumes that are set otherwise are remembered
    _counters: Counters = field(init=False)
    _set: dict[str, Limits] = field(default_factory=dict)  # all that was set otherwise
    _wanted: dict[str, Limits] = field(default_factory=dict)  # of it, what does not bear yet
    _volumes: Groups = field(init=False)
    _machines: Groups = field(init=False)
    _moment: int = -1
    _by_volume: dict[str, Counts] = field(default_factory=dict)
    _by_machine: dict[str, Counts] = field(default_factory=dict)

    def __post_init__(self) -> None:
        """Count nothing yet."""
        self.since = math.floor(self.since)
        self.demand = Demand(self.estate)
        self._volumes = _groups([one.disk.datastore.volume.naa for one in self.demand.disks])
        self._machines = _groups([one.machine.uuid for one in self.demand.disks])
        self._set = kept_limits(self.kept)
        self.demand.set_volumes(self._set)
        self.restart(self.since)

    def restart(self, day: float) -> None:
        """Count from a moment on."""
        self._counters = Counters(self.demand, since=day)
        self.since, self._moment = day, -1

    def limits_of(self, volume: Volume) -> Limits | None:
        """Return to what a volume is set, None where to nothing."""
        return self._wanted.get(volume.naa) or self.demand.set_to.get(volume.naa)

    def set_volume(self, volume: Volume, *, limits: Limits) -> None:
        """Set a volume; it bears from the next time on that anybody looks at the counters."""
        self._wanted[volume.naa] = self._set[volume.naa] = limits
        keep_limits(self.kept, self._set)

    def of_disks(self, day: float) -> Counts:
        """Return (n_counters, n_disks) in the order of counters.COUNTED."""
        self._let_bear(day)
        return self._counters.at(day)

    def of_volume(self, array: Array, volume: Volume, *, day: float) -> Counts:
        """Return reads, writes and the bytes of both that a volume counted, (4,)."""
        self._sum_up(day)
        if volume.naa in self._by_volume:
            return self._by_volume[volume.naa]
        return base_counts(day, weight=weight_of(self.demand, array=array, volume=volume)) - (
            base_counts(self.since, weight=weight_of(self.demand, array=array, volume=volume))
        )

    def of_machine(self, uuid: str, *, day: float) -> Counts | None:
        """Return what all disks of a VM counted, (n_counters,); None of one that is off."""
        self._sum_up(day)
        return self._by_machine.get(uuid)

    def of_drives(self, day: float) -> tuple[list[str], Counts]:
        """Return the uids of all pooled drives, and reads, writes and bytes of each, (4, n)."""
        uids, counts = [], []
        for array in self.estate.arrays:
            of_pool = {
                pool.name: physical(
                    np.sum([self.of_volume(array, v, day=day) for v in pool.volumes], axis=0)
                )
                for pool in array.pools
                if pool.volumes
            }
            pooled = [
                (number, pool.name)
                for number, _, pool in drives_of(array)
                if pool is not None and pool.name in of_pool
            ]
            weights = dict.fromkeys(of_pool, 0.0)
            for number, name in pooled:
                weights[name] += weight_of_drive(number)
            for number, name in pooled:
                uids.append(f"serial.{array.serial}-D{number:04d}")
                counts.append(of_pool[name] * weight_of_drive(number) / weights[name])
        return uids, np.array(counts).T if counts else np.zeros((N_COUNTED, 0))

    def _sum_up(self, day: float) -> None:
        moment = int(day * DAY_SECONDS) // HELD_SECONDS
        if moment == self._moment:
            return
        at = max(moment * HELD_SECONDS / DAY_SECONDS, self._counters.since)
        counts = self._counters.at(at)
        self._let_bear(at)
        self._by_volume = _summed(counts[:N_COUNTED], self._volumes)
        self._by_machine = _summed(counts, self._machines)
        self._moment = moment

    def _let_bear(self, day: float) -> None:
        wanted, self._wanted = self._wanted, {}
        if wanted:
            self._counters.go_on(max(day, self._counters.since), limits=wanted)


def _groups(names: list[str]) -> Groups:
    found, of = np.unique(names, return_inverse=True)
    return found.tolist(), of


def _summed(counts: Counts, groups: Groups) -> dict[str, Counts]:
    names, of = groups
    sums = np.stack([np.bincount(of, weights=row, minlength=len(names)) for row in counts])
    return dict(zip(names, sums.T, strict=True))


def physical(counts: Counts) -> Counts:
    """Return what drives do for what a pool is asked: small writes with two parities, (4,)."""
    reads, writes, read_bytes, written_bytes = counts
    return np.array([
        reads + READS_A_WRITE * writes, WRITES_A_WRITE * writes,
        read_bytes + READS_A_WRITE * written_bytes, WRITES_A_WRITE * written_bytes,
    ])  # fmt: skip


def weight_of_drive(number: int) -> float:
    """Return how much a drive is asked for beside the others of its pool."""
    return 1 + (number * 37 % DRIVE_SPREAD - DRIVE_SPREAD // 2) / 100


def weight_of(demand: Demand, *, array: Array, volume: Volume) -> float:
    """Return how much a volume does by itself; one of an array without disks does it all."""
    if not volume.is_mapped:
        return 0.0
    return BESIDE if array.name in demand.arrays else 1.0


def base_counts(day: float, *, weight: float) -> Counts:
    """Return what a volume counted by itself since the beginning of the history, (4,)."""
    swing = SWING_OPS * (1 - math.cos(2 * math.pi * day))
    busy = weight * (day * DAY_SECONDS * BASE_IOPS + swing)
    reads, writes = busy * READS, busy * (1 - READS)
    return np.array([reads, writes, reads * READ_BYTES, writes * WRITE_BYTES])
