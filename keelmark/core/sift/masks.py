"""Which things a sift finds, over the columns of a reading."""

import operator
from collections.abc import Callable
from functools import reduce
from typing import Any

import numpy as np

from keelmark.core.arrays import Bools, Float64s
from keelmark.core.estate.columns import COMMA, Amounts, Words
from keelmark.core.estate.figures import Figure, Shares, figure
from keelmark.core.estate.kinds import Measure
from keelmark.core.estate.reach import pulled, taken
from keelmark.core.estate.reading import Reading
from keelmark.core.sift.binding import Bound, OfKind, bind, subject_of
from keelmark.core.sift.quantities import Days, OnDay
from keelmark.core.sift.tree import All, AnyOf, Comparison, Node, Not, Term

_SIGNS: dict[Comparison, Callable[[Any, Any], Any]] = {  # Any: arrays of either number
    Comparison.IS: operator.eq,
    Comparison.EQUALS: operator.eq,
    Comparison.LESS: operator.lt,
    Comparison.AT_MOST: operator.le,
    Comparison.MORE: operator.gt,
    Comparison.AT_LEAST: operator.ge,
}
DOT = "·"  # between an array and its pool
# Beside its own name, a free word may be in the name of what a thing is of.
_NAMED_AFTER = {"pool": ("array", "site"), "disk": ("vm",), "port": ("array",), "drive": ("array",)}


def sifted(
    reading: Reading, *, node: Node, kind: str, seen: dict[str, Bools], since: Reading | None = None
) -> Bools:
    """Return which of a kind a sift finds.

    Parameters
    ----------
    reading : Reading
        The day looked at; only what is there then is found.
    node : Node
        From :func:`parse`. One that names another kind finds what shares bytes with those.
    kind : str
        What is looked for.
    seen : dict of (n,) bool
        By kind, what the reader may see: nothing else is compared with anything.
    since : Reading, optional
        The beginning of the window of `grown`.

    Returns
    -------
    (n,) bool

    Raises
    ------
    SiftFault
        If a term means nothing on the kind.
    """
    subject = subject_of(node) or kind
    found = _Sifter(reading, seen=seen, since=since).mask(node, kind=subject)
    if subject != kind:
        found = pulled(reading, found, kind=kind, other=subject)
    return found & reading.is_there[kind] & seen[kind]


class _Sifter:
    def __init__(self, reading: Reading, *, seen: dict[str, Bools], since: Reading | None) -> None:
        self.reading, self.seen, self.since = reading, seen, since

    def mask(self, node: Node, *, kind: str) -> Bools:
        """What holds of each of a kind, those aside that are not there or not shown."""
        n = len(self.reading.estate.table(kind))
        if isinstance(node, All):
            return reduce(operator.and_, (self.mask(one, kind=kind) for one in node.of), _all(n))
        if isinstance(node, AnyOf):
            return reduce(operator.or_, (self.mask(one, kind=kind) for one in node.of))
        if isinstance(node, Not):
            return ~self.mask(node.of, kind=kind)
        if isinstance(node, Term):
            bound = bind(node, kind=kind)
            if isinstance(bound, OfKind):
                return _all(n) if bound.kind == kind else ~_all(n)
            return self._bound(bound)
        return self._word(node.text, kind=kind)

    def _bound(self, bound: Bound) -> Bools:
        here, *farther = bound.kinds
        last = farther[-1] if farther else here
        mask = self._compared(bound, kind=last) & self._is_shown(last)
        path = list(bound.kinds)
        while len(path) > 1:
            other = path.pop()
            mask = pulled(self.reading, mask, kind=path[-1], other=other)
            if len(path) > 1:
                mask = mask & self._is_shown(path[-1])
        return mask

    def _is_shown(self, kind: str) -> Bools:
        return self.reading.is_there[kind] & self.seen[kind]

    def _compared(self, bound: Bound, *, kind: str) -> Bools:
        if bound.field.name == "name":
            return self._called(bound, kind=kind)
        column = figure(self.reading, kind=kind, name=bound.field.name, since=self.since)
        if bound.asks_for_nothing:
            return ~_is_known(column)
        if isinstance(column, Words):
            return _of_words(column, test=_test_of(bound))
        return _is_known(column) & self._amounts(column, bound=bound)

    def _amounts(self, column: Amounts | Shares, *, bound: Bound) -> Bools:
        sign = _SIGNS[bound.comparison]
        amount = bound.amount
        values: Any = column.values  # Any: int64 or float64, compared as they are
        if isinstance(amount, OnDay):
            return _truth(sign(values, amount.day))
        if isinstance(amount, Days):
            day = self.reading.day
            is_past = bound.field.measure is Measure.SINCE
            return _truth(sign(day - values if is_past else values - day, amount.n_days))
        return _truth(sign(values, amount))

    def _called(self, bound: Bound, *, kind: str) -> Bools:
        """By name; a pool also by `array·pool`, since pools of many arrays are named alike."""
        home, dot, own = bound.text.partition(DOT)
        if kind != "pool" or not dot:
            return self._named(kind, test=_test_of(bound))
        low, above = own.strip().casefold(), home.strip().casefold()
        arrays = self._named("array", test=lambda name: name == above) & self._is_shown("array")
        is_there = taken(arrays, rows=self.reading.link("pool", "array"))
        return self._named("pool", test=lambda name: name == low) & is_there

    def _word(self, text: str, *, kind: str) -> Bools:
        low = text.casefold()
        mask = self._named(kind, test=lambda name: low in name)
        for other in _NAMED_AFTER.get(kind, ()):
            above = self._named(other, test=lambda name: low in name) & self._is_shown(other)
            mask = mask | taken(above, rows=self.reading.link(kind, other))
        return mask

    def _named(self, kind: str, *, test: Callable[[str], bool]) -> Bools:
        names = self.reading.estate.table(kind).folded_names
        return np.fromiter((test(name) for name in names), dtype=np.bool_, count=len(names))


def _of_words(column: Words, *, test: Callable[[str], bool]) -> Bools:
    each = [word.casefold() for word in column.words]
    parts = [word.split(COMMA) if column.are_many else [word] for word in each]
    told = np.array([any(map(test, one)) for one in parts] + [False], dtype=np.bool_)
    return told[column.codes]  # the last one stands for nowhere, which is −1


def _test_of(bound: Bound) -> Callable[[str], bool]:
    low = bound.text.casefold()
    if bound.comparison is Comparison.CONTAINS:
        return lambda word: low in word
    return lambda word: low == word


def _is_known(column: Figure) -> Bools:
    if isinstance(column, Words):
        return _truth(column.codes >= 0)
    if isinstance(column, Shares):
        return _truth(~np.isnan(column.values))
    return column.is_known


def _all(n: int) -> Bools:
    return np.ones(n, dtype=np.bool_)


def _truth(told: Bools | Float64s) -> Bools:
    return np.asarray(told, dtype=np.bool_)
