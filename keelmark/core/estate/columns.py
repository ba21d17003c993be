"""What a table of the estate is made of: columns of one length, each with what is not known."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Bools, Int64s
from keelmark.core.errors import ShapeError

Int32s = NDArray[np.int32]
NOWHERE = -1  # a link that leads nowhere; a row number otherwise


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Amounts:
    """Whole amounts (n,) int64 and which of them are known; what is not known holds 0."""

    values: Int64s
    is_known: Bools

    def __len__(self) -> int:
        return len(self.values)

    def of_rows(self, rows: Int64s) -> "Amounts":
        """Return some of them."""
        return Amounts(values=self.values[rows], is_known=self.is_known[rows])

    def told(self, row: int) -> int | None:
        """Return one, None where it is not known."""
        return int(self.values[row]) if self.is_known[row] else None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Words:
    """Texts that come back often: codes (n,) into the words, NOWHERE where none is told.

    Where ``are_many``, a word is several with commas between, each of which it can be found by.
    """

    codes: Int32s
    words: tuple[str, ...]
    are_many: bool = False

    def __len__(self) -> int:
        return len(self.codes)

    def of_rows(self, rows: Int64s) -> "Words":
        """Return some of them."""
        return Words(codes=self.codes[rows], words=self.words, are_many=self.are_many)

    def told(self, row: int) -> str | None:
        """Return one, None where none is told."""
        code = int(self.codes[row])
        return None if code == NOWHERE else self.words[code]


Column = Amounts | Words
COMMA = ", "  # between words of which a thing has several


def amounts(told: Sequence[int | None]) -> Amounts:
    """Return amounts of what was told, None where nothing was."""
    return Amounts(
        values=np.array([0 if one is None else one for one in told], dtype=np.int64),
        is_known=np.array([one is not None for one in told], dtype=np.bool_),
    )


def words(told: Sequence[str | None]) -> Words:
    """Return words of what was told; an empty one is none."""
    known = sorted({one for one in told if one})
    code_of = {one: code for code, one in enumerate(known)}
    codes = [code_of[one] if one else NOWHERE for one in told]
    return Words(codes=np.array(codes, dtype=np.int32), words=tuple(known))


def unknown(n: int) -> Amounts:
    """Return so many amounts that nobody told."""
    return Amounts(values=np.zeros(n, dtype=np.int64), is_known=np.zeros(n, dtype=np.bool_))


def nothing(n: int) -> Amounts:
    """Return so many amounts that are known to be nought."""
    return Amounts(values=np.zeros(n, dtype=np.int64), is_known=np.ones(n, dtype=np.bool_))


@dataclass(frozen=True, kw_only=True, eq=False)  # no slots: folded names are kept
class Table:
    """Everything of one kind, (n,) each, sorted by id.

    ``links`` are row numbers in the table of another kind, by the name of the link.
    """

    kind: str
    ids: Int64s
    names: tuple[str, ...]
    links: Mapping[str, Int64s] = field(default_factory=dict)
    columns: Mapping[str, Column] = field(default_factory=dict)

    def __post_init__(self) -> None:
        """Refuse columns of another length."""
        n = len(self.ids)
        lengths = {"names": len(self.names)}
        lengths |= {name: len(one) for name, one in {**self.links, **self.columns}.items()}
        for name, length in lengths.items():
            if length != n:
                raise ShapeError(argument=f"{self.kind}.{name}", wanted=f"({n},)", found=(length,))

    def __len__(self) -> int:
        return len(self.ids)

    @cached_property
    def _inverses(self) -> dict[str, "Inverse"]:
        return {}

    def inverse(self, link: str) -> "Inverse":
        """Return which rows a link leads from, worked out once."""
        if link not in self._inverses:
            rows = np.argsort(self.links[link], kind="stable")
            self._inverses[link] = Inverse(rows=rows, leads_to=self.links[link][rows])
        return self._inverses[link]

    @cached_property
    def folded_names(self) -> tuple[str, ...]:
        """The names without regard to case, for whoever looks for one."""
        return tuple(name.casefold() for name in self.names)

    @cached_property
    def name_ranks(self) -> Int64s:
        """Where each name stands among all without regard to case, (n,); the same name alike."""
        ranked = sorted(set(self.names), key=str.casefold)
        rank_of = {name: rank for rank, name in enumerate(ranked)}
        return np.array([rank_of[name] for name in self.names], dtype=np.int64)

    def amounts(self, name: str) -> Amounts:
        """Return a column of amounts; one that there is not is of what nobody told."""
        column = self.columns.get(name)
        return column if isinstance(column, Amounts) else unknown(len(self))

    def row_of(self, entity_id: int) -> int | None:
        """Return the row of a thing, None where it is not of this kind."""
        at = int(np.searchsorted(self.ids, entity_id))
        return at if at < len(self.ids) and self.ids[at] == entity_id else None

    def rows_of(self, entity_ids: Int64s) -> Int64s:
        """Return the rows of things, NOWHERE where one is not of this kind."""
        if len(self.ids) == 0:
            return np.full(len(entity_ids), NOWHERE, dtype=np.int64)
        at = np.minimum(np.searchsorted(self.ids, entity_ids), len(self.ids) - 1)
        return np.where(self.ids[at] == entity_ids, at, NOWHERE).astype(np.int64)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Inverse:
    """Which rows a link leads from: all rows (n,) by where they lead to, ascending of one."""

    rows: Int64s
    leads_to: Int64s

    def of(self, row: int) -> Int64s:
        """Return the rows that lead to one."""
        begin, end = np.searchsorted(self.leads_to, [row, row + 1])
        return self.rows[begin:end]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Pairs:
    """A relation between rows of two tables that is many to many, (n_pairs,) each; a pair once."""

    left: Int64s
    right: Int64s

    def __len__(self) -> int:
        return len(self.left)
