"""Rows of any kind at a bearing: sorted, paged, counted, added up."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from keelmark.bearings.errors import wrong_column
from keelmark.bearings.selectors.views import View
from keelmark.core.arrays import Int64s
from keelmark.core.estate.books import Sum, total
from keelmark.core.estate.columns import NOWHERE, Amounts, Words
from keelmark.core.estate.figures import Figure, figure, order_of
from keelmark.core.estate.kinds import KINDS, Kind, Measure
from keelmark.core.estate.reading import When
from keelmark.core.sift.masks import DOT

MAX_ORDERS = 4
ADDED = (Measure.BYTES, Measure.COUNT)
NOT_ADDED = frozenset({"caution_mark", "limit_mark"})
DEFAULT_ORDER = {"pool": "runway", "array": "runway", "datastore": "runway"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Total:
    """What a column adds up to over rows, and how many of them nobody read."""

    name: str
    known_bytes: int
    n_unread: int


class Columns:
    """The figures of one kind at a view, each made once."""

    def __init__(self, view: View, *, kind: str) -> None:
        self.view, self.kind = view, kind
        self.table = view.reading.estate.table(kind)
        self._kept: dict[str, Figure] = {}

    def figure(self, name: str) -> Figure:
        """Return a column by its field's name."""
        if name not in self._kept:
            since = self.view.since if name == "grown" else None
            self._kept[name] = figure(self.view.reading, kind=self.kind, name=name, since=since)
        return self._kept[name]

    def linked(self, name: str) -> tuple[Int64s, str]:
        """Return the rows that a link leads to, and of which kind they are."""
        target = dict((*KINDS[self.kind].links, ("site", "site"), ("tenant", "tenant")))[name]
        return self.view.reading.link(self.kind, name), target


def checked_columns(kind: Kind, *, names: Sequence[str]) -> list[str]:
    """Return names of fields or links of a kind; refuse what is neither."""
    known = {one.name for one in kind.fields} | {name for name, _ in kind.links}
    for name in names:
        if name not in known:
            raise wrong_column(name, kind=kind.name, known=sorted(known))
    return list(names)


def ordered(columns: Columns, *, rows: Int64s, order: Sequence[str]) -> Int64s:
    """Return rows in an order such as `-used name`; what is not known comes last.

    Ties stand in the order of ids, so that pages neither repeat nor leave out.
    """
    keys: list[Any] = [columns.table.ids[rows]]  # Any: int64 or float64 keys
    for one in reversed(order[:MAX_ORDERS]):
        name, is_falling = one.removeprefix("-"), one.startswith("-")
        key = _key(columns, name=name, rows=rows)
        is_unknown = key == (-np.inf if key.dtype.kind == "f" else np.iinfo(np.int64).min)
        if name in {link for link, _ in KINDS[columns.kind].links} or isinstance(
            _maybe(columns, name), Words
        ):
            is_unknown = key == -1
        keys += [-key if is_falling else key, is_unknown]
    return rows[np.lexsort(keys)]


def _maybe(columns: Columns, name: str) -> Figure | None:
    is_field = KINDS[columns.kind].field(name) is not None and name != "name"
    return columns.figure(name) if is_field else None


def _key(columns: Columns, *, name: str, rows: Int64s) -> np.ndarray:
    if name == "name":
        return columns.table.name_ranks[rows]
    if KINDS[columns.kind].field(name) is not None:
        return order_of(columns.figure(name), rows=rows)
    at, target = columns.linked(name)
    ranks = columns.view.reading.estate.table(target).name_ranks
    at = at[rows]
    return np.where(at == NOWHERE, -1, ranks[at] if len(ranks) else 0).astype(np.int64)


def cells(columns: Columns, *, row: int, names: Sequence[str]) -> dict[str, Any]:  # Any: JSON
    """Return one row's figures by name: links as id and name, what nobody told as None."""
    told: dict[str, Any] = {}
    kind = KINDS[columns.kind]
    for name in names:
        if name == "name":
            continue
        field = kind.field(name)
        if field is None:
            told[name] = _link_told(columns, name=name, row=row)
            continue
        one = columns.figure(name).told(row)
        told[name] = bool(one) if field.measure is Measure.FLAG and one is not None else one
    return told


def _link_told(columns: Columns, *, name: str, row: int) -> dict[str, Any] | None:  # Any: JSON
    at, target = columns.linked(name)
    if at[row] == NOWHERE or not columns.view.seen[target][at[row]]:
        return None
    table = columns.view.reading.estate.table(target)
    return {"id": int(table.ids[at[row]]), "kind": target, "name": table.names[at[row]]}


def totals(columns: Columns, *, rows: Int64s, names: Sequence[str]) -> list[Total]:
    """Return what the columns that can be added add up to over rows."""
    kind = KINDS[columns.kind]
    told = []
    for name in names:
        field = kind.field(name)
        if field is None or field.measure not in ADDED or name in NOT_ADDED:
            continue
        added = _sum(columns, name=name, rows=rows)
        told.append(Total(name=name, known_bytes=added.known_bytes, n_unread=added.n_unread))
    return told


def _sum(columns: Columns, *, name: str, rows: Int64s) -> Sum:
    reading = columns.view.reading
    is_in = np.zeros(len(columns.table), dtype=np.bool_)
    is_in[rows] = True
    if name == "used" and reading.when is When.FORECAST and columns.kind in reading.books:
        return reading.total_used(columns.kind, of=is_in)
    one = columns.figure(name)
    if not isinstance(one, Amounts):
        return Sum(known_bytes=0, n_known=0, n_unread=len(rows))
    return total(one, of=is_in)


@dataclass(frozen=True, slots=True, kw_only=True)
class Slice:
    """How many of a kind have one word, or one link, and the used bytes of those."""

    name: str
    n: int
    used_bytes: int | None


def facet(columns: Columns, *, rows: Int64s, name: str) -> list[Slice]:
    """Return how rows fall by a text field or a link, the most first."""
    codes, words = coded(columns, name=name)
    codes = codes[rows]
    is_told = codes >= 0
    counts = np.bincount(codes[is_told], minlength=len(words))
    books = columns.view.reading.books.get(columns.kind)
    held = np.zeros(len(words), dtype=np.int64)
    if books is not None:
        is_known = is_told & books.used.is_known[rows]
        np.add.at(held, codes[is_known], books.used.values[rows][is_known])
    told = [
        Slice(name=word, n=int(counts[at]), used_bytes=None if books is None else int(held[at]))
        for at, word in enumerate(words)
        if counts[at]
    ]
    return sorted(told, key=lambda one: (-one.n, one.name))


def coded(columns: Columns, *, name: str) -> tuple[np.ndarray, tuple[str, ...]]:
    """Return a text field or a link as codes into words."""
    kind = KINDS[columns.kind]
    field = kind.field(name)
    if field is not None and field.measure is Measure.TEXT and name != "name":
        one = columns.figure(name)
        if isinstance(one, Words):
            return one.codes, one.words
        return np.full(len(columns.table), NOWHERE), ()
    at, target = columns.linked(name)
    return at, columns.view.reading.estate.table(target).names


def names_in_full(view: View, *, kind: str) -> tuple[str, ...]:
    """Return the names by which a sift tells things of a kind apart: a pool's with its array."""
    table = view.reading.estate.table(kind)
    if kind != "pool":
        return table.names
    arrays = view.reading.estate.table("array").names
    at = table.links["array"].tolist()
    return tuple(
        name if row == NOWHERE else f"{arrays[row]}{DOT}{name}"
        for name, row in zip(table.names, at, strict=True)
    )
