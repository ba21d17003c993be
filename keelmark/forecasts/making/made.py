"""Makes forecasts of many series at once and turns them into what is kept."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from typing import Any

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.attention import Attention, Fill, Judgement, attention_of
from keelmark.core.days import EPOCH, date_after
from keelmark.core.estate.holds import Hold
from keelmark.core.forecast import (
    Forecast,
    Record,
    Runway,
    Widening,
    forecast,
    record_of,
    runway,
    runways,
    widened,
)
from keelmark.forecasts.definitions.findings import findings_of, record_told
from keelmark.forecasts.definitions.horizon import (
    ALLOWED_AGE,
    FAR_ON,
    HORIZON_DAYS,
    LEARNT_DAYS,
    MARKS,
    NO_MARK,
    SAID_BEFORE_DAYS,
)
from keelmark.readings.selectors import Series, series_of


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Subjects:
    """What is forecast: ids in order, marks in bytes, sizes, groups of kin.

    Arrays are (n_series,); NO_MARK where a thing has none, inf where nothing ends it.
    """

    ids: Int64s
    marks: dict[str, Int64s]
    ceiling_bytes: Float64s
    kin: Int64s
    marks_then: Float64s | None = None  # (n_series, n_days): each day's limit mark in now's
    widening: Widening | None = None  # of all of the kind; None: what these alone tell
    holds: Mapping[int, tuple[Hold, ...]] = field(default_factory=dict)  # of accepted plans, by id


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Made:
    """Everything known about all subjects before their rows are written."""

    learnt: Forecast
    record: Record
    series: Series
    marks: dict[str, Int64s]
    limit_then: Float64s  # (n_series, n_days): where the limit mark stood on each day
    ways: dict[str, Runway]
    said: dict[str, list[date | None]]
    now: datetime

    def as_of(self, index: int) -> date | None:
        """Return the day of a series' last reading."""
        column = int(self.learnt.readings.last_column[index])
        return self.series.on(column) if column >= 0 else None

    def crossed_on(self, index: int) -> date | None:
        """Return since when the readings stand at the limit mark of their day, None if they do not.

        What stood there before the first reading has no such day.
        """
        used = self.series.used_bytes[index]
        read = np.flatnonzero(~np.isnan(used))
        is_below = used[read] < self.limit_then[index, read]
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
        series.used_bytes, first_day=first_day, kin=subjects.kin,
        ceiling_bytes=_ceilings(series, ceiling=subjects.ceiling_bytes),
        shift_bytes=learnt.readings.shift_bytes, is_one_kind=True, widening=subjects.widening,
    )  # fmt: skip
    learnt = widened(learnt, by=record.widening[0])
    limit_then = _limits_then(series, subjects=subjects)
    return Made(
        learnt=learnt,
        record=record,
        series=series,
        marks=subjects.marks,
        limit_then=limit_then,
        ways=_ways(learnt, subjects=subjects, first_day=first_day),
        said={
            name: _said(record, days_back=days, limit_then=limit_then, series=series)
            for name, days in SAID_BEFORE_DAYS.items()
        },
        now=now,
    )


def _ways(learnt: Forecast, *, subjects: Subjects, first_day: int) -> dict[str, Runway]:
    """The runways to each mark, with what accepted scenarios hold."""
    plain = runways(
        learnt, marks_bytes=np.stack(list(subjects.marks.values())), horizon_days=HORIZON_DAYS
    )
    told = dict(zip(subjects.marks, plain, strict=True))
    rows = np.flatnonzero(np.isin(subjects.ids, list(subjects.holds)))
    if len(rows) == 0:
        return told
    last = first_day + learnt.readings.last_column[rows]
    days = last[:, None] + np.arange(1, HORIZON_DAYS + 1)
    added = np.zeros(days.shape)
    for at, row in enumerate(rows.tolist()):
        for one in subjects.holds[int(subjects.ids[row])]:
            added[at] += one.on(days[at])
    for mark, marks in subjects.marks.items():
        held = runway(
            learnt.of_rows(rows), mark_bytes=marks[rows], horizon_days=HORIZON_DAYS,
            added_bytes=added,
        )  # fmt: skip
        columns = {}
        for name in ("early_days", "likely_days", "late_days", "chance_within"):
            columns[name] = getattr(told[mark], name).copy()
            columns[name][rows] = getattr(held, name)
        told[mark] = Runway(**columns)
    return told


