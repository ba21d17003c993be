"""Simple ways to go on from a day, none of them right for all."""

from dataclasses import dataclass
from enum import Enum

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.forecast.robust import zeroed

MIN_WINDOW_DAYS = 7  # one weekly rhythm
ALL_DAYS = 560
LEAST_LEVEL = 1e-3  # of a series' own largest: what grows in proportion needs something there
MAX_FOLD = 1.5  # in logs: times e^1.5, what is in proportion is followed no further
MAX_RATE = 0.02  # a day


class Form(Enum):
    """How a way goes on from its level with its pace."""

    STRAIGHT = "straight"
    DAMPED = "damped"  # the pace fades
    DRAWN = "drawn"  # from the last level to a line or mean
    PROPORTION = "proportion"


class Start(Enum):
    """Where a way starts."""

    LAST = "last"
    MEAN = "mean"
    LINE = "line"


class Pace(Enum):
    """What a way takes for its pace."""

    NONE = "none"
    ENDS = "ends"  # from end to end
    SLOPE = "slope"  # least squares


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """One way: window, start, pace, form, and whether level shifts count as growth."""

    name: str
    days: int
    with_shifts: bool
    start: Start = Start.LAST
    pace: Pace = Pace.NONE
    form: Form = Form.STRAIGHT
    time_days: float = 0.0

    @property
    def is_mixed(self) -> bool:
        """Whether it may count in the mix; what grows in proportion only informs."""
        return self.form != Form.PROPORTION


def _ends(days: int, *, with_shifts: bool) -> Way:
    return Way(
        name=f"as over {_span(days)}{_shifts(with_shifts)}",
        days=days, with_shifts=with_shifts, pace=Pace.ENDS,
    )  # fmt: skip


def _slope(days: int, *, with_shifts: bool) -> Way:
    return Way(
        name=f"slope of {_span(days)}{_shifts(with_shifts)}",
        days=days, with_shifts=with_shifts, pace=Pace.SLOPE,
    )  # fmt: skip


def _line(days: int, *, with_shifts: bool) -> Way:
    return Way(
        name=f"line of {_span(days)}{_shifts(with_shifts)}",
        days=days, with_shifts=with_shifts, start=Start.LINE, pace=Pace.SLOPE,
    )  # fmt: skip


def _mean(days: int, *, with_shifts: bool) -> Way:
    return Way(name=f"mean of {_span(days)}", days=days, with_shifts=with_shifts, start=Start.MEAN)


def _span(days: int) -> str:
    return "all days" if days == ALL_DAYS else f"{days} days"


def _shifts(with_shifts: bool) -> str:
    return ", shifts too" if with_shifts else ""


