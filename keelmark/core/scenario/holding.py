"""What a scenario holds once it is accepted, and the estate with what is held."""

from dataclasses import replace
from typing import Final

import numpy as np

from keelmark.core.attention import WEIGHTS, Attention, Fill, attention_of
from keelmark.core.estate.columns import NOWHERE, Words
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.holds import Hold, corners_of
from keelmark.core.estate.reading import Reading, read
from keelmark.core.marks import Marks
from keelmark.core.scenario.changes import changes_of, marks_by_day
from keelmark.core.scenario.compiling import Compiled
from keelmark.core.scenario.draft import words_of
from keelmark.core.scenario.effects import AddAmount, Asks, SetsAside
from keelmark.core.scenario.outcome import Ends, ended
from keelmark.core.scenario.plan import Plan

HELD_KINDS: Final = ("pool", "datastore")
# I/O a second by thing: from which day, at least, when busy.
Asked = dict[tuple[str, int], tuple[int, int, int]]


def holds_of(told: Compiled, *, now: Reading, owner: int) -> list[Hold]:
    """Return what a scenario takes of the pools and datastores that there are.

    Parameters
    ----------
    told : Compiled
        The scenario on the revision of the reading, without anything that is held.
    now : Reading
        Of today.
    owner : int
        Whose holds they are.

    Notes
    -----
    Of each day: the bytes that it brings onto a place, less those by which it raises the limit
    mark there and those it takes away, never below nought. What it brings room for itself is
    nobody else's loss, so nothing is held for it.
    """
    bare = replace(told, estate=replace(told.estate, holds=()))
    iops = _iops(bare)
    held: list[Hold] = []
    for kind in HELD_KINDS:
        change = changes_of(bare, now=now, kind=kind)
        marks = marks_by_day(bare.estate, change)
        net = np.maximum(np.round(change.added) - (marks - marks[:, :1]), 0).astype(np.int64)
        n_read = len(now.estate.table(kind))
        promised = _promised(bare, kind=kind)
        for row, course in zip(change.rows.tolist(), net, strict=True):
            days, amounts = corners_of(told.estate.day, course)
            first, least, busy = iops.get((kind, row), (told.estate.day, 0, 0))
            if row >= n_read or not (days or least or busy):
                continue
            held.append(
                Hold(
                    kind=kind, row=row, owner=owner, days=days or (first,),
                    amounts=amounts or (0,), promised_bytes=max(0, promised.get(row, 0)),
                    min_iops=least, busy_iops=busy,
                )
            )  # fmt: skip
    return held


def _promised(told: Compiled, *, kind: str) -> dict[int, int]:
    """What is promised more of things of a kind, by row."""
    by_row: dict[int, int] = {}
    for one in told.plan.effects:
        if isinstance(one, AddAmount) and (one.kind, one.column) == (kind, "promised"):
            by_row[one.row] = by_row.get(one.row, 0) + one.amount
        elif isinstance(one, SetsAside) and one.kind == kind:
            by_row[one.row] = by_row.get(one.row, 0) + one.hold.promised_bytes
    return by_row


def _iops(told: Compiled) -> Asked:
    """I/O a second that work which comes asks of what it comes onto, by thing."""
    by_thing: Asked = {}
    for one in told.plan.effects:
        if isinstance(one, Asks | SetsAside):
            of = one.hold if isinstance(one, SetsAside) else one
            first, least, busy = by_thing.get((one.kind, one.row), (one.day, 0, 0))
            by_thing[one.kind, one.row] = (
                min(first, one.day), least + of.min_iops, busy + of.busy_iops,
            )  # fmt: skip
    return by_thing


def with_holds(estate: Estate, holds: tuple[Hold, ...], *, held: str) -> Estate:
    """Return the estate with what is held: its dates and states tell of it.

    Parameters
    ----------
    estate : Estate
        As it is, without holds.
    holds : tuple of Hold
        Of all accepted scenarios, in rows of the estate.
    held : str
        What tells this set of holds from another.
    """
    if not holds:
        return estate
    told = replace(estate, holds=holds, held=held)
    bare = Compiled(estate=told, plan=Plan(), told=(), spends=0.0, births={})
    now = read(told, day=told.day)
    dated, ends = ended(bare, now=now)
    tables = dict(dated.estate.tables)
    for kind in HELD_KINDS:
        rows = sorted({one.row for one in holds if one.kind == kind})
        if kind in ends and rows:
            words = _judged(now, kind=kind, rows=rows, ends=ends[kind])
            tables[kind] = replace(tables[kind], columns={**tables[kind].columns, "state": words})
    return replace(dated.estate, tables=tables)


def _judged(now: Reading, *, kind: str, rows: list[int], ends: Ends) -> Words:
    """How things stand with what is held of them: never lighter than without it."""
    was = words_of(now.estate.table(kind), "state")
    codes, words = was.codes.copy(), list(was.words)
    books, marks = now.books[kind], now.estate.marks[kind]
    for row in rows:
        size, used = books.size.told(row), books.used.told(row)
        stood = None if codes[row] == NOWHERE else Attention(words[codes[row]])
        if size is None or used is None or stood is None or stood is Attention.UNREAD:
            continue
        fill = Fill(
            size=size, amount=used + (books.held.told(row) or 0),
            promised=books.promised.told(row),
            marks=Marks(**{name: int(getattr(marks, name)[row]) for name in _MARKS}),
        )  # fmt: skip
        early, likely = (
            float(days[row]) for days in (ends.after.early_days, ends.after.likely_days)
        )
        judged = attention_of(fill, early_days=early, likely_days=likely).attention
        if WEIGHTS[judged] <= WEIGHTS[stood]:
            continue
        if judged.value not in words:
            words.append(judged.value)
        codes[row] = words.index(judged.value)
    return Words(codes=codes, words=tuple(words))


_MARKS: Final = tuple(Marks.__dataclass_fields__)
