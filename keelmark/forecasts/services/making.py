"""Makes forecasts of many series at once and turns them into what is kept."""

from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import Any

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.forecast import (
    Forecast,
    Record,
    Runway,
    Widening,
    forecast,
    record_of,
    runway,
    widened,
)
from keelmark.core.ledger import Attention, Judgement, Ledger, attention_of
from keelmark.forecasts.findings import findings_of, record_told
from keelmark.readings.rows import EPOCH
from keelmark.readings.selectors import Series, series_of

HORIZON_DAYS = 730
LEARNT_DAYS = 400
ALLOWED_AGE = timedelta(hours=36)  # of readings, where no feed of its own says
SAID_BEFORE_DAYS = {"week": 7, "month": 30}
FAR_ON = date(9999, 12, 31)
NO_MARK = 2**62  # no series ever stands here
MARKS = ("caution", "limit", "full")


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Subjects:
    """What is forecast: ids in order, marks in bytes, sizes, groups of kin.

    Arrays are (n_series,); NO_MARK where a thing has none, inf where nothing ends it.
    """

    ids: Int64s
    marks: dict[str, Int64s]
    ceiling_bytes: Float64s
    kin: Int64s
    widening: Widening | None = None  # of all of the kind; None: what these alone tell


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Made:
    """Everything known about all subjects before their rows are written."""

    learnt: Forecast
    record: Record
    series: Series
    marks: dict[str, Int64s]
    ways: dict[str, Runway]
    said: dict[str, list[date | None]]
    now: datetime

    def as_of(self, index: int) -> date | None:
        """Return the day of a series' last reading."""
        column = int(self.learnt.readings.last_column[index])
        return self.series.on(column) if column >= 0 else None

    def crossed_on(self, index: int) -> date | None:
        """Return since when the readings stand at the limit mark, None where they do not.

        What stood there before the first reading has no such day.
        """
        used = self.series.used_bytes[index]
        read = np.flatnonzero(~np.isnan(used))
        is_below = used[read] < self.marks["limit"][index]
        if len(read) == 0 or is_below[-1] or not is_below.any():
            return None
        return self.series.on(int(read[np.flatnonzero(is_below)[-1] + 1]))

    def days_left(self, mark: str, *, which: str, index: int) -> float | None:
        """Return a runway from today: what has passed since the last reading is gone from it."""
        days = float(getattr(self.ways[mark], f"{which}_days")[index])
        as_of = self.as_of(index)
        if np.isnan(days) or as_of is None:
            return None
        return max(0.0, days - (self.now.date() - as_of).days)


def make(subjects: Subjects, *, now: datetime) -> Made:
    """Read the used bytes of all subjects and forecast them."""
    today = now.date()
    first_on = today - timedelta(days=LEARNT_DAYS - 1)
    series = series_of(subjects.ids.tolist(), first_on=first_on, last_on=today)
    return made_of(series, subjects=subjects, now=now)


def made_of(series: Series, *, subjects: Subjects, now: datetime) -> Made:
    """Forecast series that were read already."""
    first_day = (series.first_on - EPOCH).days
    last = np.nanmax(np.nan_to_num(series.used_bytes), axis=1, initial=0.0)
    ceiling = np.maximum(subjects.ceiling_bytes, last)  # what is written over its size is there
    learnt = forecast(
        series.used_bytes, first_day=first_day, ceiling_bytes=ceiling, kin=subjects.kin
    )
    record = record_of(
        series.used_bytes, first_day=first_day, ceiling_bytes=ceiling, kin=subjects.kin,
        shift_bytes=learnt.readings.shift_bytes, is_one_kind=True, widening=subjects.widening,
    )  # fmt: skip
    learnt = widened(learnt, by=record.widening[0])
    return Made(
        learnt=learnt,
        record=record,
        series=series,
        marks=subjects.marks,
        ways={
            mark: runway(learnt, mark_bytes=level, horizon_days=HORIZON_DAYS)
            for mark, level in subjects.marks.items()
        },
        said={
            name: _said(record, days_back=days, mark=subjects.marks["limit"], series=series)
            for name, days in SAID_BEFORE_DAYS.items()
        },
        now=now,
    )


