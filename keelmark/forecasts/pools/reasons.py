"""One line on why a pool stands where it stands, in parts so that bytes keep their unit."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from keelmark.core.attention import Attention
from keelmark.core.days import EPOCH
from keelmark.core.estate.holds import Hold
from keelmark.core.ledger import Ledger
from keelmark.core.units import PERCENT
from keelmark.forecasts.definitions.findings import Findings

WEEK_DAYS = 7
MONTH_DAYS = 30.4375
RECENT_SHIFT_DAYS = 60
RECENT_CHANGE_DAYS = 120
FLAT_SHARE_PER_YEAR = 0.01  # of usable
LEADER_SHARE = 0.3  # less than this and nobody leads
MONTHLY_BELOW_SHARE_PER_WEEK = 0.002  # slower growth reads better by the month

Part = dict[str, str | int]  # {"text": …} or {"bytes": …}: a signed amount


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
    findings: Findings,
    today: date,
    read_at: datetime,
    holds: Sequence[Hold] = (),
) -> list[Part]:
    """Return the reason, most telling fact first."""
    if attention is Attention.UNREAD:
        age_days = (today - read_at.date()).days
        stale = f"no reading for {age_days} d, " if age_days else ""
        return [_text(f"{stale}{unjudged_because or f'judged on {_day(read_at.date())}'}")]
    if growth_bytes_per_day is None:
        return [_text(unjudged_because)]
    is_flat = abs(growth_bytes_per_day) * 365 < FLAT_SHARE_PER_YEAR * max(ledger.usable_bytes, 1)
    parts = (
        [_text("flat: nothing grows here")]
        if is_flat
        else _pace(ledger, growth_bytes_per_day=growth_bytes_per_day)
    )
    if leader and leader.share >= LEADER_SHARE and growth_bytes_per_day > 0 and not is_flat:
        parts.append(_text(f", {leader.share * PERCENT:.0f} % of it {leader.name}"))
    parts += _held(holds)
    parts += _seen(findings, today=today)
    overcommit = ledger.overcommit_percent
    if overcommit and overcommit > ledger.marks.overcommit_caution_percent:
        parts.append(_text(f"; overcommit {overcommit:.0f} %"))
    return parts


def _held(holds: Sequence[Hold]) -> list[Part]:
    most = sum(one.most_bytes for one in holds)
    if most == 0:
        return []
    first = EPOCH + timedelta(days=min(one.first_day for one in holds))
    return [_text("; "), {"bytes": most}, _text(f" held from {_day(first)}")]


def _seen(findings: Findings, *, today: date) -> list[Part]:
    """The newest shift or change of pace, if it is news."""
    parts: list[Part] = []
    shifts = [(date.fromisoformat(told["on"]), told["amount"]) for told in findings["shifts"]]
    recent = [(on, size) for on, size in shifts if (today - on).days <= RECENT_SHIFT_DAYS]
    if recent:
        on, size = recent[-1]
        lead, end = ("; ", " in one step") if size > 0 else ("; clean-up ", "")
        parts += [_text(lead), {"bytes": size}, _text(f" on {_day(on)}{end}")]
    for told in findings["pace_changes"][-1:]:
        on = date.fromisoformat(told["on"])
        if (today - on).days <= RECENT_CHANGE_DAYS:
            faster = told["after_per_day"] > told["before_per_day"]
            parts.append(_text(f"; {'faster' if faster else 'slower'} since {_day(on)}"))
    if findings["n_kin"]:
        parts.append(_text(f"; too young, paced by {findings['n_kin']} of its kin"))
    return parts


def _pace(ledger: Ledger, *, growth_bytes_per_day: float) -> list[Part]:
    slow = MONTHLY_BELOW_SHARE_PER_WEEK * max(ledger.usable_bytes, 1)
    is_slow = abs(growth_bytes_per_day) * WEEK_DAYS < slow
    days, name = (MONTH_DAYS, "mo") if is_slow else (WEEK_DAYS, "wk")
    return [{"bytes": round(growth_bytes_per_day * days)}, _text(f"/{name}")]


def _text(text: str) -> Part:
    return {"text": text}


def _day(on: date) -> str:
    return f"{on.day} {on:%b}"
