"""What is to be placed: VMs with their disks, for how long, and what they ask of a place."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError
from keelmark.core.marks import DEFAULT_MARKS
from keelmark.core.policy.judging import Policy
from keelmark.core.units import GIB, MAX_BYTES, PERCENT, percent_of

MOST_VMS: Final = 100_000
MOST_LOSSES: Final = 64


class Apart(StrEnum):
    """How VMs of one workload lie to each other."""

    ANYHOW = "anyhow"
    TOGETHER = "together"  # all at one place
    POOL = "pool"  # no two on one pool
    ARRAY = "array"
    SITE = "site"


KEPT_APART: Final = (Apart.POOL, Apart.ARRAY, Apart.SITE)


@dataclass(frozen=True, slots=True, kw_only=True)
class DiskAsked:
    """One disk of each VM.

    ``written_percent`` of its size is written on the first day, then ``growth_bytes_per_day`` until
    it is full; what is thick takes its size at once. ``busy_*`` is what it asks for in its busy
    hours.
    """

    size_bytes: int
    written_percent: int = PERCENT
    growth_bytes_per_day: int = 0
    is_thick: bool = False
    min_iops: int = 0
    busy_iops: int = 0
    busy_bytes_per_second: int = 0

    def __post_init__(self) -> None:
        """Refuse what cannot be asked for."""
        if not 0 < self.size_bytes <= MAX_BYTES:
            raise RangeError(argument="size_bytes", found=self.size_bytes, wanted="1 byte to 8 EiB")
        if not 0 <= self.written_percent <= PERCENT:
            raise RangeError(
                argument="written_percent", found=self.written_percent, wanted="0 to 100"
            )
        for name in ("growth_bytes_per_day", "min_iops", "busy_iops", "busy_bytes_per_second"):
            if not 0 <= getattr(self, name) <= MAX_BYTES:
                raise RangeError(argument=name, found=getattr(self, name), wanted="0 or more")

    def written_on(self, days: Int64s) -> Float64s:
        """Return the bytes that it takes so many days after its first one, (n_days,)."""
        if self.is_thick:
            return np.full(days.shape, float(self.size_bytes))
        first = percent_of(self.size_bytes, self.written_percent)
        grown = first + days.astype(np.float64) * self.growth_bytes_per_day
        return np.minimum(grown, float(self.size_bytes))


@dataclass(frozen=True, slots=True, kw_only=True)
class Workload:
    """Equal VMs that come on a day and must fit until another, counted in days from today.

    ``sites``, ``clusters`` and ``service_class`` are where they may lie, anywhere where empty.
    ``n_ports`` front-end ports of an array are wanted besides those that are in use.
    ``is_from_allotment`` has it lie where its tenant has an allotment alone, out of which its bytes
    are held already. ``most_exposure_bytes`` is what its pool may lack if all that are promised
    bytes of it filled them. ``n_host_losses`` hosts of its cluster must be able to fail.
    """

    name: str
    n_vms: int
    disks: Sequence[DiskAsked]
    n_cpus: int = 0
    memory_bytes: int = 0
    first_day: int = 1
    last_day: int
    sites: frozenset[str] = frozenset()
    clusters: frozenset[str] = frozenset()
    service_class: str = ""
    tenant: str = ""
    policy: Policy | None = None
    apart: Apart = Apart.ANYHOW
    n_ports: int = 0
    is_from_allotment: bool = False
    most_exposure_bytes: int | None = None
    n_host_losses: int = 1

    def __post_init__(self) -> None:
        """Refuse what cannot be asked for."""
        if not 1 <= self.n_vms <= MOST_VMS:
            raise RangeError(argument="n_vms", found=self.n_vms, wanted=f"1 to {MOST_VMS:,}")
        if not self.disks:
            raise RangeError(argument="disks", found=0, wanted="one disk or more")
        if not 1 <= self.first_day <= self.last_day:
            raise RangeError(
                argument="first_day", found=self.first_day, wanted="1 or more, by the last day"
            )
        for name in ("n_cpus", "memory_bytes", "n_ports"):
            if not 0 <= getattr(self, name) <= MAX_BYTES:
                raise RangeError(argument=name, found=getattr(self, name), wanted="0 or more")
        if not 0 <= self.n_host_losses <= MOST_LOSSES:
            raise RangeError(
                argument="n_host_losses", found=self.n_host_losses, wanted=f"0 to {MOST_LOSSES}"
            )
        if self.is_from_allotment and not self.tenant:
            raise RangeError(argument="tenant", found="", wanted="whose allotment it is")
        if self.most_exposure_bytes is not None and not 0 <= self.most_exposure_bytes <= MAX_BYTES:
            raise RangeError(
                argument="most_exposure_bytes", found=self.most_exposure_bytes, wanted="0 or more"
            )
        if self.n_vms * sum(disk.size_bytes for disk in self.disks) > MAX_BYTES:
            raise RangeError(argument="disks", found="all", wanted="together at most 8 EiB")

    @property
    def at_one_place(self) -> "Workload":
        """What is asked of one place: all of it, one VM where no two may lie together."""
        n_vms = 1 if self.apart in KEPT_APART else self.n_vms
        return replace(self, n_vms=n_vms, apart=Apart.TOGETHER)

    @property
    def n_units(self) -> int:
        """Into how many parts it comes apart."""
        return 1 if self.apart is Apart.TOGETHER else self.n_vms

    @property
    def vms_a_unit(self) -> int:
        """How many VMs are one part."""
        return self.n_vms // self.n_units

    def written_on(self, days: Int64s) -> Float64s:
        """Return the bytes that one part takes on days from today, 0 before its first one."""
        since = days - self.first_day
        told = np.zeros(days.shape)
        for disk in self.disks:
            told += disk.written_on(np.maximum(since, 0))
        return np.where(since >= 0, told * self.vms_a_unit, 0.0)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Demands:
    """What one part of each workload takes, (n_workloads,) each, and how many parts there are.

    ``written_bytes`` is on the last day of all of them; ``promised_bytes`` the sizes of its disks.
    What ``is_allotted`` takes nothing of the room that is open to all.
    """

    units: Int64s
    last_day: int
    written_bytes: Float64s
    promised_bytes: Float64s
    min_iops: Float64s
    busy_iops: Float64s
    busy_bytes_per_second: Float64s
    cpus: Float64s
    memory_bytes: Float64s
    ports: Float64s
    is_allotted: Bools

    def open_to_all(self, amounts: Float64s) -> Float64s:
        """Return what is taken of the room that is held for nobody, (n_workloads,)."""
        return np.where(self.is_allotted, 0.0, amounts)

    @property
    def made_bytes(self) -> Float64s:
        """How large a datastore is made for it: whole GiB, at its limit mark when all is full."""
        whole = np.ceil(self.promised_bytes * PERCENT / DEFAULT_MARKS["limit_percent"])
        told: Float64s = np.ceil(whole / GIB) * GIB
        return told

    @property
    def drawn_bytes(self) -> Float64s:
        """What is provisioned out of an allotment."""
        return np.where(self.is_allotted, self.made_bytes, 0.0)


def demands_of(workloads: Sequence[Workload]) -> Demands:
    """Return what workloads take, as columns.

    What several take is looked at on one day, the last of all: room that one needs to a day is
    needed by then, for nothing that is placed is taken away again.
    """
    last_day = max((one.last_day for one in workloads), default=1)
    on = np.array([last_day], dtype=np.int64)

    def of_disks(name: str) -> Float64s:
        return np.array(
            [
                float(one.vms_a_unit * sum(getattr(disk, name) for disk in one.disks))
                for one in workloads
            ]
        )

    def of_vms(name: str) -> Float64s:
        return np.array([float(one.vms_a_unit * getattr(one, name)) for one in workloads])

    return Demands(
        units=np.array([one.n_units for one in workloads], dtype=np.int64),
        last_day=last_day,
        written_bytes=np.array([float(one.written_on(on)[0]) for one in workloads]),
        promised_bytes=of_disks("size_bytes"),
        min_iops=of_disks("min_iops"),
        busy_iops=of_disks("busy_iops"),
        busy_bytes_per_second=of_disks("busy_bytes_per_second"),
        cpus=of_vms("n_cpus"),
        memory_bytes=of_vms("memory_bytes"),
        # Of a workload, not of each of its parts: those find them there or not.
        ports=np.array(
            [float(one.n_ports) if one.apart is Apart.TOGETHER else 0.0 for one in workloads]
        ),
        is_allotted=np.array([one.is_from_allotment for one in workloads], dtype=np.bool_),
    )