def _said(record: Record, *, days_back: int, mark: Int64s, series: Series) -> list[date | None]:
    """The likely dates that the readings of so many days ago gave."""
    learnt = record.earlier.get(days_back)
    if learnt is None:
        return [None] * len(mark)
    days = runway(learnt, mark_bytes=mark, horizon_days=HORIZON_DAYS).likely_days
    return [
        date_after(series.on(int(column)) if column >= 0 else None, days=float(day))
        for day, column in zip(days, learnt.readings.last_column, strict=True)
    ]


def kept_fields(made: Made, *, index: int, judgement: Judgement) -> dict[str, Any]:
    """Return the fields of KeptForecast for one series."""  # Any: the fields' own types
    learnt, as_of = made.learnt, made.as_of(index)
    is_judged = bool(learnt.is_judged[index])
    dates = {
        f"{mark}_{which}_on": date_after(
            as_of, days=float(getattr(made.ways[mark], f"{which}_days")[index])
        )
        for mark in MARKS
        for which in ("early", "likely", "late")
    }
    ceiling = float(learnt.ceiling_bytes[index])
    return {
        "made_at": made.now,
        "as_of": as_of,
        "growth_per_day": float(learnt.growth_bytes_per_day[index]) if is_judged else None,
        "unjudged_because": learnt.reasons[index],
        "attention": judgement.attention,
        "attention_because": judgement.because,
        "limit_chance": None
        if made.marks["limit"][index] == NO_MARK
        else _known(float(made.ways["limit"].chance_within[index])),
        "crossed_on": made.crossed_on(index),
        "said_week_ago_on": made.said["week"][index],
        "said_month_ago_on": made.said["month"][index],
        "sort_on": dates["limit_likely_on"] or dates["limit_early_on"] or FAR_ON,
        "last_amount": _known(float(learnt.last_bytes[index])),
        "level": _known(float(learnt.level_bytes[index])),
        "noise_variance": _known(float(learnt.noise_variance[index])),
        "wander_variance": _known(float(learnt.wander_variance[index])),
        "drift_variance": _known(float(learnt.drift_variance[index])),
        "ceiling": ceiling if np.isfinite(ceiling) else None,
        "by_weekday": _told(learnt.rhythm.by_weekday[index]),
        "by_month_slot": _told(learnt.rhythm.by_month_slot[index]),
        "findings": findings_of(learnt, index=index, as_of=as_of),
        "record": record_told(made.record, index=index),
        **dates,
    }


def judgement_of(
    ledger: Ledger | None,
    *,
    made: Made,
    index: int,
    read_at: datetime,
    stood: str | None,
    without: str,
    has_end: bool = True,
    word: str = "used",
) -> Judgement:
    """Return how a thing stands; ``without`` says why nothing can fill what has no ledger."""
    is_unread = made.now - read_at > ALLOWED_AGE
    if ledger is None:
        state = Attention.UNREAD if is_unread else Attention.CLEAR
        return Judgement(attention=state, because=without)
    early, likely = (
        made.days_left("limit", which=which, index=index) if has_end else None
        for which in ("early", "likely")
    )
    return attention_of(
        ledger,
        early_days=early,
        likely_days=likely,
        is_unread=is_unread,
        stood=Attention(stood) if stood else None,
        word=word,
    )


def date_after(as_of: date | None, *, days: float) -> date | None:
    """Return the date so many days after a reading, None beyond the horizon."""
    if as_of is None or not np.isfinite(days):
        return None
    return as_of + timedelta(days=int(days))


def _known(number: float) -> float | None:
    return number if np.isfinite(number) else None


def _told(rhythm: Float64s) -> list[float]:
    told: list[float] = rhythm.tolist()
    return told if rhythm.any() else []


def now() -> datetime:
    """Return the moment for which jobs make forecasts."""
    return datetime.now(UTC)
