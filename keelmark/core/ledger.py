"""The ledger: every figure of space that is shown, and the attention it asks for."""

from dataclasses import asdict, dataclass
from enum import StrEnum
from math import isinf

from keelmark.core.errors import RangeError
from keelmark.core.units import PERCENT, checked_bytes, percent_of

SLACK_DAYS_SHARE = 1.1  # a state is left a tenth of the days later than it is entered
SLACK_USABLE_PARTS = 100  # and a hundredth of usable lower
URGENT_BEYOND_CAUTION_DAYS = 14  # two weeks: shorter than any purchase


@dataclass(frozen=True, slots=True, kw_only=True)
class Marks:
    """Lines on an object's gauge and the time it takes to buy.

    Percent are whole and of usable (fill marks) or of usable again (overcommit marks).
    """

    caution_percent: int = 80
    limit_percent: int = 90
    overcommit_caution_percent: int = 150
    overcommit_limit_percent: int = 200
    lead_time_days: int = 45

    def __post_init__(self) -> None:
        """Refuse marks out of order."""
        if not 0 < self.caution_percent < self.limit_percent <= PERCENT:
            raise RangeError(
                argument="caution_percent, limit_percent",
                found=(self.caution_percent, self.limit_percent),
                wanted="0 < caution < limit ≤ 100",
            )
        if not 0 < self.overcommit_caution_percent < self.overcommit_limit_percent:
            raise RangeError(
                argument="overcommit_caution_percent, overcommit_limit_percent",
                found=(self.overcommit_caution_percent, self.overcommit_limit_percent),
                wanted="0 < caution < limit",
            )
        if self.lead_time_days < 0:
            raise RangeError(
                argument="lead_time_days", found=self.lead_time_days, wanted="0 or more"
            )


def marks_in_order(**told: int) -> Marks:
    """Return marks of which each caution lies below its limit.

    Nearest marks come from several levels, an object's own and its site's, and may cross: the
    limit then stands, and the caution steps down to just below it.

    Parameters
    ----------
    **told : int
        Fields of Marks; what is not told has its default.

    Raises
    ------
    RangeError
        If a limit is no possible mark.
    """
    marks = DEFAULT_MARKS | told
    for caution, limit in MARK_PAIRS:
        marks[caution] = min(marks[caution], marks[limit] - 1)
    return Marks(**marks)


