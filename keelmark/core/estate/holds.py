"""What is held of a place from a day on: for accepted scenarios, or for a tenant to draw on."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import NOWHERE

ROUNDED = 1  # bytes by which a straight course may bend where it is told in whole ones


@dataclass(frozen=True, slots=True, kw_only=True)
class Hold:
    """Bytes of one pool or datastore that are held, by day.

    ``days``, counted from 1970 and ascending, and ``amounts`` in bytes are corners of the course:
    nothing before the first, straight between two, and as at the last one after it. Promised
    bytes and I/O a second are held from the first of them on. ``tenant`` is the row of the tenant
    who may draw on an allotment, NOWHERE of what a scenario holds; of an allotment the promised
    bytes are those that are left to be provisioned, ``asked_bytes`` of them those that are being,
    and ``volumes`` the rows of what was.
    """

    kind: str
    row: int
    owner: int  # the scenario; below 0 an allotment
    days: tuple[int, ...]
    amounts: tuple[int, ...]
    promised_bytes: int = 0
    min_iops: int = 0
    busy_iops: int = 0
    tenant: int = NOWHERE
    asked_bytes: int = 0
    volumes: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        """Refuse corners that are none."""
        if len(self.days) != len(self.amounts) or not self.days:
            raise RangeError(argument="days", found=len(self.days), wanted="one for each amount")
        if any(later <= day for day, later in zip(self.days, self.days[1:], strict=False)):
            raise RangeError(argument="days", found=self.days, wanted="ascending")
        if min(self.amounts) < 0:
            raise RangeError(argument="amounts", found=min(self.amounts), wanted="0 or more")

    @property
    def first_day(self) -> int:
        """The day from which on it holds anything."""
        return self.days[0]

    @property
    def most_bytes(self) -> int:
        """What it holds at most."""
        return max(self.amounts)

    def on(self, days: Int64s) -> Float64s:
        """Return the bytes held on each of some days."""
        told: Float64s = np.interp(days, self.days, self.amounts, left=0.0)
        return told

    def bytes_on(self, day: int) -> int:
        """Return the bytes held on a day."""
        return round(float(self.on(np.array([day]))[0]))

    def less(self, come_bytes: int) -> "Hold":
        """Return what is still held once so many bytes of it have come."""
        return replace(self, amounts=tuple(max(0, one - come_bytes) for one in self.amounts))

    def drawn(self, n_bytes: int) -> "Hold":
        """Return it with so many bytes more being provisioned of it."""
        return replace(self, asked_bytes=self.asked_bytes + n_bytes)

    def is_of_one_with(self, other: "Hold") -> bool:
        """Return whether another one is the same, however much is provisioned of it."""
        return (self.owner, self.kind, self.row, self.tenant) == (
            other.owner, other.kind, other.row, other.tenant,
        )  # fmt: skip


def corners_of(day: int, course: Int64s) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """Return the corners of a course that is told day by day.

    Parameters
    ----------
    day : int
        Of its first amount.
    course : (n_days,) int64
        Bytes on each day.

    Returns
    -------
    tuple of days and amounts
        Empty where it is nothing throughout. What grows by parts of a byte a day is straight, too.
    """
    held = np.flatnonzero(course > 0)
    if len(held) == 0:
        return (), ()
    first = int(held[0])
    rest = course[first:]
    turns = np.flatnonzero(np.abs(np.diff(rest, 2)) > ROUNDED) + 1
    at = np.unique(np.concatenate([[0], turns, [len(rest) - 1]])).astype(np.int64)
    return tuple((day + first + at).tolist()), tuple(rest[at].tolist())


def held_on(holds: Iterable[Hold], *, kind: str, day: int, n: int) -> Int64s:
    """Return the bytes held of all things of a kind on a day, (n,)."""
    told = np.zeros(n, dtype=np.int64)
    for one in holds:
        if one.kind == kind:
            told[one.row] += one.bytes_on(day)
    return told


def promised_on(holds: Iterable[Hold], *, kind: str, day: int, n: int) -> Int64s:
    """Return the bytes that all things of a kind promise on a day besides, (n,)."""
    told = np.zeros(n, dtype=np.int64)
    for one in holds:
        if one.kind == kind and one.first_day <= day:
            told[one.row] += one.promised_bytes
    return told
