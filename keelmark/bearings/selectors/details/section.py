"""A part of a thing's page: a small table, or a tree where rows hang on rows."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from keelmark.bearings.selectors.picture import reading_at
from keelmark.core.estate.reading import LIKELY

MOST_ROWS = 200


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """A column of a section: what it is called and in what it is told."""

    name: str
    measure: str = "text"  # text, bytes, count, flag, moment


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A row of a section; the thing that it leads to, and how deep it hangs in a tree."""

    cells: Sequence[Any]  # Any: JSON
    thing_id: int | None = None
    thing_kind: str | None = None
    depth: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """What a thing holds, and can hold; None where nobody read or told it."""

    used: int | None = None
    size: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Section:
    """One part of a thing's page: a small table, or a tree where rows hang on rows."""

    key: str
    title: str
    note: str = ""
    columns: Sequence[Column] = ()
    rows: Sequence[Row] = field(default_factory=list)
    n_all: int = 0


def held_now(kind: str, *, ids: Sequence[int]) -> dict[int, Held]:
    """Return what things hold and can hold now, by the same picture as every list and gauge."""
    reading = reading_at(day=None, quantile=LIKELY)
    table, books = reading.estate.table(kind), reading.books[kind]
    rows = {pk: table.row_of(pk) for pk in ids}
    return {
        pk: Held() if row is None else Held(used=books.used.told(row), size=books.size.told(row))
        for pk, row in rows.items()
    }


def told(key: str, title: str, rows: Sequence[Row], *columns: Column) -> Section | None:
    """Return a section of rows, None where there is none."""
    if not rows:
        return None
    return Section(key=key, title=title, columns=columns, rows=rows[:MOST_ROWS], n_all=len(rows))
