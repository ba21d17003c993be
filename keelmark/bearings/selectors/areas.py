"""Bytes of one kind in groups of groups, and the sites with what stands at each."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from keelmark.bearings.selectors.lists import Columns, coded
from keelmark.bearings.selectors.views import View
from keelmark.core.arrays import Bools, Int64s
from keelmark.core.estate.books import exact_sum
from keelmark.core.estate.columns import NOWHERE, Amounts, Words

# What asks for most stands before what asks for less.
WORST = ("over", "urgent", "caution", "unread", "clear")
STAND_AT_SITES = ("pool", "datastore")


@dataclass(frozen=True, slots=True, kw_only=True)
class Group:
    """Things that have the same words: how many, their bytes, and the worst of them."""

    names: list[str | None]
    n: int
    used_bytes: int
    size_bytes: int | None
    fill_percent: float | None
    grown_bytes: int | None
    state: str | None
    oldest_read_days: int | None


def groups_of(columns: Columns, *, rows: Int64s, by: list[str]) -> list[Group]:
    """Return rows in groups by some words and links together, the most bytes first."""
    parts = [coded(columns, name=name) for name in by]
    key = np.zeros(len(rows), dtype=np.int64)
    for codes, words in parts:  # one number a group; NOWHERE takes the first place
        key = key * (len(words) + 1) + codes[rows] + 1
    order = np.argsort(key, kind="stable")
    begins = np.flatnonzero(np.diff(key[order], prepend=-1))
    found = []
    for of_group in np.split(rows[order], begins[1:]) if len(rows) else []:
        told = [(int(codes[of_group[0]]), words) for codes, words in parts]
        names = [None if code == NOWHERE else words[code] for code, words in told]
        found.append(_group(columns, rows=of_group, names=names))
    return sorted(found, key=lambda one: -one.used_bytes)


def _group(columns: Columns, *, rows: Int64s, names: list[str | None]) -> Group:
    reading = columns.view.reading
    books = reading.books.get(columns.kind)
    used = size = None
    if books is not None:
        is_read = books.used.is_known[rows]
        used = exact_sum(books.used.values[rows][is_read])
        is_sized = is_read & books.size.is_known[rows]
        size = exact_sum(books.size.values[rows][is_sized])
    grown, read = columns.figure("grown"), columns.figure("read")
    return Group(
        names=names,
        n=len(rows),
        used_bytes=used or 0,
        size_bytes=size,
        fill_percent=100 * used / size if used is not None and size else None,
        grown_bytes=_known_sum(grown, rows=rows),
        state=worst_of(reading.state(columns.kind), rows=rows),
        oldest_read_days=_oldest(read, rows=rows, day=reading.estate.day),
    )


def _known_sum(one: Any, *, rows: Int64s) -> int | None:  # Any: a figure
    if not isinstance(one, Amounts) or not one.is_known[rows].any():
        return None
    return exact_sum(one.values[rows][one.is_known[rows]])


def _oldest(one: Any, *, rows: Int64s, day: int) -> int | None:  # Any: a figure
    if not isinstance(one, Amounts) or not one.is_known[rows].any():
        return None
    return day - int(one.values[rows][one.is_known[rows]].min())


def worst_of(states: Any, *, rows: Int64s) -> str | None:  # Any: a figure
    """Return the state that asks for most among some rows, None where none has one."""
    if not isinstance(states, Words):
        return None
    present = {states.words[code] for code in np.unique(states.codes[rows]) if code != NOWHERE}
    return next((state for state in WORST if state in present), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class SiteTold:
    """One site: its books, who stands there, and the worst of it."""

    id: int
    name: str
    used_bytes: int | None
    size_bytes: int | None
    n_vms: int
    n_arrays: int
    worst: str | None
    objects_bytes: int | None


def sites_of(view: View) -> list[SiteTold]:
    """Return the sites that a view shows, by name."""
    reading = view.reading
    sites = reading.estate.table("site")
    books = reading.books["site"]
    rows = np.flatnonzero(view.shown_or_all("site")).tolist()
    shown = {kind: view.shown_or_all(kind) for kind in ("vm", "array", "bucket", *STAND_AT_SITES)}

    def at(kind: str, row: int) -> Bools:
        here: Bools = shown[kind] & (reading.link(kind, "site") == row)
        return here

    found = []
    for row in rows:
        states = [
            worst_of(reading.state(kind), rows=np.flatnonzero(at(kind, row)))
            for kind in STAND_AT_SITES
        ]
        objects = reading.books["bucket"].used
        is_here = at("bucket", row) & objects.is_known
        found.append(
            SiteTold(
                id=int(sites.ids[row]),
                name=sites.names[row],
                used_bytes=books.used.told(row),
                size_bytes=books.size.told(row),
                n_vms=int(at("vm", row).sum()),
                n_arrays=int(at("array", row).sum()),
                worst=next((state for state in WORST if state in states), None),
                objects_bytes=exact_sum(objects.values[is_here]) if is_here.any() else None,
            )
        )
    return sorted(found, key=lambda one: one.name)
