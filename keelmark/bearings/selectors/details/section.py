"""A part of a thing's page: a small table, or a tree where rows hang on rows."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

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
class Section:
    """One part of a thing's page: a small table, or a tree where rows hang on rows."""

    key: str
    title: str
    note: str = ""
    columns: Sequence[Column] = ()
    rows: Sequence[Row] = field(default_factory=list)
    n_all: int = 0


def told(key: str, title: str, rows: Sequence[Row], *columns: Column) -> Section | None:
    """Return a section of rows, None where there is none."""
    if not rows:
        return None
    return Section(key=key, title=title, columns=columns, rows=rows[:MOST_ROWS], n_all=len(rows))