def _sizes_then(series: Series) -> Float64s:
    """What each could hold by the last that was told of it up to each day, NaN before any."""
    told = ~np.isnan(series.capacity_bytes)
    at = np.maximum.accumulate(np.where(told, np.arange(told.shape[1]), -1), axis=1)
    sizes = np.take_along_axis(series.capacity_bytes, np.maximum(at, 0), axis=1)
    return np.where(at >= 0, sizes, np.nan)


def _ceilings(series: Series, *, ceiling: Float64s) -> Float64s:
    """Where each ended on each day as far as was known then: its size, or what it held over it."""
    then = _sizes_then(series)
    own = np.where(np.isfinite(ceiling)[:, None] & ~np.isnan(then), then, ceiling[:, None])
    held = np.maximum.accumulate(np.nan_to_num(series.used_bytes), axis=1)
    ceilings: Float64s = np.maximum(own, held)
    return ceilings


def _limits_then(series: Series, *, subjects: Subjects) -> Float64s:
    """Where the limit mark stood on each day: of the size and by the marks of then."""
    sizes = _sizes_then(series)
    now = np.where(sizes[:, -1:] > 0, sizes[:, -1:], np.nan)
    share = np.nan_to_num(sizes / now, nan=1.0)
    if subjects.marks_then is not None:
        share = share * subjects.marks_then
    limit = subjects.marks["limit"].astype(np.float64)[:, None]
    then: Float64s = np.where(limit < NO_MARK, np.minimum(limit * share, NO_MARK), limit)
    return then


def _said(
    record: Record, *, days_back: int, limit_then: Float64s, series: Series
) -> list[date | None]:
    """The likely dates that the readings of so many days ago gave, at the marks of then."""
    learnt = record.earlier.get(days_back)
    if learnt is None:
        return [None] * len(limit_then)
    mark = np.round(limit_then[:, -1 - days_back]).astype(np.int64)
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
        "noise_variance": _known(float(learnt.fan.noise_variance[index])),
        "noise_memory": int(learnt.fan.memory[index]),
        "fan": learnt.fan.told(index) if is_judged else [],
        "ceiling": ceiling if np.isfinite(ceiling) else None,
        "by_weekday": _told(learnt.rhythm.by_weekday[index]),
        "by_month_slot": _told(learnt.rhythm.by_month_slot[index]),
        "findings": findings_of(learnt, index=index, as_of=as_of),
        "record": record_told(made.record, index=index),
        **dates,
    }


def judgement_of(
    fill: Fill | None,
    *,
    made: Made,
    index: int,
    read_at: datetime,
    allowed: timedelta = ALLOWED_AGE,
    stood: str | None,
    without: str,
    was_read: bool = True,
    has_end: bool = True,
    word: str = "used",
) -> Judgement:
    """Return how a thing stands; ``without`` says why nothing fills what has no fill.

    ``allowed`` is how old its own feed lets readings be. What was never read, or is not judged, is
    not clear.
    """
    is_unread = made.now - read_at > allowed
    is_judged = bool(made.learnt.is_judged[index])
    if fill is None:
        state = Attention.CLEAR if was_read and not is_unread else Attention.UNREAD
        return Judgement(attention=state, because=without)
    early, likely = (
        made.days_left("limit", which=which, index=index) if has_end else None
        for which in ("early", "likely")
    )
    judged = attention_of(
        fill,
        early_days=early,
        likely_days=likely,
        is_unread=is_unread,
        stood=Attention(stood) if stood else None,
        word=word,
    )
    if judged.attention is Attention.CLEAR and not is_judged:
        return Judgement(attention=Attention.UNREAD, because=made.learnt.reasons[index])
    return judged


def _known(number: float) -> float | None:
    return number if np.isfinite(number) else None


def _told(rhythm: Float64s) -> list[float]:
    told: list[float] = rhythm.tolist()
    return told if rhythm.any() else []
