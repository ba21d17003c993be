"""An estate that is being changed: every column is copied once, when it is first written to."""

from dataclasses import replace

import numpy as np

from keelmark.core.arrays import Int64s
from keelmark.core.estate.columns import NOWHERE, Amounts, Int32s, Pairs, Table, Words
from keelmark.core.estate.estate import Estate, TierLimits
from keelmark.core.estate.holds import Hold

_NO_PAIRS = Pairs(left=np.zeros(0, dtype=np.int64), right=np.zeros(0, dtype=np.int64))


class Draft:
    """Columns of an estate that may be written to; the estate itself stays as it is."""

    def __init__(self, estate: Estate) -> None:
        self.estate = estate
        self._amounts: dict[tuple[str, str], Amounts] = {}
        self._words: dict[tuple[str, str], tuple[Int32s, list[str]]] = {}
        self._links: dict[tuple[str, str], Int64s] = {}
        self._pairs: dict[str, Pairs] = {}
        self._holds: tuple[Hold, ...] = estate.holds
        self._tiers = dict(estate.tiers)

    def amounts(self, kind: str, column: str) -> Amounts:
        """Return a column of amounts to write to."""
        key = kind, column
        if key not in self._amounts:
            told = self.estate.table(kind).amounts(column)
            self._amounts[key] = Amounts(values=told.values.copy(), is_known=told.is_known.copy())
        return self._amounts[key]

    def set_word(self, kind: str, column: str, *, row: int, word: str | None) -> None:
        """Write one word of a column."""
        key = kind, column
        if key not in self._words:
            told = words_of(self.estate.table(kind), column)
            self._words[key] = told.codes.copy(), list(told.words)
        codes, words = self._words[key]
        if word is not None and word not in words:
            words.append(word)
        codes[row] = NOWHERE if word is None else words.index(word)

    def told(self, kind: str, column: str, row: int) -> int | None:
        """Return one amount as it is by now."""
        written = self._amounts.get((kind, column))
        return (written or self.estate.table(kind).amounts(column)).told(row)

    def word(self, kind: str, column: str, row: int) -> str | None:
        """Return one word as it is by now."""
        if (kind, column) in self._words:
            codes, words = self._words[kind, column]
            return None if codes[row] == NOWHERE else words[codes[row]]
        return words_of(self.estate.table(kind), column).told(row)

    def links(self, kind: str, name: str) -> Int64s:
        """Return the rows of a link as they are by now, not to be written to."""
        written = self._links.get((kind, name))
        return self.estate.table(kind).links[name] if written is None else written

    def link(self, kind: str, name: str) -> Int64s:
        """Return the rows of a link to write to."""
        key = kind, name
        if key not in self._links:
            self._links[key] = self.estate.table(kind).links[name].copy()
        return self._links[key]

    def pairs(self, name: str) -> Pairs:
        """Return a relation as it is by now."""
        written = self._pairs.get(name)
        return self.estate.pairs.get(name, _NO_PAIRS) if written is None else written

    def set_pairs(self, name: str, pairs: Pairs) -> None:
        """Write a relation."""
        self._pairs[name] = pairs

    def set_hold(self, hold: Hold, *, is_there: bool) -> None:
        """Write that something is held, or not any more."""
        if is_there != (hold in self._holds):
            left = tuple(one for one in self._holds if one != hold)
            self._holds = (*left, hold) if is_there else left

    def draw(self, hold: Hold, *, n_bytes: int) -> None:
        """Write that so much more of an allotment is provisioned."""
        self._holds = tuple(
            one.drawn(n_bytes) if one.is_of_one_with(hold) else one for one in self._holds
        )

    def set_tier(self, name: str, limits: TierLimits | None) -> None:
        """Write other limits of a tier, None for those that it has."""
        self._tiers.pop(name, None)
        if limits is not None:
            self._tiers[name] = limits

    def done(self) -> Estate:
        """Return the estate with all that was written."""
        kinds = {kind for kind, _ in (*self._amounts, *self._words, *self._links)}
        tables = {kind: self._table(self.estate.table(kind)) for kind in kinds}
        return replace(
            self.estate,
            tables={**self.estate.tables, **tables},
            pairs={**self.estate.pairs, **self._pairs},
            holds=self._holds,
            tiers=self._tiers,
        )

    def _table(self, table: Table) -> Table:
        columns = dict(table.columns)
        links = dict(table.links)
        for (kind, column), told in self._amounts.items():
            if kind == table.kind:
                columns[column] = told
        for (kind, column), (codes, words) in self._words.items():
            if kind == table.kind:
                was = words_of(table, column)
                columns[column] = replace(was, codes=codes, words=tuple(words))
        for (kind, name), rows in self._links.items():
            if kind == table.kind:
                links[name] = rows
        return replace(table, columns=columns, links=links)


def words_of(table: Table, column: str) -> Words:
    """Return a column of words; one that there is not tells none."""
    told = table.columns.get(column)
    if isinstance(told, Words):
        return told
    return Words(codes=np.full(len(table), NOWHERE, dtype=np.int32), words=())
