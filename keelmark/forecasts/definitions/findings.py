"""What a forecast saw in the past and how right it was, as it is kept and shown.

Amounts are in the unit of what is forecast, bytes for most.
"""

from collections.abc import Callable
from datetime import date, timedelta
from typing import TypedDict

import numpy as np

from keelmark.core.arrays import Float64s, whole_numbers
from keelmark.core.forecast import Forecast, Record, Repair
from keelmark.core.forecast.record import HORIZONS_DAYS
from keelmark.core.forecast.repairs import Int8s
from keelmark.core.forecast.telling import GROWTH_DAYS
from keelmark.core.forecast.ways import WAYS

MAX_SPANS = 40  # newest repaired spans that are kept
MAX_JUMPS = 12
MAX_WAYS = 4
MIN_SHARE = 0.02  # of a way that is told
MIN_WHOLE_PACE = 1000  # a day; a thousandth of it is no more


class ShiftTold(TypedDict):
    on: str
    amount: int


class ChangeTold(TypedDict):
    on: str
    before_per_day: float
    after_per_day: float


class SpanTold(TypedDict):
    first_on: str
    last_on: str
    why: str  # unread, odd, stuck, slipped


class JumpsTold(TypedDict):
    n: int  # in half a year
    mean_amount: int
    last_on: str
    every_days: float | None  # from one to the next at the median


class WayTold(TypedDict):
    name: str
    share: float  # 0 to 1


class MixTold(TypedDict):
    """Which ways to go on count how much, the heaviest first, and what was learnt on top.

    ``learnt_per_day`` is what was learnt from other histories, in the four weeks ahead;
    ``is_unlike`` says that this one is unlike all of them, so that the mix stands alone;
    ``always_share`` how much counts what would be said had its few shifts always been there, and
    ``line_share`` how much what a line that never bent does.
    """

    ways: list[WayTold]
    n_more: int  # others that count
    learnt_per_day: float
    is_unlike: bool
    always_share: float
    line_share: float


class Findings(TypedDict):
    """What the model saw; lists are oldest first."""

    shifts: list[ShiftTold]
    pace_changes: list[ChangeTold]
    repairs: list[SpanTold]
    jumps: JumpsTold | None
    weekly_swing: int | None
    monthly_swing: int | None
    n_kin: int
    mix: MixTold | None


class RecordTold(TypedDict):
    """How right earlier forecasts would have been; nulls where none could be tried.

    ``misses`` are in standard deviations as forecast, in the order of the core's trials;
    ``widening`` is by how much its kind's misses made the band wider.
    """

    days: list[int]
    error: list[int | None]
    bias: list[int | None]
    n_inside: int
    n_tried: int
    misses: list[float | None]
    widening: float


NOTHING_FOUND: Findings = {
    "shifts": [],
    "pace_changes": [],
    "repairs": [],
    "jumps": None,
    "weekly_swing": None,
    "monthly_swing": None,
    "n_kin": 0,
    "mix": None,
}


def findings_of(learnt: Forecast, *, index: int, as_of: date | None) -> Findings:
    """Return what was seen in one series; the cleaned series end at `as_of`."""
    readings = learnt.readings
    last = readings.level_bytes.shape[1] - 1

    def on(column: int) -> str:
        told = as_of or date.min
        return (told - timedelta(days=last - column)).isoformat()

    shift, jump = readings.shift_bytes[index], readings.jump_bytes[index]
    changes = learnt.changes
    return {
        "shifts": [
            {"on": on(int(c)), "amount": round(float(shift[c]))} for c in np.flatnonzero(shift)
        ],
        "pace_changes": [
            {
                "on": on(int(changes.column[index, at])),
                "before_per_day": _pace(float(changes.before[index, at])),
                "after_per_day": _pace(float(changes.after[index, at])),
            }
            for at in np.argsort(changes.column[index])
            if changes.column[index, at] >= 0
        ],
        "repairs": [
            *_spans_told(readings.repairs[index], on=on),
            *_still_stuck(int(readings.n_stuck_days[index]), as_of=as_of),
        ],
        "jumps": _jumps(jump, on=[on(int(c)) for c in np.flatnonzero(jump)]),
        "weekly_swing": _swing(learnt.rhythm.by_weekday[index]),
        "monthly_swing": _swing(learnt.rhythm.by_month_slot[index]),
        "n_kin": int(learnt.n_kin[index]),
        "mix": _mix(learnt, index=index) if learnt.is_judged[index] else None,
    }


def _mix(learnt: Forecast, *, index: int) -> MixTold:
    share = learnt.share[:, index]
    heaviest = np.argsort(-share, kind="stable")
    told = [at for at in heaviest.tolist() if share[at] >= MIN_SHARE]
    return {
        "ways": [
            {"name": WAYS[at].name, "share": round(float(share[at]), 3)} for at in told[:MAX_WAYS]
        ],
        "n_more": len(told[MAX_WAYS:]),
        "learnt_per_day": _pace(float(learnt.learnt_bytes[index]) / GROWTH_DAYS),
        "is_unlike": bool(learnt.is_unlike[index]),
        "always_share": float(learnt.always_share[index]),
        "line_share": round(float(learnt.line_share[index]), 3),
    }


def _spans_told(why: Int8s, *, on: Callable[[int], str]) -> list[SpanTold]:
    return [
        {"first_on": on(first), "last_on": on(last), "why": Repair(code).name.lower()}
        for first, last, code in _spans(why)
    ]


def _still_stuck(n_days: int, *, as_of: date | None) -> list[SpanTold]:
    """The span after the last reading that is believed, if the source told it again and again."""
    if n_days == 0 or as_of is None:
        return []
    first, last = as_of + timedelta(days=1), as_of + timedelta(days=n_days)
    return [{"first_on": first.isoformat(), "last_on": last.isoformat(), "why": "stuck"}]


def _spans(why: Int8s) -> list[tuple[int, int, int]]:
    """First and last column of each run of one repair, the newest kept."""
    columns = np.flatnonzero(why)
    if len(columns) == 0:
        return []
    breaks = np.flatnonzero((np.diff(columns) > 1) | (np.diff(why[columns]) != 0)) + 1
    runs = np.split(columns, breaks)
    return [(int(run[0]), int(run[-1]), int(why[run[0]])) for run in runs][-MAX_SPANS:]


def _jumps(jump: Float64s, *, on: list[str]) -> JumpsTold | None:
    columns = np.flatnonzero(jump)
    if len(columns) == 0:
        return None
    return {
        "n": len(columns),
        "mean_amount": round(float(jump[columns].mean())),
        "last_on": on[-1],
        "every_days": float(np.median(np.diff(columns))) if len(columns) > 1 else None,
    }


def _swing(rhythm: Float64s) -> int | None:
    return round(float(np.ptp(rhythm))) if rhythm.any() else None


def record_told(record: Record, *, index: int) -> RecordTold:
    """Return the record of one series."""
    return {
        "days": list(HORIZONS_DAYS),
        "error": whole_numbers(record.error_bytes[index]),
        "bias": whole_numbers(record.bias_bytes[index]),
        "n_inside": int(record.n_inside[index]),
        "n_tried": int(record.n_tried[index]),
        "misses": [None if np.isnan(x) else round(x, 3) for x in record.misses[index].tolist()],
        "widening": round(record.widening[0], 3),
    }


def _pace(a_day: float) -> float:
    """Whole where that is exact enough: CPUs grow by parts of one a day."""
    return round(a_day) if abs(a_day) >= MIN_WHOLE_PACE else round(a_day, 3)
