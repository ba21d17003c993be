"""What a scenario does: which runways move, what ends first, what is promised beyond what is."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import Amounts, Table
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.reading import Reading
from keelmark.core.forecast import MAX_HORIZON_DAYS, Outlook, Runway, runway
from keelmark.core.forecast.room import room_until
from keelmark.core.scenario.changes import (
    HORIZON_DAYS,
    Changes,
    changes_in,
    changes_of,
    marks_by_day,
)
from keelmark.core.scenario.compiling import Compiled
from keelmark.core.scenario.effects import (
    Retire,
)
from keelmark.core.units import percent_of


@dataclass(frozen=True, kw_only=True, eq=False)  # no slots: what is worked out is kept
class Ends:
    """Runways to the limit marks of one kind, counted from today.

    ``rows`` (n_rows,) are those that a plan changes, ``moved`` (n_rows,) how they end with it.
    Columns of all (n,) are worked out when they are asked for, most kinds' never are. What is not
    there at the end of the plan ends never.
    """

    kind: str
    estate: Estate
    now: Reading
    rows: Int64s
    moved: Runway

    @cached_property
    def is_touched(self) -> Bools:
        """Which a plan changes."""
        told = np.zeros(len(self.estate.table(self.kind)), dtype=np.bool_)
        told[self.rows] = True
        return told

    @cached_property
    def before(self) -> Runway:
        """As they end without the plan."""
        return _told_before(self.now, kind=self.kind, n=len(self.estate.table(self.kind)))

    @cached_property
    def after(self) -> Runway:
        """As they end with it; that is ``before`` for what it does not change."""
        return _with(self.before, self.rows, self.moved)

    @property
    def order_days(self) -> Float64s:
        """Early after, less the lead time."""
        return self.after.early_days - self.estate.marks[self.kind].lead_time_days


def ended(told: Compiled, *, now: Reading) -> tuple[Compiled, dict[str, Ends]]:
    """Return a plan on an estate whose dates are those with the plan, and how each kind ends.

    Parameters
    ----------
    told : Compiled
        On the revision of the reading.
    now : Reading
        Of today, as it is.
    """
    ends: dict[str, Ends] = {}
    tables = dict(told.estate.tables)
    for kind, change in changes_in(told, now=now).items():
        ends[kind] = ends_of(told, change, now=now)
        if len(change.rows):
            tables[kind] = _dated(tables[kind], ends[kind], day=told.estate.day)
    return replace(told, estate=replace(told.estate, tables=tables)), ends


def ends_of(told: Compiled, change: Changes, *, now: Reading) -> Ends:
    """Return how a scenario moves the runways of a kind.

    Notes
    -----
    The first passage of the same outlook through the same mark, with the plan's courses added to
    every day; a limit mark that rises by so much is the same as bytes that are fewer by so much.
    """
    kind, rows = change.kind, change.rows
    retired = [one.row for one in told.plan.of_rows.get(kind, ()) if isinstance(one, Retire)]
    stays = np.flatnonzero(~np.isin(rows, retired))
    never = np.full(len(rows), np.inf)
    gone = Runway(
        early_days=never, likely_days=never, late_days=never, chance_within=np.zeros(len(rows))
    )
    moved = _with(gone, stays, _after(told.estate, change.of_rows(stays)))
    return Ends(kind=kind, estate=told.estate, now=now, rows=rows, moved=moved)


def _dated(table: Table, ends: Ends, *, day: int) -> Table:
    """The dates of what is touched, in the columns in which every list and rule finds them."""
    columns = dict(table.columns)
    rows = ends.rows
    for name, days in (
        ("early", ends.moved.early_days), ("runway", ends.moved.likely_days),
        ("late", ends.moved.late_days),
    ):  # fmt: skip
        was = table.amounts(name)
        values, is_known = was.values.copy(), was.is_known.copy()
        is_known[rows] = np.isfinite(days)
        values[rows] = np.where(is_known[rows], day + np.nan_to_num(days, posinf=0), 0)
        columns[name] = Amounts(values=values, is_known=is_known)
    return replace(table, columns=columns)


def _told_before(now: Reading, *, kind: str, n: int) -> Runway:
    """The dates that everything else tells, of today's revision."""
    table, day = now.estate.table(kind), now.estate.day

    def days(name: str) -> Float64s:
        told = table.amounts(name)
        out = np.full(n, np.inf)
        out[: len(table)] = np.where(told.is_known, np.maximum(told.values - day, 0), np.inf)
        return out

    books = now.books[kind]
    unread = np.full(n, np.nan)
    unread[: len(table)] = np.where(books.used.is_known & books.size.is_known, 0.0, np.nan)
    return Runway(
        early_days=days("early") + unread, likely_days=days("runway") + unread,
        late_days=days("late") + unread, chance_within=np.full(n, np.nan),
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Course:
    """What is planned of some rows, from each one's own last reading: marks and bytes beside."""

    of: Outlook
    ages: Int64s
    marks: Int64s  # as they stand now
    bytes: Float64s  # (n_rows, n_days), what comes less by how much the mark rises
    is_sized: Bools


def _course_of(estate: Estate, change: Changes) -> _Course:
    """A limit mark that rises by so much is reckoned as bytes that are fewer by so much."""
    rows = change.rows
    outlooks = estate.outlooks[change.kind].of_rows(rows, day=estate.day)
    ages = np.maximum(estate.day - outlooks.as_of, 0)
    horizon = min(change.added.shape[1] - 1 + int(ages.max(initial=0)), MAX_HORIZON_DAYS)
    marks = marks_by_day(estate, change)
    told = change.added - (marks - marks[:, :1])
    # From each one's own last reading: a pool last read days ago starts there.
    since = np.empty((len(rows), horizon))
    for age in np.unique(ages):
        of_age = np.flatnonzero(ages == age)
        on = np.clip(np.arange(1, horizon + 1) - age, 0, told.shape[1] - 1)
        since[of_age] = told[of_age].take(on, axis=1)
    return _Course(
        of=outlooks.of, ages=ages, marks=marks[:, 0], bytes=since,
        is_sized=change.sizes.max(axis=1, initial=0) > 0,
    )  # fmt: skip


def _after(estate: Estate, change: Changes) -> Runway:
    """First passages of what is touched, days from today."""
    told = _course_of(estate, change)
    way = runway(
        told.of, mark_bytes=told.marks, horizon_days=told.bytes.shape[1], added_bytes=told.bytes
    )
    # Of no size that anybody knows there is no mark to reach.
    unread = np.where(told.is_sized, 0.0, np.nan)

    def from_today(days: Float64s) -> Float64s:
        return np.where(np.isnan(days), np.nan, np.maximum(days - told.ages, 0.0)) + unread

    return Runway(
        early_days=from_today(way.early_days), likely_days=from_today(way.likely_days),
        late_days=from_today(way.late_days), chance_within=way.chance_within,
    )  # fmt: skip


def room_with(estate: Estate, change: Changes, *, first_day: int, last_day: int) -> Float64s:
    """Return how many bytes may come besides what is planned, so that limit marks hold.

    Parameters
    ----------
    estate : Estate
        With rows for what is born.
    change : Changes
        What a plan makes of some rows, as far as the last day or further.
    first_day, last_day : int
        From today: only from the first to the last is looked whether a mark is reached.

    Returns
    -------
    (n_rows,) float64
        By first passage on the bad case; below 0 what must go, NaN where nobody can judge.
    """
    told = _course_of(estate, change)
    since = np.arange(1, told.bytes.shape[1] + 1)[None, :] - told.ages[:, None]
    before = told.marks[:, None] + np.abs(told.bytes)
    left = room_until(
        told.of, mark_bytes=told.marks, days=last_day + told.ages,
        horizon_days=told.bytes.shape[1],
        planned_bytes=np.where(since < first_day, -before.astype(np.float64), told.bytes),
    )  # fmt: skip
    return np.where(told.is_sized, left, np.nan)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Planned:
    """Things (n,) that are there today: futures, marks, and what is planned on each day.

    ``bytes`` (n, n_days) is from each one's own last reading, ``ages`` days ago.
    """

    of: Outlook
    ages: Int64s
    marks: Int64s
    bytes: Float64s


def planned_of(told: Compiled, *, now: Reading, kind: str, first_day: int = 0) -> Planned:
    """Return the futures of all that there are of a kind, with what a plan brings.

    Before ``first_day``, from today, nothing is to count: so much less is there then.
    """
    outlooks, marks = now.estate.outlooks[kind], now.estate.marks[kind].limit_percent
    n = len(outlooks.as_of)
    ages = np.maximum(told.estate.day - outlooks.as_of, 0)
    n_days = min(HORIZON_DAYS + int(ages.max(initial=0)), MAX_HORIZON_DAYS)
    brought = np.zeros((n, n_days))
    change = changes_of(told, now=now, kind=kind)
    at = np.flatnonzero(change.rows < n)
    if len(at):
        course = _course_of(told.estate, change).bytes[at]
        days = np.minimum(np.arange(n_days), course.shape[1] - 1)
        brought[change.rows[at]] = course[:, days]
    limits = percent_of(now.books[kind].size.values, marks)
    since = np.arange(1, n_days + 1)[None, :] - ages[:, None]
    before = limits[:, None] + np.abs(brought)
    return Planned(
        of=outlooks.of, ages=ages, marks=limits,
        bytes=np.where(since < first_day, -before.astype(np.float64), brought),
    )  # fmt: skip


def _with(way: Runway, rows: Int64s, other: Runway) -> Runway:
    told = {}
    for name in ("early_days", "likely_days", "late_days", "chance_within"):
        column = getattr(way, name).copy()
        column[rows] = getattr(other, name)
        told[name] = column
    return replace(way, **told)


def exposed(reading: Reading, *, of: Bools | None = None) -> int:
    """Return the bytes that are missing if every consumer of a pool filled what it was promised."""
    missing = reading.books["pool"].exposure
    is_in = reading.is_there["pool"] & missing.is_known
    return int(missing.values[is_in if of is None else is_in & of].sum())


def past_limit(reading: Reading, *, kind: str) -> Bools:
    """Return which of a kind stand past their limit mark on the day."""
    books, marks = reading.books[kind], reading.estate.marks[kind]
    told: Bools = reading.is_there[kind] & books.past(marks.limit_percent)
    return told
