"""What every disk is asked for, and how long it takes: a day of five-minute steps at a time.

A disk's work has a daily and a weekly course, sizes and a share of reads of its kind; all disks
of an array share what the array can do. A limit lets no more through, the rest waits in line.
The same day is always the same, however often and from wherever it is asked for.
"""

import hashlib
import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from standins.arrays import HISTORY_DAYS, Array
from standins.compute import Cluster, Disk, Machine
from standins.estate import DAY_SECONDS, Estate
from standins.limits import TIERS, Limits, tier_of, volumes_set

Floats = NDArray[np.float32]
Counts = NDArray[np.float64]
STEPS_A_DAY = 288
STEP_SECONDS = 300
SATURDAY, DAYS_A_WEEK = 5, 7
HOUR_STEPS = 12
KIB = 1024
MEAN_IOPS = 40.0
LINE_SECONDS = 0.25  # who waits longer asks for less
NETWORK_MS = 0.08
NETWORK_BYTES_PER_MS = 1.2e6
QUEUE_MS, QUEUE_IOPS = 0.04, 900.0
ARRAY_MS = {"Swift": 0.35, "Steady": 0.95, "Deep": 6.0}
SPARE = 3.2  # what an array could do beside what its disks ask for in the mean


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """A kind of work: when, how much of it reads, and in what sizes."""

    hours: tuple[tuple[float, float, float], ...]  # middle, width and height of each hump
    weekend: float  # share of a weekday that is done on one
    reads: float
    read_bytes: int
    write_bytes: int
    floor: float = 0.08  # share of the mean that goes on at any time
    bursts: float = 0.25  # spread of single steps


OFFICE = ((10.5, 1.9, 1.0), (15.0, 2.1, 0.9))
WORKS = {
    "ledger": Work(hours=OFFICE, weekend=0.15, reads=0.62, read_bytes=8 * KIB,
                   write_bytes=8 * KIB),
    "pages": Work(hours=((12.0, 3.0, 0.8), (20.0, 2.2, 1.0)), weekend=1.15, reads=0.9,
                  read_bytes=16 * KIB, write_bytes=12 * KIB, floor=0.2),
    "files": Work(hours=OFFICE, weekend=0.05, reads=0.7, read_bytes=32 * KIB,
                  write_bytes=48 * KIB),
    "survey": Work(hours=((3.0, 1.2, 1.0), (14.0, 0.8, 0.7)), weekend=0.8, reads=0.25,
                   read_bytes=128 * KIB, write_bytes=256 * KIB, floor=0.02, bursts=0.6),
    "gauge": Work(hours=(), weekend=1.0, reads=0.1, read_bytes=4 * KIB, write_bytes=4 * KIB,
                  floor=1.0, bursts=0.1),
    "system": Work(hours=((1.5, 0.4, 1.0),), weekend=1.0, reads=0.5, read_bytes=24 * KIB,
                   write_bytes=12 * KIB, floor=0.3, bursts=0.5),
}  # fmt: skip
OF_WORD = {
    "scene": "survey", "tile": "pages", "catalog": "ledger", "sonar": "survey", "chart": "files",
    "grid": "survey", "gauge": "gauge", "alert": "gauge", "surge": "survey", "web": "pages",
    "cache": "pages", "feed": "pages", "desk": "files", "mail": "ledger", "ledger": "ledger",
}  # fmt: skip
TOGETHER_WORD, TOGETHER_SLOT = "tile", "vdc"
UNTIERED_EVERY = 61  # of the disks with work of their own, nobody put one in so many into any
ODD_EVERY, ODD = 9, "Rill"  # of those, one in so many is said to be in a tier of this name
MISJUDGED_EVERY = 29  # one disk in so many is in the tier below
SYSTEM_SHARE = 0.15  # of a data disk's work, that a VM's first disk has
GROWS_EVERY = 9  # of the disks near the most of their tier, one in so many asks for more and more
NEAR = (0.7, 0.85)  # of that most, what such a disk does when it is busy
GROWS_A_YEAR, LEAST_SHARE = 2.5, 0.15  # of what it does now
HELD_EVERY = 97  # one disk in so many is asked for more than its limit lets through
WRITE_SHARE = 0.6  # of the array's time for a read, that a write takes there
HELD_SHARE = 0.75  # of its busiest mean step, that the limit of such a disk lets through


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """A disk that is read: whose it is and what its work is."""

    machine: Machine
    disk: Disk
    work: Work
    array: str
    cluster: str

    @property
    def may_share(self) -> bool:
        """Whether it could be in a tier that all its disks share."""
        return self.machine.name.startswith(TOGETHER_WORD) and self.disk.slot == TOGETHER_SLOT

    @property
    def uid(self) -> str:
        """What the hosts call it."""
        return f"path.{self.machine.uuid}:{self.disk.slot}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Day:
    """Steps of one day, every array (n_disks, 288): operations a second and milliseconds."""

    reads: Floats
    writes: Floats
    array_ms: Floats
    network_ms: Floats
    queue_ms: Floats
    qos_ms: Floats

    @property
    def latency_ms(self) -> Floats:
        """What one operation takes in all."""
        return self.array_ms + self.network_ms + self.queue_ms + self.qos_ms

    @property
    def ops(self) -> Floats:
        """Reads and writes a second."""
        return self.reads + self.writes

    @property
    def read_ms(self) -> Floats:
        """What one read takes in all: the array keeps writes in its memory and tells them done."""
        return self._read_array_ms + self.network_ms + self.queue_ms + self.qos_ms

    @property
    def write_ms(self) -> Floats:
        """What one write takes in all."""
        beside = self.network_ms + self.queue_ms + self.qos_ms
        told: Floats = self._read_array_ms * np.float32(WRITE_SHARE) + beside
        return told

    @property
    def _read_array_ms(self) -> Floats:
        weighed = self.reads + np.float32(WRITE_SHARE) * self.writes
        share = np.divide(self.ops, weighed, out=np.ones_like(weighed), where=weighed > 0)
        told: Floats = self.array_ms * share
        return told