WAYS: tuple[Way, ...] = (
    Way(name="stays", days=1, with_shifts=False),
    _mean(28, with_shifts=False),
    _mean(112, with_shifts=True),
    _mean(ALL_DAYS, with_shifts=True),
    _ends(28, with_shifts=False),
    _ends(84, with_shifts=False),
    _ends(224, with_shifts=False),
    _ends(224, with_shifts=True),
    _ends(ALL_DAYS, with_shifts=False),
    _ends(ALL_DAYS, with_shifts=True),
    _slope(56, with_shifts=False),
    _slope(112, with_shifts=False),
    _slope(224, with_shifts=False),
    _slope(224, with_shifts=True),
    _slope(ALL_DAYS, with_shifts=False),
    _slope(ALL_DAYS, with_shifts=True),
    _line(112, with_shifts=False),
    _line(ALL_DAYS, with_shifts=False),
    _line(ALL_DAYS, with_shifts=True),
    Way(
        name="drawn to the line of 224 days", days=224, with_shifts=False, start=Start.LINE,
        pace=Pace.SLOPE, form=Form.DRAWN, time_days=15.0,
    ),
    Way(
        name="drawn to the line of all days", days=ALL_DAYS, with_shifts=True, start=Start.LINE,
        pace=Pace.SLOPE, form=Form.DRAWN, time_days=60.0,
    ),
    Way(
        name="drawn to the mean of 112 days", days=112, with_shifts=True, start=Start.MEAN,
        form=Form.DRAWN, time_days=30.0,
    ),
    Way(
        name="slope of 56 days, fading", days=56, with_shifts=False, pace=Pace.SLOPE,
        form=Form.DAMPED, time_days=60.0,
    ),
    Way(
        name="in proportion, 224 days", days=224, with_shifts=True, pace=Pace.SLOPE,
        form=Form.PROPORTION,
    ),
    Way(
        name="in proportion, all days", days=ALL_DAYS, with_shifts=True, pace=Pace.SLOPE,
        form=Form.PROPORTION,
    ),
)  # fmt: skip
N_WAYS = len(WAYS)
IS_MIXED = np.array([way.is_mixed for way in WAYS])


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Sums:
    """Running sums of a right-aligned series that make the line through any window cheap."""

    values: Float64s  # (n_series, n_days), 0 before the first reading
    of_y: Float64s  # exclusive running sums, (n_series, n_days + 1)
    of_xy: Float64s
    first_column: Int64s

    @classmethod
    def of(cls, values: Float64s, *, first_column: Int64s) -> "Sums":
        """Sum up right-aligned series (n_series, n_days), NaN before the first reading."""
        known = zeroed(values)
        columns = np.arange(values.shape[1], dtype=np.float64)
        zero = np.zeros((len(values), 1))
        return cls(
            values=known,
            of_y=np.hstack([zero, np.cumsum(known, axis=1)]),
            of_xy=np.hstack([zero, np.cumsum(known * columns, axis=1)]),
            first_column=first_column,
        )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Seen:
    """All ways as seen from one day: from where and how fast, each (N_WAYS, n_series)."""

    last: Float64s  # (n_series,)
    levels: Float64s
    paces: Float64s

    def after(self, days: Float64s) -> Float64s:
        """Return where each way stands after days, (N_WAYS, n_series, n_days)."""
        ahead = np.empty((*self.levels.shape, len(days)))
        for row, way in enumerate(WAYS):
            level, pace = self.levels[row][:, None], self.paces[row][:, None]
            match way.form:
                case Form.STRAIGHT:
                    ahead[row] = level + pace * days
                case Form.DAMPED:
                    ahead[row] = level + pace * way.time_days * (1 - np.exp(-days / way.time_days))
                case Form.DRAWN:
                    gap = self.last[:, None] - level
                    ahead[row] = level + pace * days + gap * np.exp(-days / way.time_days)
                case Form.PROPORTION:
                    ahead[row] = level * np.exp(np.clip(pace * days, -MAX_FOLD, MAX_FOLD))
        return ahead


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Readings:
    """What ways are seen on: levels with their shifts, without them, and in logs."""

    with_shifts: Sums
    without: Sums
    in_logs: Sums
    first_column: Int64s

    @classmethod
    def of(cls, level: Float64s, *, trend: Float64s, first_column: Int64s) -> "Readings":
        """Take right-aligned levels and trends, in shares of each series' own largest level."""
        logs = np.log(np.maximum(zeroed(level), LEAST_LEVEL))
        return cls(
            with_shifts=Sums.of(level, first_column=first_column),
            without=Sums.of(trend, first_column=first_column),
            in_logs=Sums.of(np.where(np.isnan(level), np.nan, logs), first_column=first_column),
            first_column=first_column,
        )

    def seen_from(self, at: int) -> Seen:
        """Return all ways as they were on a column's day."""
        windows: dict[tuple[int, int], _Window] = {}
        last = self.with_shifts.values[:, at]
        levels, paces = np.empty((N_WAYS, len(last))), np.zeros((N_WAYS, len(last)))
        for row, way in enumerate(WAYS):
            sums = (
                self.in_logs if way.form == Form.PROPORTION
                else self.with_shifts if way.with_shifts
                else self.without
            )  # fmt: skip
            key = (id(sums), way.days)
            if key not in windows:
                windows[key] = _Window.of(sums, at=at, days=way.days)
            window = windows[key]
            # A trend ends where the level ends today; on an earlier day it is moved there.
            moved = 0.0 if way.form == Form.PROPORTION else last - sums.values[:, at]
            match way.start:
                case Start.LAST:
                    levels[row] = last
                case Start.MEAN:
                    levels[row] = window.mean + moved
                case Start.LINE:
                    levels[row] = window.line_end + moved
            if way.pace == Pace.ENDS:
                paces[row] = window.ends
            elif way.pace == Pace.SLOPE:
                paces[row] = window.slope
        is_rate = np.array([way.form == Form.PROPORTION for way in WAYS])
        paces[is_rate] = np.clip(paces[is_rate], -MAX_RATE, MAX_RATE)
        return Seen(last=last, levels=levels, paces=paces)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Window:
    """Mean, pace from end to end, slope and the end of the line of a window, (n_series,) each."""

    mean: Float64s
    ends: Float64s
    slope: Float64s
    line_end: Float64s

    @classmethod
    def of(cls, sums: Sums, *, at: int, days: int) -> "_Window":
        rows = np.arange(len(sums.values))
        start = np.clip(np.maximum(sums.first_column, at - days), 0, at)
        length = (at - start).astype(np.float64)
        usable = length >= MIN_WINDOW_DAYS
        last = sums.values[:, at]
        n = length + 1
        middle = (start + at) / 2
        sum_y = sums.of_y[:, at + 1] - sums.of_y[rows, start]
        sum_xy = sums.of_xy[:, at + 1] - sums.of_xy[rows, start]
        moment = np.maximum(n * (n * n - 1) / 12, 1)
        slope = np.where(usable, (sum_xy - middle * sum_y) / moment, 0.0)
        mean = sum_y / n
        ends = np.where(usable, (last - sums.values[rows, start]) / np.maximum(length, 1), 0.0)
        line_end = np.where(usable, mean + slope * (at - middle), last)
        return cls(mean=mean, ends=ends, slope=slope, line_end=line_end)