DEFAULT_MARKS: dict[str, int] = asdict(Marks())
MARK_PAIRS = (
    ("caution_percent", "limit_percent"),
    ("overcommit_caution_percent", "overcommit_limit_percent"),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Ledger:
    """The books of one object, in bytes; None where a source never said.

    ``reserved_bytes`` = unwritten thick space + accepted reservations + set-aside.
    """

    usable_bytes: int
    used_bytes: int
    provisioned_bytes: int | None = None
    reserved_bytes: int = 0
    logical_written_bytes: int | None = None
    marks: Marks = Marks()

    def __post_init__(self) -> None:
        """Refuse amounts that no array can have."""
        for name in ("usable_bytes", "used_bytes", "reserved_bytes"):
            checked_bytes(getattr(self, name), argument=name)
        for name in ("provisioned_bytes", "logical_written_bytes"):
            if (amount := getattr(self, name)) is not None:
                checked_bytes(amount, argument=name)

    @property
    def free_bytes(self) -> int:
        """Usable − used; negative where a source says more is used than there is."""
        return self.usable_bytes - self.used_bytes

    @property
    def caution_bytes(self) -> int:
        """Used bytes at which the caution mark is reached."""
        return percent_of(self.usable_bytes, self.marks.caution_percent)

    @property
    def limit_bytes(self) -> int:
        """Used bytes at which the limit mark is reached."""
        return percent_of(self.usable_bytes, self.marks.limit_percent)

    @property
    def plannable_bytes(self) -> int:
        """Bytes that may still be promised: limit − used − reserved, never negative."""
        return max(0, self.limit_bytes - self.used_bytes - self.reserved_bytes)

    @property
    def overcommit_percent(self) -> float | None:
        """Provisioned in percent of usable; None without a size or a promise known."""
        if self.provisioned_bytes is None or self.usable_bytes == 0:
            return None
        return PERCENT * self.provisioned_bytes / self.usable_bytes

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
        if demand <= self.limit_bytes:
            return 0
        needed_usable = -(-demand * PERCENT // self.marks.limit_percent)
        return needed_usable - self.usable_bytes


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
        marks=ledgers[0].marks if ledgers else Marks(),
    )


def _sum_or_unknown(parts: list[int | None]) -> int | None:
    known = [part for part in parts if part is not None]
    return sum(known) if len(known) == len(parts) else None


class Attention(StrEnum):
    """What an object asks of the planner."""

    CLEAR = "clear"
    CAUTION = "caution"
    URGENT = "urgent"
    OVER = "over"
    UNREAD = "unread"


@dataclass(frozen=True, slots=True, kw_only=True)
class Judgement:
    """An attention state and the rule that gave it."""

    attention: Attention
    because: str


def attention_of(
    ledger: Ledger,
    *,
    early_days: float | None,
    likely_days: float | None,
    is_unread: bool = False,
    stood: Attention | None = None,
    word: str = "used",
) -> Judgement:
    """Judge one object by its ledger and its runway to the limit mark.

    Parameters
    ----------
    ledger : Ledger
        The books today.
    early_days, likely_days : float or None
        Runway to the limit mark in days; inf = not within the horizon, None = not judged.
    is_unread : bool
        Whether the newest reading is older than its feed allows.
    stood : Attention, optional
        What it was judged to be last time.
    word : str
        What the ledger's used amount is called.

    Returns
    -------
    Judgement
        The first rule that holds, in the order unread, over, urgent, caution, clear. A state
        is left for a lighter one only once it is missed by a margin of 1 % of usable and a
        tenth of the days, so that what stands at a line does not flap.
    """

    def judged_with(*, slack: bool) -> Judgement:
        return _judged(
            ledger,
            early_days=early_days,
            likely_days=likely_days,
            is_unread=is_unread,
            slack=slack,
            word=word,
        )

    judged = judged_with(slack=False)
    if stood is None or _WEIGHT[judged.attention] >= _WEIGHT[stood]:
        return judged
    if Attention.UNREAD in (stood, judged.attention):
        return judged
    held = judged_with(slack=True)
    if _WEIGHT[held.attention] <= _WEIGHT[judged.attention]:
        return judged
    kept = min(held.attention, stood, key=_WEIGHT.__getitem__)  # what stood is held, no more
    return Judgement(attention=kept, because=f"{held.because}, or only just not")


_WEIGHT = {
    Attention.CLEAR: 0,
    Attention.UNREAD: 0,
    Attention.CAUTION: 1,
    Attention.URGENT: 2,
    Attention.OVER: 3,
}


def _judged(
    ledger: Ledger,
    *,
    early_days: float | None,
    likely_days: float | None,
    is_unread: bool,
    slack: bool,
    word: str,
) -> Judgement:
    """The first rule that holds; with slack, each holds a little before its line."""
    lead = ledger.marks.lead_time_days
    reach = SLACK_DAYS_SHARE if slack else 1.0
    margin = ledger.usable_bytes // SLACK_USABLE_PARTS if slack else 0
    early = float("inf") if early_days is None else early_days / reach
    likely = float("inf") if likely_days is None else likely_days / reach
    used = ledger.used_bytes + margin
    overcommit = ledger.overcommit_percent
    is_past_caution = used >= ledger.caution_bytes
    rules = (
        (is_unread, Attention.UNREAD, "no reading young enough to judge by"),
        (used >= ledger.limit_bytes, Attention.OVER, f"{word} is past the limit mark"),
        (early < lead, Attention.URGENT, f"may end inside the lead time of {lead} d"),
        (
            is_past_caution and likely < URGENT_BEYOND_CAUTION_DAYS,
            Attention.URGENT,
            f"past the caution mark with under {URGENT_BEYOND_CAUTION_DAYS} d likely",
        ),
        (is_past_caution, Attention.CAUTION, f"{word} is past the caution mark"),
        (likely < 2 * lead, Attention.CAUTION, f"likely ends within {2 * lead} d"),
        (
            overcommit is not None and overcommit > ledger.marks.overcommit_caution_percent,
            Attention.CAUTION,
            f"overcommitted past {ledger.marks.overcommit_caution_percent} %",
        ),
    )
    for holds, attention, because in rules:
        if holds:
            return Judgement(attention=attention, because=because)
    ends = "no end in sight" if isinf(likely) else "ends beyond twice the lead time"
    return Judgement(attention=Attention.CLEAR, because=ends)