BASE_IOPS = 220  # of a volume by itself
SWING_OPS = 3_000_000  # between night and day
BESIDE = 0.2  # of that, what a volume does where its array works for disks
BUSY_SHARE = 0.95  # a twentieth of a day is busier
HALVINGS = 40


@dataclass(slots=True, repr=False)
class Demand:
    """All disks of an estate that are asked for anything."""

    estate: Estate
    disks: list[Asked] = field(default_factory=list)
    arrays: set[str] = field(default_factory=set)  # names of those on which any of them lies
    limits: dict[str, float] = field(default_factory=dict)  # operations a second, by disk
    level: Floats = field(init=False)  # operations a second in the mean, (n_disks,)
    tiers: dict[str, str] = field(default_factory=dict)  # by disk
    growing: list[int] = field(default_factory=list)  # rows
    odd: dict[str, str] = field(default_factory=dict)  # names of tiers that are nowhere written
    set_to: dict[str, Limits] = field(default_factory=dict)  # by volume
    _days: dict[int, Day] = field(default_factory=dict)

    def __post_init__(self) -> None:
        """Find the disks, and plant limits that hold some of them back."""
        self.disks = [one for cluster in self.estate.clusters for one in _asked(cluster)]
        self.arrays = {one.array for one in self.disks}
        self.level = self._spread()
        self.level *= self._share_of_arrays()
        for at, (one, mean) in enumerate(zip(self.disks, self.level.tolist(), strict=True)):
            busiest = mean * _busiest(one.work)
            if at % UNTIERED_EVERY:
                is_misjudged = at % MISJUDGED_EVERY == 0
                self.tiers[one.uid] = tier_of(
                    busiest=busiest, is_system=one.work is WORKS["system"],
                    may_share=one.may_share, is_misjudged=is_misjudged,
                )  # fmt: skip
            elif at % (UNTIERED_EVERY * ODD_EVERY) == 0:
                self.odd[one.uid] = ODD
            tier = self.tiers.get(one.uid)
            if at % HELD_EVERY == HELD_EVERY // 2:
                self.limits[one.uid] = max(20.0, round(busiest * HELD_SHARE))
            elif tier is not None and tier in TIERS:
                self.limits[one.uid] = float(TIERS[tier][1])
                share = busiest / TIERS[tier][1]
                if one.work is not WORKS["system"] and NEAR[0] <= share <= NEAR[1]:
                    self.growing.append(at)
        self.growing = self.growing[::GROWS_EVERY]
        self.set_to = volumes_set(
            self.by_volume(),
            tiers=[self.tiers.get(one.uid, "") for one in self.disks],
            usual=[
                level * _busiest(one.work)
                for one, level in zip(self.disks, self.level.tolist(), strict=True)
            ],
        )

    def set_volumes(self, limits: Mapping[str, Limits]) -> None:
        """Set volumes otherwise; what is asked for stays, what is done is told anew."""
        self.set_to |= limits
        self._days.clear()

    @property
    def sizes(self) -> tuple[Floats, Floats]:
        """Bytes of a read and of a write of each disk, (n_disks, 1)."""
        told = np.array([(d.work.read_bytes, d.work.write_bytes) for d in self.disks], np.float32)
        return told[:, :1], told[:, 1:]

    def day(self, number: int) -> Day:
        """Return a day by the index that ``Estate.on`` knows; the last few are kept."""
        if number not in self._days:
            while len(self._days) > 1:
                self._days.pop(next(iter(self._days)))
            self._days[number] = self._made(number)
        return self._days[number]

    def usual(self, array: str, *, weekday: int) -> NDArray[np.float64]:
        """Return what the disks of an array are asked for in the mean on a weekday, (288,)."""
        asked = np.zeros(STEPS_A_DAY)
        for one, level in zip(self.disks, self.level.tolist(), strict=True):
            if one.array == array:
                asked += level * _course(one.work, weekday=weekday, uid=one.uid)
        return asked

    def share_of_weekdays(self, array: Array) -> NDArray[np.float64]:
        """Return how busy an array is from Monday to Sunday, as shares of a Monday, (7,)."""
        if array.name not in self.arrays:
            return np.ones(DAYS_A_WEEK)
        beside = beside_iops(array, disks=self._volumes)
        busy = [
            np.quantile(self.usual(array.name, weekday=day) + beside, BUSY_SHARE)
            for day in range(DAYS_A_WEEK)
        ]
        return np.array(busy) / busy[0]

    @property
    def _volumes(self) -> set[int]:
        return {id(one.disk.datastore.volume) for one in self.disks}

    def by_volume(self) -> dict[str, list[int]]:
        """Return the rows of the disks on each volume, by its worldwide name."""
        rows: dict[str, list[int]] = {}
        for row, one in enumerate(self.disks):
            rows.setdefault(one.disk.datastore.volume.naa, []).append(row)
        return rows

    def _share_of_arrays(self) -> Floats:
        """By how much disks work more or less, so that arrays are as busy as they tell."""
        share = {}
        for array in self.estate.arrays:
            if array.name not in self.arrays:
                continue
            usual = self.usual(array.name, weekday=0)
            wanted = busy_iops(array)
            beside = beside_iops(array, disks=self._volumes)
            low, high = 0.0, wanted / usual.mean()
            for _ in range(HALVINGS):
                middle = (low + high) / 2
                is_over = np.quantile(middle * usual + beside, BUSY_SHARE) > wanted
                low, high = (low, middle) if is_over else (middle, high)
            share[array.name] = (low + high) / 2
        return np.array([share[one.array] for one in self.disks], dtype=np.float32)

    def _spread(self) -> Floats:
        """Operations a second of each disk in the mean, as they would be by themselves."""
        seeds = [_seed(one.uid) for one in self.disks]
        spread = np.array([np.random.default_rng(s).normal() for s in seeds])
        share = np.array([SYSTEM_SHARE if d.work is WORKS["system"] else 1 for d in self.disks])
        level: Floats = (MEAN_IOPS * 0.45 * np.exp(1.1 * spread) * share).astype(np.float32)
        return level

    def _made(self, number: int) -> Day:
        rng = np.random.default_rng([_seed("demand"), number])
        weekday = self.estate.on(number).weekday()
        course = np.stack([_course(d.work, weekday=weekday, uid=d.uid) for d in self.disks])
        spread = np.array([[d.work.bursts] for d in self.disks])
        noise = np.exp(spread * rng.normal(size=course.shape) - spread**2 / 2)
        wanted = (self.level * self.share_on(number))[:, None] * course * noise
        served, qos_ms = self._let_through(wanted)
        choked_ms = self._choke(served)
        reads = served * np.array([[d.work.reads] for d in self.disks])
        array_ms = self._array_ms(served, rng=rng)
        size = [[max(d.work.read_bytes, d.work.write_bytes)] for d in self.disks]
        network_ms = NETWORK_MS + np.array(size) / NETWORK_BYTES_PER_MS + 0 * served
        queue_ms = QUEUE_MS * (1 + served / QUEUE_IOPS) ** 2 + choked_ms
        parts = (reads, served - reads, array_ms, network_ms, queue_ms, qos_ms)
        names = ("reads", "writes", "array_ms", "network_ms", "queue_ms", "qos_ms")
        return Day(**{n: p.astype(np.float32) for n, p in zip(names, parts, strict=True)})

    def share_on(self, number: int) -> Floats:
        """Return how much disks are asked for on a day, as shares of the eve of the anchor."""
        told = np.ones(len(self.disks), dtype=np.float32)
        told[self.growing] = max(LEAST_SHARE, 1 + GROWS_A_YEAR * (number - HISTORY_DAYS + 1) / 365)
        return told

    def _let_through(self, wanted: NDArray[np.float64]) -> tuple[NDArray[np.float64], ...]:
        """Hold back what is over a limit: it waits in line and comes with the steps after."""
        served, delay_ms = wanted.copy(), np.zeros_like(wanted)
        for row, one in enumerate(self.disks):
            limit = self.limits.get(one.uid)
            if limit is None:
                continue
            line = 0.0  # operations
            for at, asked in enumerate(wanted[row].tolist()):
                line = min(max(0.0, line + (asked - limit) * STEP_SECONDS), LINE_SECONDS * limit)
                served[row, at] = min(limit, asked) if line == 0 else limit
                delay_ms[row, at] = 1000 * line / limit
        return served, delay_ms

    def _choke(self, served: NDArray[np.float64]) -> NDArray[np.float64]:
        """Cut what passes a volume's limit, all alike, in place; return what they wait for it."""
        waits = np.zeros_like(served)
        for naa, rows in self.by_volume().items():
            if naa not in self.set_to:
                continue
            share = self.set_to[naa][1] / np.maximum(served[rows].sum(axis=0), 1e-9)
            is_over = share < 1
            if is_over.any():
                served[np.ix_(rows, is_over)] *= share[is_over]
                waits[np.ix_(rows, is_over)] = 1000 * LINE_SECONDS
        return waits

    def _array_ms(
        self, served: NDArray[np.float64], *, rng: np.random.Generator
    ) -> NDArray[np.float64]:
        names = sorted({one.array for one in self.disks})
        of = np.array([names.index(one.array) for one in self.disks])
        base = np.array([[ARRAY_MS[d.disk.datastore.pool.story.service_class]]
                         for d in self.disks])  # fmt: skip
        load = np.zeros((len(names), STEPS_A_DAY))
        np.add.at(load, of, served)
        usual = np.bincount(of, weights=self.level, minlength=len(names))[:, None]
        busy = np.clip(load / (SPARE * np.maximum(usual, 1)), 0, 0.95)
        waits: NDArray[np.float64] = (
            base
            * (1 + busy[of] ** 2 / (1 - busy[of]))
            * np.exp(0.12 * rng.normal(size=served.shape))
        )
        return waits


