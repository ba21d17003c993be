"""What every disk is asked for, and how long it takes: a day of five-minute steps at a time.

A disk's work has a daily and a weekly course, sizes and a share of reads of its kind; all disks
of an array share what the array can do. A limit lets no more through, the rest waits in line.
The same day is always the same, however often and from wherever it is asked for.
"""

import hashlib
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from standins.compute import Cluster, Disk, Machine
from standins.estate import Estate

Floats = NDArray[np.float32]
Counts = NDArray[np.float64]
STEPS_A_DAY = 288
STEP_SECONDS = 300
SATURDAY = 5
HOUR_STEPS = 12
KIB = 1024
MEAN_IOPS = 40.0
LINE_SECONDS = 2.0  # who waits longer asks for less
NETWORK_MS = 0.08
NETWORK_BYTES_PER_MS = 1.2e6
QUEUE_MS, QUEUE_IOPS = 0.04, 900.0
ARRAY_MS = {"Swift": 0.35, "Steady": 0.95, "Deep": 6.0}
SPARE = 1.7  # what an array could do beside what its disks ask for in the mean


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
SYSTEM_SHARE = 0.15  # of a data disk's work, that a VM's first disk has
HELD_EVERY = 97  # one disk in so many is asked for more than its limit lets through
HELD_SHARE = 0.75  # of its busiest mean step, that the limit of such a disk lets through


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """A disk that is read: whose it is and what its work is."""

    machine: Machine
    disk: Disk
    work: Work
    array: str

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


COUNTED = (
    "reads", "writes", "read_bytes", "written_bytes", "busy_seconds", "array_seconds",
    "network_seconds", "queue_seconds", "qos_seconds",
)  # fmt: skip


@dataclass(slots=True)
class Demand:
    """All disks of an estate that are asked for anything."""

    estate: Estate
    disks: list[Asked] = field(default_factory=list)
    limits: dict[str, float] = field(default_factory=dict)  # operations a second, by disk
    _days: dict[int, Day] = field(default_factory=dict)

    def __post_init__(self) -> None:
        """Find the disks, and plant limits that hold some of them back."""
        self.disks = [one for cluster in self.estate.clusters for one in _asked(cluster)]
        level = self._level()
        for at, (one, mean) in enumerate(zip(self.disks, level.tolist(), strict=True)):
            if at % HELD_EVERY == HELD_EVERY // 2:
                self.limits[one.uid] = max(20.0, round(mean * _busiest(one.work) * HELD_SHARE))

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

    def _level(self) -> Floats:
        """Operations a second of each disk in the mean, (n_disks,)."""
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
        wanted = self._level()[:, None] * course * noise
        served, qos_ms = self._let_through(wanted)
        reads = served * np.array([[d.work.reads] for d in self.disks])
        array_ms = self._array_ms(served, rng=rng)
        size = [[max(d.work.read_bytes, d.work.write_bytes)] for d in self.disks]
        network_ms = NETWORK_MS + np.array(size) / NETWORK_BYTES_PER_MS + 0 * served
        queue_ms = QUEUE_MS * (1 + served / QUEUE_IOPS) ** 2
        parts = (reads, served - reads, array_ms, network_ms, queue_ms, qos_ms)
        names = ("reads", "writes", "array_ms", "network_ms", "queue_ms", "qos_ms")
        return Day(**{n: p.astype(np.float32) for n, p in zip(names, parts, strict=True)})

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

    def _array_ms(
        self, served: NDArray[np.float64], *, rng: np.random.Generator
    ) -> NDArray[np.float64]:
        names = sorted({one.array for one in self.disks})
        of = np.array([names.index(one.array) for one in self.disks])
        base = np.array([[ARRAY_MS[d.disk.datastore.pool.story.service_class]]
                         for d in self.disks])  # fmt: skip
        load = np.zeros((len(names), STEPS_A_DAY))
        np.add.at(load, of, served)
        usual = np.bincount(of, weights=self._level(), minlength=len(names))[:, None]
        busy = np.clip(load / (SPARE * np.maximum(usual, 1)), 0, 0.95)
        waits: NDArray[np.float64] = (
            base
            * (1 + busy[of] ** 2 / (1 - busy[of]))
            * np.exp(0.12 * rng.normal(size=served.shape))
        )
        return waits


@dataclass(slots=True)
class Counters:
    """What every disk did since a moment, summed up as hosts count it."""

    demand: Demand
    since: float  # a day index with its fraction, as ``Estate.day_of`` tells
    _whole: dict[int, Counts] = field(default_factory=dict)

    def at(self, day: float) -> Counts:
        """Return (n_counters, n_disks) in the order of COUNTED."""
        first, last = int(np.floor(self.since)), int(np.floor(day))
        told = -self._within(self.since)
        for number in range(first, last):
            if number not in self._whole:
                self._whole[number] = self._steps(number).sum(axis=2)
            told = told + self._whole[number]
        so_far: Counts = told + self._within(day)
        return so_far

    def _within(self, day: float) -> Counts:
        """What was done of a day so far; within a step evenly."""
        number = int(np.floor(day))
        done = (day - number) * STEPS_A_DAY
        whole = int(done)
        steps = self._steps(number)[:, :, : whole + 1].copy()
        steps[:, :, whole] *= done - whole
        summed: Counts = steps.sum(axis=2)
        return summed

    def _steps(self, number: int) -> Counts:
        day = self.demand.day(number + 1)
        read_bytes, write_bytes = self.demand.sizes
        waits = (day.array_ms, day.network_ms, day.queue_ms, day.qos_ms)
        done = (day.reads, day.writes, day.reads * read_bytes, day.writes * write_bytes)
        seconds = [day.ops * ms / 1000 for ms in (day.latency_ms, *waits)]
        return np.stack([*done, *seconds]).astype(np.float64) * STEP_SECONDS


def _asked(cluster: Cluster) -> list[Asked]:
    """The disks of the VMs that are on and whose hosts answer."""
    return [
        Asked(
            machine=machine,
            disk=disk,
            work=WORKS["system" if disk.slot == "vda" and len(machine.disks) > 1 else
                       OF_WORD[machine.name.split("-")[0]]],
            array=disk.datastore.array.name,
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
