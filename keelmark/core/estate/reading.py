"""The estate read at a day: as it stands, as it was, or as it is forecast at a quantile."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from types import MappingProxyType

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError
from keelmark.core.estate.books import Books, Sum, added_up, folded, total
from keelmark.core.estate.columns import NOWHERE, Amounts, Column, Words, nothing, unknown
from keelmark.core.estate.estate import READ_KINDS, Estate, Past, PastAmounts
from keelmark.core.estate.holds import held_on, promised_on
from keelmark.core.forecast import MAX_HORIZON_DAYS

LIKELY = 0.5
STATES = ("clear", "caution", "over", "unread")
# Wholes with the parts that they are added up from, parts first: (whole, part, link of the part).
FOLDS = (
    ("vm", "disk", "vm"),
    ("host", "vm", "host"),
    ("project", "vm", "project"),
    ("tenant", "disk", "tenant"),
    ("cluster", "datastore", "cluster"),
    ("account", "bucket", "account"),
    ("array", "pool", "array"),
    ("site", "array", "site"),
)
ENDS_AT_QUOTA = frozenset({"tenant", "project", "account"})


NOTHING_ADDED: Mapping[str, Int64s] = MappingProxyType({})
Beside = Callable[["Reading"], Column]


class When(StrEnum):
    """Which way a day lies."""

    PAST = "past"
    NOW = "now"
    FORECAST = "forecast"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Reading:
    """The estate at one day: who is there, and the books of each kind.

    ``middle`` holds the likely used bytes beside those of another quantile, so that a set's
    band is folded and never the sum of its parts' bands. ``n_unread`` counts the parts of each
    whole that nobody read; ``store_of_disk`` is where disks lie that day. ``beside`` makes fields,
    by kind and name, that follow from more than the estate.
    """

    estate: Estate
    day: int
    when: When
    quantile: float
    is_there: Mapping[str, Bools]
    books: Mapping[str, Books]
    middle: Mapping[str, Float64s]
    n_unread: Mapping[str, Int64s]
    store_of_disk: Int64s
    beside: Mapping[tuple[str, str], Beside] = field(default_factory=dict)

    def link(self, kind: str, name: str) -> Int64s:
        """Return the rows that a link of a kind leads to on this day."""
        if (kind, name) == ("disk", "datastore"):
            return self.store_of_disk
        return self.estate.table(kind).links[name]

    def total_used(self, kind: str, *, of: Bools | None = None) -> Sum:
        """Return the used bytes of a set; at a quantile the band of the set is folded."""
        is_in = self.is_there[kind] if of is None else of & self.is_there[kind]
        books = self.books[kind]
        added = total(books.used, of=is_in)
        if self.when is not When.FORECAST or self.quantile == LIKELY:
            return added
        known = is_in & books.used.is_known
        likely = self.middle[kind][known]
        off = books.used.values[known] - likely
        whole = float(likely.sum()) + np.sign(self.quantile - LIKELY) * float(
            np.sqrt((off**2).sum())
        )
        return replace(added, known_bytes=max(0, round(whole)))

    def state(self, kind: str) -> Column:
        """Return what each asks: as it was judged now, else by its marks alone."""
        if self.when is When.NOW:
            return self.estate.table(kind).columns["state"]
        return self._state_by_marks(kind)

    def _state_by_marks(self, kind: str) -> Words:
        n = len(self.estate.table(kind))
        books, marks = self.books.get(kind), self.estate.marks.get(kind)
        if books is None or marks is None:
            return Words(codes=np.full(n, NOWHERE, dtype=np.int32), words=())
        codes = np.zeros(n, dtype=np.int32)
        codes[books.past(marks.caution_percent)] = STATES.index("caution")
        codes[books.past(marks.limit_percent)] = STATES.index("over")
        codes[~books.used.is_known] = STATES.index("unread")
        return Words(codes=codes, words=STATES)


def read(
    estate: Estate,
    *,
    day: int,
    quantile: float = LIKELY,
    past: Past | None = None,
    added: Mapping[str, Int64s] = NOTHING_ADDED,
) -> Reading:
    """Return the estate at a day.

    Parameters
    ----------
    estate : Estate
        A revision; its own day is now.
    day : int
        Counted from 1970; a day before now wants what was read by then.
    quantile : float
        Of the forecast, between 0 and 1, for days to come.
    past : Past, optional
        What was read by a day before now.
    added : mapping of kind to (n,) int64, optional
        Bytes that things hold more on that day than their outlooks know, below 0 for fewer.

    Returns
    -------
    Reading
        Days to come: each thing at the quantile of its own outlook, what has none is unread.
        Sizes and promises stand as they do now. Wholes with an outlook of their own have
        their own; others are folded from their parts.

    Raises
    ------
    RangeError
        If a past day comes without what was read then, or a day is beyond the horizon.
    """
    if day > estate.day + MAX_HORIZON_DAYS:
        raise RangeError(argument="day", found=day, wanted=f"at most {MAX_HORIZON_DAYS} days ahead")
    if day < estate.day:
        if past is None or past.day != day:
            raise RangeError(argument="past", found=past and past.day, wanted=f"day {day}")
        return _Reader(estate, day=day, when=When.PAST, quantile=quantile, past=past).read()
    when = When.NOW if day == estate.day else When.FORECAST
    return _Reader(estate, day=day, when=when, quantile=quantile, past=None, added=added).read()


class _Reader:
    """Makes one reading, the kinds that are read first, then their wholes."""

    def __init__(
        self,
        estate: Estate,
        *,
        day: int,
        when: When,
        quantile: float,
        past: Past | None,
        added: Mapping[str, Int64s] = NOTHING_ADDED,
    ) -> None:
        self.estate, self.day, self.when, self.quantile = estate, day, when, quantile
        self.past, self.added = past, dict(added)
        self.is_there = {kind: self._present(kind) for kind in estate.tables}
        self.books: dict[str, Books] = {}
        self.middle: dict[str, Float64s] = {}
        self.n_unread: dict[str, Int64s] = {}

    def read(self) -> Reading:
        for kind in READ_KINDS:
            if kind in self.estate.tables:
                self._own(kind)
        for whole, part, link in FOLDS:
            if whole in self.estate.tables and part in self.books:
                self._fold(whole, part=part, link=link)
        return Reading(
            estate=self.estate, day=self.day, when=self.when, quantile=self.quantile,
            is_there=self.is_there, books=self.books, middle=self.middle,
            n_unread=self.n_unread, store_of_disk=self._stores(),
        )  # fmt: skip

    def _present(self, kind: str) -> Bools:
        """What has come and not gone; of days to come: what is there now."""
        table = self.estate.table(kind)
        day = min(self.day, self.estate.day)
        seen, retired = table.amounts("seen"), table.amounts("retired")
        is_here: Bools = (seen.values <= day) & (~retired.is_known | (retired.values > day))
        return is_here

    def _stores(self) -> Int64s:
        if "disk" not in self.estate.tables:
            return np.zeros(0, dtype=np.int64)
        now = self.estate.table("disk").links["datastore"]
        then = None if self.past is None else self.past.amounts["disk"].store
        return now if then is None else np.where(then != NOWHERE, then, now)

    def _own(self, kind: str) -> None:
        table = self.estate.table(kind)
        n = len(table)
        columns = {
            name: one
            for name in ("used", "size", "promised", "reserved")
            if isinstance(one := table.columns.get(name), Amounts)
        }
        without = {"reserved": nothing(n)}
        books = Books(
            **{name: columns.get(name, without.get(name, unknown(n))) for name in _BOOKED},
            held=nothing(n),
        )
        if self.when is When.PAST and self.past is not None:
            books = _of_then(books, then=self.past.amounts.get(kind))
            # What was read was there, whenever we were told of it first.
            self.is_there[kind] = self.is_there[kind] | books.used.is_known
        elif self.when is When.FORECAST:
            books = replace(books, used=self._expected(kind, n=n))
        if kind in self.added:
            books = replace(books, used=_more(books.used, self.added[kind]))
            if kind in self.middle:
                self.middle[kind] = np.maximum(self.middle[kind] + self.added[kind], 0.0)
        if kind in _PROMISE_IS_SIZE:
            books = replace(books, promised=books.size)
        if self.when is not When.PAST and self.estate.holds:
            books = self._with_holds(books, kind=kind, n=n)
        self.books[kind] = books
        self.n_unread[kind] = (~books.used.is_known).astype(np.int64)

    def _with_holds(self, books: Books, *, kind: str, n: int) -> Books:
        held = held_on(self.estate.holds, kind=kind, day=self.day, n=n)
        promised = promised_on(self.estate.holds, kind=kind, day=self.day, n=n)
        return replace(
            books,
            held=Amounts(values=held, is_known=np.ones(n, dtype=np.bool_)),
            reserved=replace(books.reserved, values=books.reserved.values + held),
            promised=replace(
                books.promised,
                values=np.where(books.promised.is_known, books.promised.values + promised, 0),
            ),
        )

    def _expected(self, kind: str, *, n: int) -> Amounts:
        """Used bytes at the quantile; the likely ones are kept beside them."""
        outlooks = self.estate.outlooks.get(kind)
        if outlooks is None:
            self.middle[kind] = np.full(n, np.nan)
            return unknown(n)
        wanted = (LIKELY,) if self.quantile == LIKELY else (LIKELY, self.quantile)
        told = outlooks.expected(day=self.day, n=n, quantiles=wanted)
        self.middle[kind] = told[0]
        return _rounded(told[-1])

    def _fold(self, whole: str, *, part: str, link: str) -> None:
        table = self.estate.table(whole)
        n = len(table)
        of = self.estate.table(part).links[link]
        onto = np.where(self.is_there[part], of, NOWHERE)
        parts = self.books[part]
        if part in self.added:
            # What goes with a plan is less of a whole whose own future has it still.
            self.added[whole] = added_up(self.added[part], onto=of, n=n)
        used, _ = folded(parts.used, onto=onto, n=n)
        # A sum is of what was read alone, its size and its promises too.
        read_only = np.where(parts.used.is_known, onto, NOWHERE)
        if self.when is When.FORECAST:
            used = self._folded_forecast(whole, part=part, onto=read_only, n=n)
        sizes = (
            table.amounts("quota")
            if whole in ENDS_AT_QUOTA
            else folded(parts.size, onto=read_only, n=n)[0]
        )
        promised, n_unpromised = folded(parts.promised, onto=read_only, n=n)
        self.books[whole] = Books(
            size=sizes,
            used=used,
            promised=replace(promised, is_known=promised.is_known & (n_unpromised == 0)),
            reserved=folded(parts.reserved, onto=read_only, n=n)[0],
            held=folded(parts.held, onto=read_only, n=n)[0],
        )
        if self.when is When.PAST:
            self.is_there[whole] = self.is_there[whole] | used.is_known
        self.n_unread[whole] = added_up(self.n_unread[part], onto=onto, n=n)

    def _folded_forecast(self, whole: str, *, part: str, onto: Int64s, n: int) -> Amounts:
        """Likely bytes are added, spreads are squared; a whole's own outlook goes before both."""
        rows = np.flatnonzero(onto >= 0)
        at = onto[rows]
        likely = np.bincount(at, weights=self.middle[part][rows], minlength=n)
        off = self.books[part].used.values[rows] - self.middle[part][rows]
        spread = np.sqrt(np.bincount(at, weights=off**2, minlength=n))
        is_known = np.bincount(at, minlength=n) > 0
        own = self._expected(whole, n=n)
        own_likely = self.middle[whole]
        if whole in self.added:
            own = _more(own, self.added[whole])
            own_likely = np.maximum(own_likely + self.added[whole], 0.0)
        told = likely + np.sign(self.quantile - LIKELY) * spread
        self.middle[whole] = np.where(own.is_known, own_likely, np.where(is_known, likely, np.nan))
        return Amounts(
            values=np.where(own.is_known, own.values, np.maximum(np.round(told), 0)).astype(
                np.int64
            ),
            is_known=own.is_known | is_known,
        )


