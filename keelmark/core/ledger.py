"""The ledger: every figure of space that is shown."""

from dataclasses import dataclass
from datetime import date, timedelta

from keelmark.core.attention import Fill
from keelmark.core.marks import DEFAULT, Marks
from keelmark.core.units import PERCENT, checked_bytes, percent_of


@dataclass(frozen=True, slots=True, kw_only=True)
class Ledger:
    """The books of one object, in bytes; None where a source never said.

    ``reserved_bytes`` = unwritten thick space + accepted reservations + set-aside; of those
    ``held_bytes`` are what accepted scenarios hold.
    """

    usable_bytes: int
    used_bytes: int
    provisioned_bytes: int | None = None
    reserved_bytes: int = 0
    held_bytes: int = 0
    logical_written_bytes: int | None = None
    marks: Marks = DEFAULT

    def __post_init__(self) -> None:
        """Refuse amounts that no array can have."""
        for name in ("usable_bytes", "used_bytes", "reserved_bytes", "held_bytes"):
            checked_bytes(getattr(self, name), argument=name)
        for name in ("provisioned_bytes", "logical_written_bytes"):
            if (amount := getattr(self, name)) is not None:
                checked_bytes(amount, argument=name)

    @property
    def fill(self) -> Fill:
        """How full it is, as attention is paid to it."""
        return Fill(
            size=self.usable_bytes,
            amount=self.used_bytes + self.held_bytes,
            promised=self.provisioned_bytes,
            marks=self.marks,
        )

    @property
    def free_bytes(self) -> int:
        """Usable − used; negative where a source says more is used than there is."""
        return self.usable_bytes - self.used_bytes

    @property
    def caution_bytes(self) -> int:
        """Used bytes at which the caution mark is reached."""
        return self.fill.caution

    @property
    def limit_bytes(self) -> int:
        """Used bytes at which the limit mark is reached."""
        return self.fill.limit

    @property
    def plannable_bytes(self) -> int:
        """Bytes that may still be promised: limit − used − reserved, never negative."""
        return max(0, self.limit_bytes - self.used_bytes - self.reserved_bytes)

    @property
    def overcommit_percent(self) -> float | None:
        """Provisioned in percent of usable; None without a size or a promise known."""
        return self.fill.overcommit_percent

    @property
    def exposure_bytes(self) -> int | None:
        """Bytes missing if every consumer filled what it was promised."""
        if self.provisioned_bytes is None:
            return None
        return max(0, self.provisioned_bytes - self.usable_bytes)

    @property
    def reduction_ratio(self) -> float | None:
        """Logical written / physical used; None where either is unknown or nothing is used."""
        if self.logical_written_bytes is None or self.used_bytes == 0:
            return None
        return self.logical_written_bytes / self.used_bytes

    def top_up_bytes(self, *, demand_bytes: int) -> int:
        """Return the usable bytes to add so that a demand stays at or under the limit mark.

        Parameters
        ----------
        demand_bytes : int
            Used + reserved bytes expected at the date to hold until.

        Returns
        -------
        int
            The smallest number of bytes to add to usable, 0 if it holds already.

        Raises
        ------
        RangeError
            If the demand is not a possible amount of bytes.
        """
        demand = checked_bytes(demand_bytes, argument="demand_bytes")
        return top_up(demand, size=self.usable_bytes, limit_percent=self.marks.limit_percent)


def top_up(demand: int, *, size: int, limit_percent: int) -> int:
    """Return what to add to a size so that a demand stays at or under its limit mark, or 0."""
    if demand <= percent_of(size, limit_percent):
        return 0
    return -(-demand * PERCENT // limit_percent) - size


def order_by(early_on: date | None, *, lead_time_days: int) -> date | None:
    """Return the last day on which an order still comes in time, one chance in ten aside."""
    return None if early_on is None else early_on - timedelta(days=lead_time_days)


def total(ledgers: list[Ledger]) -> Ledger:
    """Return the ledger of several objects together (an array over its pools).

    Parameters
    ----------
    ledgers : list of Ledger
        Disjoint objects; what is seen twice must be joined before.

    Returns
    -------
    Ledger
        Sums; a sum with an unknown part is unknown. Marks are those of the first.
    """
    return Ledger(
        usable_bytes=sum(part.usable_bytes for part in ledgers),
        used_bytes=sum(part.used_bytes for part in ledgers),
        reserved_bytes=sum(part.reserved_bytes for part in ledgers),
        provisioned_bytes=_sum_or_unknown([part.provisioned_bytes for part in ledgers]),
        logical_written_bytes=_sum_or_unknown([part.logical_written_bytes for part in ledgers]),
        marks=ledgers[0].marks if ledgers else DEFAULT,
    )


def _sum_or_unknown(parts: list[int | None]) -> int | None:
    known = [part for part in parts if part is not None]
    return sum(known) if len(known) == len(parts) else None
