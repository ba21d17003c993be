"""More of what there is: what a VM and its kin teach of one that is still to come."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.errors import ShapeError
from keelmark.core.units import PERCENT

DAYS_A_WEEK: Final = 7
BUSY_QUANTILE: Final = 0.9  # of the kin: a new one is hardly ever the busiest, nor the idlest
_NUMBERED: Final = re.compile(r"[\d]+$")


def stem_of(name: str) -> str:
    """Return what a VM is called without the number at its end; the name itself if that is all."""
    return _NUMBERED.sub("", name) or name


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Kin:
    """Disks of a VM and its kin, (n_vms, n_disks) each, NaN where nobody knows; the VM is first.

    ``growth`` is in bytes a day, ``busiest`` the busiest mean of a week in operations a second.
    """

    size: Float64s
    used: Float64s
    growth: Float64s
    busiest: Float64s
    least: Float64s  # what each is promised at least, operations a second

    def __post_init__(self) -> None:
        """Refuse what does not fit together."""
        for name in ("used", "growth", "busiest", "least"):
            if getattr(self, name).shape != self.size.shape:
                raise ShapeError(
                    argument=name, wanted=str(self.size.shape), found=getattr(self, name).shape
                )


@dataclass(frozen=True, slots=True, kw_only=True)
class LearntDisk:
    """One disk of a VM still to come, and of how many kin each of it was learnt."""

    size_bytes: int
    written_percent: int
    bytes_a_week: int
    min_iops: int
    busy_iops: int
    n_used: int
    n_growth: int
    n_busy: int


def learnt(kin: Kin) -> list[LearntDisk]:
    """Return the disks of one more of the same.

    Parameters
    ----------
    kin : Kin
        The VM first; its kin have as many disks.

    Returns
    -------
    list of LearntDisk
        The VM's own sizes and minimums; filled as the median of the kin is, in whole percent
        rounded up; growing by their median, 0 or more; as busy as nine tenths of them are at
        most. Where nobody knows a thing it is taken for full, for still, and for idle.
    """
    n_disks = kin.size.shape[1]
    with np.errstate(invalid="ignore", divide="ignore"):
        filled = PERCENT * kin.used / kin.size
    told = []
    for at in range(n_disks):
        fill, growth = _known(filled[:, at]), _known(kin.growth[:, at])
        busy = _known(kin.busiest[:, at])
        filled_by = min(int(np.ceil(np.median(fill))), PERCENT) if len(fill) else PERCENT
        pace = max(round(float(np.median(growth)) * DAYS_A_WEEK), 0) if len(growth) else 0
        told.append(
            LearntDisk(
                size_bytes=round(float(kin.size[0, at])),
                written_percent=filled_by,
                bytes_a_week=pace,
                min_iops=round(float(np.nan_to_num(kin.least[0, at]))),
                busy_iops=round(float(np.quantile(busy, BUSY_QUANTILE))) if len(busy) else 0,
                n_used=len(fill), n_growth=len(growth), n_busy=len(busy),
            )
        )  # fmt: skip
    return told


def kin_of(name: str, *, names: Sequence[str], family: Int64s, n_disks: Int64s, at: int) -> Int64s:
    """Return the rows of a VM and its kin, itself first.

    Parameters
    ----------
    name : str
        Of the VM.
    names, family, n_disks : (n,)
        Of all VMs that are there: their names, the project or what else they are of, and how many
        disks they have.
    at : int
        The row of the VM.
    """
    stem = stem_of(name)
    alike = (family == family[at]) & (n_disks == n_disks[at])
    rows = [row for row in np.flatnonzero(alike).tolist() if stem_of(names[row]) == stem]
    return np.array([at, *(row for row in rows if row != at)], dtype=np.int64)


def paces(used: Float64s) -> Float64s:
    """Return by how many bytes a day each series grows, (n,), NaN where too little was read.

    Parameters
    ----------
    used : (n, n_days) float64
        Bytes at the end of each day, NaN where unread.

    Notes
    -----
    The median of the last third less that of the first third, over the days between the middles
    of both: one odd day, or a few, move neither.
    """
    n_days = used.shape[1]
    third = n_days // 3
    told = np.full(len(used), np.nan)
    if third == 0:
        return told
    first, last = used[:, :third], used[:, -third:]
    least = max(third // 2, 1)
    is_read = (np.isfinite(first).sum(axis=1) >= least) & (np.isfinite(last).sum(axis=1) >= least)
    rows = np.flatnonzero(is_read)
    rise = np.nanmedian(last[rows], axis=1) - np.nanmedian(first[rows], axis=1)
    told[rows] = rise / (n_days - third)
    return told


def _known(told: Float64s) -> Float64s:
    known: Float64s = told[np.isfinite(told)]
    return known
