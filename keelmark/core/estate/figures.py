"""Any field of any kind at a reading, as one column."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.books import Books
from keelmark.core.estate.columns import NOWHERE, Amounts, Words, unknown
from keelmark.core.estate.reading import Reading, When, grown


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Shares:
    """Percentages (n,) float64, NaN where one is not known."""

    values: Float64s

    def __len__(self) -> int:
        return len(self.values)

    def told(self, row: int) -> float | None:
        """Return one, None where it is not known."""
        return None if np.isnan(self.values[row]) else float(self.values[row])


Figure = Amounts | Words | Shares

_OF_BOOKS: dict[str, Callable[[Books], Amounts]] = {
    "size": lambda books: books.size,
    "used": lambda books: books.used,
    "promised": lambda books: books.promised,
    "reserved": lambda books: books.reserved,
    "free": lambda books: books.free,
    "exposure": lambda books: books.exposure,
}
_SHARES: dict[str, Callable[[Books], Float64s]] = {
    "fill": lambda books: books.fill_percent,
    "overcommit": lambda books: books.overcommit_percent,
}
_MARKS = {"caution_mark": "caution_percent", "limit_mark": "limit_percent"}
# What is told of now alone: of another day nobody kept it, or it speaks of the future itself.
_OF_NOW = frozenset({"runway", "early", "late"})


def figure(reading: Reading, *, kind: str, name: str, since: Reading | None = None) -> Figure:
    """Return a field of a kind.

    Parameters
    ----------
    reading : Reading
        Whose day is looked at.
    since : Reading, optional
        The beginning of the window in which growth is looked at.

    Returns
    -------
    Amounts, Words or Shares
        (n,) along the kind's table; what nobody told is not known. What is not kept a day is
        as it is now.
    """
    table = reading.estate.table(kind)
    n = len(table)
    beside = reading.beside.get((kind, name))
    if beside is not None or name == "state":
        return reading.state(kind) if beside is None else beside(reading)
    if name == "grown":
        return unknown(n) if since is None else grown(reading, since=since, kind=kind)
    if name in _MARKS and kind in reading.estate.marks:
        percent = getattr(reading.estate.marks[kind], _MARKS[name])
        return Shares(values=percent.astype(np.float64))
    told = _of_books(reading, kind=kind, name=name)
    if told is not None:
        return told
    column = table.columns.get(name)
    if column is None or (name in _OF_NOW and reading.when is When.PAST):
        return unknown(n)
    return column


def _of_books(reading: Reading, *, kind: str, name: str) -> Figure | None:
    """What follows from the books of a kind, None where that does not."""
    books = reading.books.get(kind)
    if books is None:
        return None
    if name in _SHARES:
        return Shares(values=_SHARES[name](books))
    if name == "plannable":
        marks = reading.estate.marks.get(kind)
        return None if marks is None else books.plannable(marks.limit_percent)
    return _OF_BOOKS[name](books) if name in _OF_BOOKS else None


def order_of(one: Figure, *, rows: Int64s) -> Float64s | Int64s:
    """Return what rows are sorted by, the smallest first; what is not known sorts below all."""
    if isinstance(one, Words):
        by_word = np.argsort(np.argsort([word.casefold() for word in one.words], kind="stable"))
        codes = one.codes[rows]
        ranks = by_word[codes] if len(by_word) else np.zeros(len(rows), dtype=np.int64)
        return np.where(codes == NOWHERE, -1, ranks).astype(np.int64)
    if isinstance(one, Shares):
        return np.nan_to_num(one.values[rows], nan=-np.inf)
    return np.where(one.is_known[rows], one.values[rows], np.iinfo(np.int64).min)