def busy_iops(array: Array) -> float:
    """Return what an array does in the busy part of a weekday."""
    n_volumes = sum(len(pool.volumes) for pool in array.pools)
    busy = math.cos(math.pi * (1 - BUSY_SHARE))
    return n_volumes * (BASE_IOPS + SWING_OPS * 2 * math.pi / DAY_SECONDS * busy)


def beside_iops(array: Array, *, disks: set[int]) -> NDArray[np.float64]:
    """Return what volumes without disks do by themselves where others have some, (288,)."""
    turn = 2 * math.pi * np.arange(STEPS_A_DAY) / STEPS_A_DAY
    n = sum(v.is_mapped and id(v) not in disks for pool in array.pools for v in pool.volumes)
    rate: NDArray[np.float64] = BASE_IOPS + SWING_OPS * 2 * math.pi / DAY_SECONDS * np.sin(turn)
    return BESIDE * n * rate


def _asked(cluster: Cluster) -> list[Asked]:
    """The disks of the VMs that are on and whose hosts answer."""
    return [
        Asked(
            machine=machine,
            disk=disk,
            work=WORKS["system" if disk.slot == "vda" and len(machine.disks) > 1 else
                       OF_WORD[machine.name.split("-")[0]]],
            array=disk.datastore.array.name,
            cluster=cluster.story.name,
        )
        for machine in cluster.machines
        if machine.is_on and machine.host != cluster.story.faulted_host
        for disk in machine.disks
    ]  # fmt: skip


def _course(work: Work, *, weekday: int, uid: str) -> NDArray[np.float64]:
    """How a day goes, 1 in the mean of a weekday, (288,)."""
    hour = np.arange(STEPS_A_DAY) / HOUR_STEPS - (_seed(f"shift/{uid}") % 120 - 60) / 60
    humps = np.zeros(STEPS_A_DAY)
    for middle, width, height in work.hours:
        away = np.abs((hour - middle + 12) % 24 - 12)
        humps += height * np.exp(-((away / width) ** 2))
    shape = (
        work.floor + (1 - work.floor) * humps / (humps.mean() or 1.0)
        if work.hours
        else (np.ones(STEPS_A_DAY))
    )
    return shape * (work.weekend if weekday >= SATURDAY else 1.0)


def _busiest(work: Work) -> float:
    return float(_course(work, weekday=1, uid="").max())


def _seed(key: str) -> int:
    return int(hashlib.sha256(key.encode()).hexdigest()[:8], 16)
