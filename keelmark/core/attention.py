"""What an object asks of the planner: how full it is, and when it ends."""

from dataclasses import dataclass
from enum import StrEnum
from math import isinf

from keelmark.core.marks import DEFAULT, Marks
from keelmark.core.units import PERCENT, checked_bytes, percent_of

SLACK_DAYS_SHARE = 1.1  # a state is left a tenth of the days later than it is entered
SLACK_SIZE_PARTS = 100  # and a hundredth of the size lower
URGENT_BEYOND_CAUTION_DAYS = 14  # two weeks: shorter than any purchase


@dataclass(frozen=True, slots=True, kw_only=True)
class Fill:
    """How full one resource of one object is, in any unit: bytes, CPUs, IOPS.

    ``promised`` is what consumers may still come to fill, None where nobody says.
    """

    size: int
    amount: int
    promised: int | None = None
    marks: Marks = DEFAULT

    def __post_init__(self) -> None:
        """Refuse amounts that nothing can have."""
        for name in ("size", "amount"):
            checked_bytes(getattr(self, name), argument=name)
        if self.promised is not None:
            checked_bytes(self.promised, argument="promised")

    @property
    def caution(self) -> int:
        """Amount at which the caution mark is reached."""
        return percent_of(self.size, self.marks.caution_percent)

    @property
    def limit(self) -> int:
        """Amount at which the limit mark is reached."""
        return percent_of(self.size, self.marks.limit_percent)

    @property
    def overcommit_percent(self) -> float | None:
        """Promised in percent of the size; None without a size or a promise known."""
        if self.promised is None or self.size == 0:
            return None
        return PERCENT * self.promised / self.size


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
    fill: Fill,
    *,
    early_days: float | None,
    likely_days: float | None,
    is_unread: bool = False,
    stood: Attention | None = None,
    word: str = "used",
) -> Judgement:
    """Judge one object by how full it is and its runway to the limit mark.

    Parameters
    ----------
    fill : Fill
        How full it is today.
    early_days, likely_days : float or None
        Runway to the limit mark in days; inf = not within the horizon, None = not judged.
    is_unread : bool
        Whether the newest reading is older than its feed allows.
    stood : Attention, optional
        What it was judged to be last time.
    word : str
        What its amount is called.

    Returns
    -------
    Judgement
        The first rule that holds, in the order unread, over, urgent, caution, clear. A state
        is left for a lighter one only once it is missed by a margin of 1 % of its size and a
        tenth of the days, so that what stands at a line does not flap.
    """

    def judged_with(*, slack: bool) -> Judgement:
        return _judged(
            fill,
            early_days=early_days,
            likely_days=likely_days,
            is_unread=is_unread,
            slack=slack,
            word=word,
        )

    judged = judged_with(slack=False)
    if stood is None or WEIGHTS[judged.attention] >= WEIGHTS[stood]:
        return judged
    if Attention.UNREAD in (stood, judged.attention):
        return judged
    held = judged_with(slack=True)
    if WEIGHTS[held.attention] <= WEIGHTS[judged.attention]:
        return judged
    kept = min(held.attention, stood, key=WEIGHTS.__getitem__)  # what stood is held, no more
    return Judgement(attention=kept, because=f"{held.because}, or only just not")


WEIGHTS = {
    Attention.CLEAR: 0,
    Attention.UNREAD: 0,
    Attention.CAUTION: 1,
    Attention.URGENT: 2,
    Attention.OVER: 3,
}


def _judged(
    fill: Fill,
    *,
    early_days: float | None,
    likely_days: float | None,
    is_unread: bool,
    slack: bool,
    word: str,
) -> Judgement:
    """The first rule that holds; with slack, each holds a little before its line."""
    lead = fill.marks.lead_time_days
    reach = SLACK_DAYS_SHARE if slack else 1.0
    margin = fill.size // SLACK_SIZE_PARTS if slack else 0
    early = float("inf") if early_days is None else early_days / reach
    likely = float("inf") if likely_days is None else likely_days / reach
    amount = fill.amount + margin
    overcommit = fill.overcommit_percent
    # Where there is no room and nothing in it, nothing is past anything.
    is_filled = fill.amount > 0 or fill.size > 0
    if not is_filled:
        early = likely = float("inf")
    is_past_caution = is_filled and amount >= fill.caution
    rules = (
        (is_unread, Attention.UNREAD, "no reading young enough to judge by"),
        (
            is_filled and amount >= fill.limit,
            Attention.OVER,
            f"{word} is past the limit mark",
        ),
        (early < lead, Attention.URGENT, f"may end inside the lead time of {lead} d"),
        (
            is_past_caution and likely < URGENT_BEYOND_CAUTION_DAYS,
            Attention.URGENT,
            f"past the caution mark with under {URGENT_BEYOND_CAUTION_DAYS} d likely",
        ),
        (is_past_caution, Attention.CAUTION, f"{word} is past the caution mark"),
        (likely < 2 * lead, Attention.CAUTION, f"likely ends within {2 * lead} d"),
        (
            overcommit is not None and overcommit > fill.marks.overcommit_caution_percent,
            Attention.CAUTION,
            f"overcommitted past {fill.marks.overcommit_caution_percent} %",
        ),
    )
    for holds, attention, because in rules:
        if holds:
            return Judgement(attention=attention, because=because)
    ends = "no end in sight" if isinf(likely) else "ends beyond twice the lead time"
    return Judgement(attention=Attention.CLEAR, because=ends)