def _more(used: Amounts, added: Int64s) -> Amounts:
    """What is not known stays so; no thing holds less than nothing."""
    return replace(used, values=np.where(used.is_known, np.maximum(used.values + added, 0), 0))


_BOOKED = ("used", "size", "promised", "reserved")
_PROMISE_IS_SIZE = frozenset({"volume", "disk"})  # what they were cut to


def _of_then(books: Books, *, then: PastAmounts | None) -> Books:
    n = len(books.used)
    if then is None:
        return Books(
            size=unknown(n), used=unknown(n), promised=unknown(n), reserved=unknown(n),
            held=unknown(n),
        )  # fmt: skip
    # Of then nobody keeps what was reserved; sizes that were not told then stand as now.
    size = Amounts(
        values=np.where(then.size.is_known, then.size.values, books.size.values),
        is_known=then.size.is_known | books.size.is_known,
    )
    return Books(
        size=size, used=then.used, promised=then.promised, reserved=unknown(n), held=unknown(n)
    )


def _rounded(amounts: Float64s) -> Amounts:
    is_known = np.isfinite(amounts)
    return Amounts(
        values=np.round(np.where(is_known, amounts, 0.0)).astype(np.int64), is_known=is_known
    )


# Where a thing would have been seen before, had it been there.
_SEEN_THROUGH = {
    "disk": "datastore", "volume": "pool", "datastore": "cluster", "pool": "array",
    "vm": "cluster", "host": "cluster", "array": "site", "bucket": "account",
    "project": "tenant",
}  # fmt: skip


def grown(now: Reading, *, since: Reading, kind: str) -> Amounts:
    """Return the used bytes that each of a kind added between two readings of one estate.

    What came since into a place that was read before held nothing then. What was there and
    unread, or came with a place that nobody had told of, nobody can say.
    """
    if kind not in now.books:
        return unknown(len(now.estate.table(kind)))
    before, after = since.books[kind].used, now.books[kind].used
    is_new = ~since.is_there[kind] & _would_have_been_seen(now, since=since, kind=kind)
    held = np.where(before.is_known, before.values, 0)
    return Amounts(values=after.values - held, is_known=after.is_known & (before.is_known | is_new))


def _would_have_been_seen(now: Reading, *, since: Reading, kind: str) -> Bools:
    place = _SEEN_THROUGH.get(kind)
    if place is None:
        return np.zeros(len(now.estate.table(kind)), dtype=np.bool_)
    rows = now.link(kind, place)
    was_there = np.append(since.is_there[place], False)  # the last stands for nowhere, −1
    return was_there[rows]
