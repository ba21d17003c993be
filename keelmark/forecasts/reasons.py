"""One line on why a pool stands where it stands."""

from dataclasses import dataclass
from datetime import date, datetime

from keelmark.core.ledger import Attention, Ledger
from keelmark.core.units import PERCENT, format_bytes

WEEK_DAYS = 7
MONTH_DAYS = 30.4375
RECENT_SHIFT_DAYS = 60
FLAT_SHARE_PER_YEAR = 0.01  # of usable
LEADER_SHARE = 0.3  # less than this and nobody leads
MONTHLY_BELOW_SHARE_PER_WEEK = 0.002  # slower growth reads better by the month


@dataclass(frozen=True, slots=True, kw_only=True)
class Leader:
    """The volume with most of the month's growth."""

    name: str
    share: float


def reason_of(
    ledger: Ledger,
    *,
    attention: Attention,
    growth_bytes_per_day: float | None,
    unjudged_because: str,
    leader: Leader | None,
    shifts: list[tuple[date, int]],
    today: date,
    read_at: datetime,
) -> str:
    """Return the reason, most telling fact first."""
    if attention is Attention.UNREAD:
        age_days = (today - read_at.date()).days
        stale = f"no reading for {age_days} d: " if age_days else ""
        return f"{stale}{unjudged_because or 'judged on ' + read_at.date().isoformat()}"
    if growth_bytes_per_day is None:
        return unjudged_because
    parts = []
    pace = _pace(ledger, growth_bytes_per_day=growth_bytes_per_day)
    parts.append(pace)
    if leader and leader.share >= LEADER_SHARE and growth_bytes_per_day > 0 and "flat" not in pace:
        parts.append(f"{leader.share * PERCENT:.0f} % of it {leader.name}")
    recent = [(on, size) for on, size in shifts if (today - on).days <= RECENT_SHIFT_DAYS]
    if recent:
        on, size = recent[-1]
        told = f"{'+' if size > 0 else ''}{format_bytes(size)} on {on.day} {on:%b}"
        parts.append(f"{told} left out of trend" if size > 0 else f"clean-up {told}")
    overcommit = ledger.overcommit_percent
    if overcommit and overcommit > ledger.marks.overcommit_caution_percent:
        parts.append(f"overcommit {overcommit:.0f} %")
    return ", ".join(parts)


def _pace(ledger: Ledger, *, growth_bytes_per_day: float) -> str:
    usable = max(ledger.usable_bytes, 1)
    if abs(growth_bytes_per_day) * 365 < FLAT_SHARE_PER_YEAR * usable:
        return "flat: nothing grows here"
    is_slow = abs(growth_bytes_per_day) * WEEK_DAYS < MONTHLY_BELOW_SHARE_PER_WEEK * usable
    days, name = (MONTH_DAYS, "mo") if is_slow else (WEEK_DAYS, "wk")
    sign = "+" if growth_bytes_per_day > 0 else ""
    return f"{sign}{format_bytes(round(growth_bytes_per_day * days))}/{name}"
