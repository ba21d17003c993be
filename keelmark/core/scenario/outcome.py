"""What a scenario does: which runways move, what ends first, what is promised beyond what is."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE, Amounts, Table
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.reading import ENDS_AT_QUOTA, FOLDS, Reading
from keelmark.core.forecast import MAX_HORIZON_DAYS, Outlook, Runway, runway
from keelmark.core.forecast.room import room_until
from keelmark.core.scenario.compiling import Compiled
from keelmark.core.scenario.effects import (
    AddAmount,
    Born,
    Course,
    Retire,
    SetAmount,
    SetsAside,
)
from keelmark.core.scenario.plan import NEVER
from keelmark.core.units import percent_of

HORIZON_DAYS: Final = 730  # as far as forecasts are made


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


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Changes:
    """What a plan makes of some rows of one kind, on each day from today on.

    ``sizes`` (n_rows, horizon_days + 1) int64, 0 where nobody knows; ``added`` float64 beside.
    """

    kind: str
    rows: Int64s
    sizes: Int64s
    added: Float64s


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


def changes_in(told: Compiled, *, now: Reading) -> dict[str, Changes]:
    """Return what a plan makes of all that it touches, by kind; wholes with what their parts do."""
    changes = {kind: changes_of(told, now=now, kind=kind) for kind in told.estate.outlooks}
    for whole, part, link in FOLDS:
        if whole in changes and part in changes:
            changes[whole] = _folded(told, changes[whole], of=changes[part], link=link, now=now)
    return changes


def ends_of(told: Compiled, change: Changes, *, now: Reading) -> Ends:
    """Return how a scenario moves the runways of a kind.

    Notes
    -----
    The first passage of the same outlook through the same mark, with the plan's courses added to
    every day; a limit mark that rises by so much is the same as bytes that are fewer by so much.
    """
    kind, rows = change.kind, change.rows
    after = _after(told.estate, change)
    retired = [one.row for one in told.plan.of_rows.get(kind, ()) if isinstance(one, Retire)]
    gone = np.isin(rows, retired)
    return Ends(
        kind=kind, estate=told.estate, now=now, rows=rows,
        moved=Runway(
            early_days=np.where(gone, np.inf, after.early_days),
            likely_days=np.where(gone, np.inf, after.likely_days),
            late_days=np.where(gone, np.inf, after.late_days),
            chance_within=np.where(gone, 0.0, after.chance_within),
        ),
    )  # fmt: skip


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


def marks_by_day(estate: Estate, change: Changes) -> Int64s:
    """Return the limit marks of what a plan changes, on each day from today on."""
    sizes = _from_birth(np.maximum(change.sizes, 0))
    limit_percent = estate.marks[change.kind].limit_percent[change.rows]
    marks = np.repeat(percent_of(sizes[:, 0], limit_percent)[:, None], sizes.shape[1], axis=1)
    other = np.flatnonzero((sizes != sizes[:, :1]).any(axis=1))  # of most the size stays
    of_others = percent_of(sizes[other].ravel(), np.repeat(limit_percent[other], sizes.shape[1]))
    marks[other] = of_others.reshape(len(other), sizes.shape[1])
    return marks


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


def _from_birth(sizes: Int64s) -> Int64s:
    """Sizes with that of its first day before what is born, when it holds nothing anyway."""
    is_there = np.maximum.accumulate(sizes > 0, axis=1)
    first = sizes[np.arange(len(sizes)), is_there.argmax(axis=1)]
    return np.where(is_there, sizes, first[:, None])


def changes_of(
    told: Compiled, *, now: Reading, kind: str, horizon_days: int = HORIZON_DAYS
) -> Changes:
    """Return what a plan makes of the rows of one kind that it names, by day."""
    estate, plan = told.estate, told.plan
    n_read = len(now.estate.table(kind)) if kind in _OF_OTHERS else NEVER
    of_kind = [one for one in plan.of_rows.get(kind, ()) if one.row < n_read]
    holds = [one for one in estate.holds if one.kind == kind]
    named = {one.row for one in of_kind} | {one.row for one in holds}
    rows = np.array(sorted(named), dtype=np.int64)
    days = np.arange(horizon_days + 1)
    place = {row: at for at, row in enumerate(rows.tolist())}
    added = np.zeros((len(rows), horizon_days + 1))
    sizes, is_known = _sizes_now(now, kind=kind, rows=rows)
    sizes = np.repeat(sizes[:, None], horizon_days + 1, axis=1)
    courses: list[Course] = []
    for one in of_kind:
        at, begin = place[one.row], one.day - estate.day
        if isinstance(one, Course):
            courses.append(one)
        elif isinstance(one, AddAmount) and one.column == "size":
            sizes[at, begin:] += one.amount if is_known[at] else 0
        elif isinstance(one, SetAmount) and one.column == _SIZE.get(kind, "size"):
            sizes[at, begin:] = one.amount or 0
        elif isinstance(one, Born):
            sizes[at, begin:] = one.amounts.get("size", 0)
            is_known[at] = "size" in one.amounts
        elif isinstance(one, Retire):
            sizes[at, begin:] = 0
        elif isinstance(one, SetsAside):
            added[at] += one.hold.on(days + estate.day)
    for some in _of_row(courses):
        added[place[some[0].row]] += _bytes_of(some, days=days + estate.day)
    for held in holds:
        added[place[held.row]] += held.on(days + estate.day)
    return Changes(kind=kind, rows=rows, sizes=sizes, added=added)


def _of_row(courses: Sequence[Course]) -> list[list[Course]]:
    by_row: dict[int, list[Course]] = {}
    for one in courses:
        by_row.setdefault(one.row, []).append(one)
    return list(by_row.values())


def _bytes_of(courses: Sequence[Course], *, days: Int64s) -> Float64s:
    """What courses of one thing bring together on some days."""
    begins, first, pace, most, sign = np.array(
        [
            (one.day, one.first_bytes, one.bytes_per_day, one.most_bytes, -1 if one.is_less else 1)
            for one in courses
        ],
        dtype=np.float64,
    ).T[:, :, None]  # fmt: skip
    since = days - begins
    told = np.where(since >= 0, np.minimum(first + since * pace, most), 0.0)
    together: Float64s = (sign * told).sum(axis=0)
    return together


# What moves bring of these is bounded by its own size; what ends is what it lies on.
_OF_OTHERS: Final = frozenset({"disk", "volume"})
_SIZE: Final = dict.fromkeys(ENDS_AT_QUOTA, "quota")


def _sizes_now(now: Reading, *, kind: str, rows: Int64s) -> tuple[Int64s, Bools]:
    """Sizes as they are; of what is not there yet nothing is known."""
    told = now.books[kind].size
    at = np.where(rows < len(told), rows, len(told))
    return (
        np.append(np.where(told.is_known, told.values, 0), 0)[at],
        np.append(told.is_known, False)[at],
    )


def _folded(
    told: Compiled, whole: Changes, *, of: Changes, link: str, now: Reading
) -> Changes:  # fmt: skip
    """What a plan makes of wholes: of its own rows, and of those whose parts it changes."""
    then = told.plan.on(told.estate, day=_last_day(told)).table(of.kind).links[link][of.rows]
    onto = np.where(
        then == NOWHERE, told.estate.table(of.kind).links[link][of.rows], then
    )  # fmt: skip
    rows = np.union1d(whole.rows, onto[onto != NOWHERE]).astype(np.int64)
    first, _ = _sizes_now(now, kind=whole.kind, rows=rows)
    sizes = np.repeat(first[:, None], whole.sizes.shape[1], axis=1)
    added = np.zeros(sizes.shape)
    own = np.searchsorted(rows, whole.rows)
    sizes[own], added[own] = whole.sizes, whole.added
    is_in = onto != NOWHERE
    at = np.searchsorted(rows, onto[is_in])
    np.add.at(added, at, of.added[is_in])
    if whole.kind not in ENDS_AT_QUOTA:
        was, _ = _sizes_now(now, kind=of.kind, rows=of.rows)
        np.add.at(sizes, at, (of.sizes - was[:, None])[is_in])
    return Changes(kind=whole.kind, rows=rows, sizes=sizes, added=added)


def _last_day(told: Compiled) -> int:
    return max((one.day for one in told.plan.effects), default=told.estate.day)


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
