"""Dated effects on an estate, and the estate read with them at any day to come."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from keelmark.core.arrays import Int64s
from keelmark.core.errors import RangeError
from keelmark.core.estate.books import MarkColumns
from keelmark.core.estate.columns import NOWHERE, Amounts, Column, Table
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.reading import LIKELY, Reading, read
from keelmark.core.marks import DEFAULT_MARKS
from keelmark.core.scenario.draft import Draft
from keelmark.core.scenario.effects import Born, Course, Effect, OfRow

NEVER = 2**31  # a day that does not come


@dataclass(frozen=True, kw_only=True, eq=False)  # no slots: what was sorted is kept
class Plan:
    """Effects in the order in which they come: by day, of one day as they were named."""

    effects: tuple[Effect, ...] = ()

    @cached_property
    def of_rows(self) -> dict[str, list[OfRow]]:
        """What comes to rows, by their kind."""
        told: dict[str, list[OfRow]] = {}
        for one in self.effects:
            if isinstance(one, OfRow):
                told.setdefault(one.kind, []).append(one)
        return told

    @property
    def born(self) -> list[Born]:
        """What there is not yet."""
        return [one for one in self.effects if isinstance(one, Born)]

    def added_on(self, day: int, estate: Estate) -> dict[str, Int64s]:
        """Return the bytes that things hold more, or fewer, on a day, (n,) by kind."""
        sums: dict[str, dict[int, int]] = {}
        for one in self.effects:
            if isinstance(one, Course) and one.day <= day:
                by_row = sums.setdefault(one.kind, {})
                by_row[one.row] = by_row.get(one.row, 0) + one.bytes_on(day)
        told = {kind: np.zeros(len(estate.table(kind)), dtype=np.int64) for kind in sums}
        for kind, by_row in sums.items():
            told[kind][list(by_row)] = list(by_row.values())
        return told

    def on(self, estate: Estate, *, day: int) -> Estate:
        """Return the estate with all that has come by a day."""
        draft = Draft(with_rows(estate, self.born))
        for one in self.effects:
            if one.day <= day:
                one.write(draft)
        return draft.done()


def plan_of(estate: Estate, effects: Sequence[Effect]) -> Plan:
    """Return a plan of effects, the earliest first.

    Raises
    ------
    RangeError
        If an effect comes before the day of the estate, or what is born is to stand neither in
        the row that was made for it nor behind all there are and all that are born before it.
    """
    for one in effects:
        if one.day < estate.day:
            raise RangeError(argument="day", found=one.day, wanted=f"{estate.day} or later")
    next_row: dict[str, int] = {}
    for one in effects:
        if not isinstance(one, Born):
            continue
        table = estate.table(one.kind)
        if one.row < len(table):  # a row that was made for it
            wanted = one.row if int(table.ids[one.row]) == one.born_id else len(table)
        else:
            wanted = next_row.get(one.kind, len(table))
            next_row[one.kind] = wanted + 1
        if one.row != wanted:
            raise RangeError(argument="row", found=one.row, wanted=f"{wanted}")
    return Plan(effects=tuple(sorted(effects, key=lambda one: one.day)))


def read_with(estate: Estate, plan: Plan, *, day: int, quantile: float = LIKELY) -> Reading:
    """Return the estate with a plan, read at a day from now on.

    Raises
    ------
    RangeError
        If the day has been.
    """
    if day < estate.day:
        raise RangeError(argument="day", found=day, wanted=f"{estate.day} or later")
    told = plan.on(estate, day=day)
    return read(told, day=day, quantile=quantile, added=plan.added_on(day, told))


def with_rows(estate: Estate, born: Sequence[Born]) -> Estate:
    """Return the estate with rows for what is born, of which nobody tells anything yet.

    An estate that has rows for all of it already is returned as it is.
    """
    by_kind: dict[str, list[Born]] = {}
    for one in born:
        if one.row >= len(estate.table(one.kind)):
            by_kind.setdefault(one.kind, []).append(one)
    if not by_kind:
        return estate
    tables, marks = dict(estate.tables), dict(estate.marks)
    for kind, some in by_kind.items():
        tables[kind] = _longer(estate.table(kind), sorted(some, key=lambda one: one.row))
        if kind in marks:
            marks[kind] = _default_marks(marks[kind], n=len(some))
    # Outlooks stay as they are: what stands behind them holds nothing of itself.
    return replace(estate, tables=tables, marks=marks)


def _longer(table: Table, born: Sequence[Born]) -> Table:
    n = len(born)
    blank = np.zeros(n, dtype=np.int64)
    nowhere = np.full(n, NOWHERE, dtype=np.int64)
    columns: dict[str, Column] = {}
    for name, column in table.columns.items():
        if isinstance(column, Amounts):
            is_seen = name == "seen"
            columns[name] = Amounts(
                values=np.append(column.values, blank + NEVER if is_seen else blank),
                is_known=np.append(column.is_known, np.full(n, is_seen)),
            )
        else:
            codes = np.append(column.codes, nowhere).astype(np.int32)
            columns[name] = replace(column, codes=codes)
    return replace(
        table,
        ids=np.append(table.ids, [one.born_id for one in born]),
        names=table.names + tuple(one.name for one in born),
        links={name: np.append(rows, nowhere) for name, rows in table.links.items()},
        columns=columns,
    )


def _default_marks(marks: MarkColumns, *, n: int) -> MarkColumns:
    return MarkColumns(
        **{
            name: np.append(getattr(marks, name), np.full(n, mark, dtype=np.int64))
            for name, mark in DEFAULT_MARKS.items()
        }
    )
