"""What a plan makes of the rows that it names, day by day: sizes, marks, bytes beside."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.reading import ENDS_AT_QUOTA, FOLDS, Reading
from keelmark.core.scenario.compiling import Compiled
from keelmark.core.scenario.effects import (
    AddAmount,
    Born,
    Course,
    OfRow,
    Retire,
    SetAmount,
    SetsAside,
)
from keelmark.core.scenario.plan import Plan
from keelmark.core.units import percent_of

HORIZON_DAYS: Final = 730  # as far as forecasts are made


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Changes:
    """What a plan makes of some rows of one kind, on each day from today on.

    ``sizes`` (n_rows, horizon_days + 1) int64, 0 where nobody knows; ``added`` float64 beside.
    """

    kind: str
    rows: Int64s
    sizes: Int64s
    added: Float64s

    def of_rows(self, at: Int64s) -> "Changes":
        """Return those of some of the rows."""
        return Changes(
            kind=self.kind, rows=self.rows[at], sizes=self.sizes[at], added=self.added[at]
        )


def changes_in(told: Compiled, *, now: Reading) -> dict[str, Changes]:
    """Return what a plan makes of all that it touches, by kind; wholes with what their parts do."""
    changes = {kind: changes_of(told, now=now, kind=kind) for kind in told.estate.outlooks}
    folds = [one for one in FOLDS if one[0] in changes and one[1] in changes]
    of_disks = {whole: way for whole, way in _OF_DISKS.items() if whole in changes}
    if not folds and not of_disks:
        return changes
    then = told.plan.on(told.estate, day=_last_day(told))
    for whole, part, link in folds:
        if whole not in of_disks:
            changes[whole] = _folded(
                told, changes[whole], of=changes[part], link=link, now=now, then=then
            )
    for whole, way in of_disks.items():
        changes[whole] = _of_disks(told, changes[whole], way=way, now=now, then=then)
    return changes


def marks_by_day(estate: Estate, change: Changes) -> Int64s:
    """Return the limit marks of what a plan changes, on each day from today on."""
    sizes = _from_birth(np.maximum(change.sizes, 0))
    limit_percent = estate.marks[change.kind].limit_percent[change.rows]
    marks = np.repeat(percent_of(sizes[:, 0], limit_percent)[:, None], sizes.shape[1], axis=1)
    other = np.flatnonzero((sizes != sizes[:, :1]).any(axis=1))  # of most the size stays
    of_others = percent_of(sizes[other].ravel(), np.repeat(limit_percent[other], sizes.shape[1]))
    marks[other] = of_others.reshape(len(other), sizes.shape[1])
    return marks


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
    of_kind = _that_matter(plan, kind=kind, n_read=len(now.estate.table(kind)))
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


def _that_matter(plan: Plan, *, kind: str, n_read: int) -> list[OfRow]:
    """What comes to rows of a kind and may move their dates."""
    told = plan.of_rows.get(kind, [])
    if kind not in _OF_OTHERS:
        return told
    gone = {one.row for one in told if isinstance(one, Retire)}
    return [
        one
        for one in told
        if one.row < n_read
        and (
            isinstance(one, Retire)
            or (one.row not in gone and isinstance(one, Course))
            or (isinstance(one, AddAmount | SetAmount) and one.column == "size")
        )
    ]


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


# Whose bytes are those of disks, such as come and go with a plan too: by which links.
_OF_DISKS: Final = {"tenant": ("tenant",), "project": ("vm", "project")}


def _of_disks(
    told: Compiled, whole: Changes, *, way: Sequence[str], now: Reading, then: Estate
) -> Changes:  # fmt: skip
    """What a plan makes of wholes of disks: what these bring and take away, by day."""
    courses = [one for one in told.plan.of_rows.get("disk", ()) if isinstance(one, Course)]
    onto = np.array([one.row for one in courses], dtype=np.int64)
    for kind, link in zip(("disk", *way), way, strict=False):
        onto = np.append(then.table(kind).links[link], NOWHERE)[onto]
    by_row: dict[int, list[Course]] = {}
    for one, row in zip(courses, onto.tolist(), strict=True):
        if row != NOWHERE:
            by_row.setdefault(row, []).append(one)
    changed = _wider(whole, np.array(sorted(by_row), dtype=np.int64), now=now)
    days = np.arange(changed.added.shape[1]) + told.estate.day
    for at, row in enumerate(changed.rows.tolist()):
        if row in by_row:
            changed.added[at] += _bytes_of(by_row[row], days=days)
    return changed


def _wider(whole: Changes, more: Int64s, *, now: Reading) -> Changes:
    """Changes of more rows, such as nothing is changed of yet."""
    rows = np.union1d(whole.rows, more).astype(np.int64)
    first, _ = _sizes_now(now, kind=whole.kind, rows=rows)
    sizes = np.repeat(first[:, None], whole.sizes.shape[1], axis=1)
    added = np.zeros(sizes.shape)
    own = np.searchsorted(rows, whole.rows)
    sizes[own], added[own] = whole.sizes, whole.added
    return Changes(kind=whole.kind, rows=rows, sizes=sizes, added=added)


def _folded(
    told: Compiled, whole: Changes, *, of: Changes, link: str, now: Reading, then: Estate
) -> Changes:  # fmt: skip
    """What a plan makes of wholes: of its own rows, and of those whose parts it changes."""
    last = then.table(of.kind).links[link][of.rows]
    onto = np.where(last == NOWHERE, told.estate.table(of.kind).links[link][of.rows], last)
    is_in = onto != NOWHERE
    changed = _wider(whole, onto[is_in], now=now)
    rows, sizes, added = changed.rows, changed.sizes, changed.added
    at = np.searchsorted(rows, onto[is_in])
    np.add.at(added, at, of.added[is_in])
    if whole.kind not in ENDS_AT_QUOTA:
        was, _ = _sizes_now(now, kind=of.kind, rows=of.rows)
        np.add.at(sizes, at, (of.sizes - was[:, None])[is_in])
    return changed


def _last_day(told: Compiled) -> int:
    return max((one.day for one in told.plan.effects), default=told.estate.day)
