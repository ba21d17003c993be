"""Makes the estate of the core out of packed tables."""

from collections.abc import Mapping
from dataclasses import replace
from functools import cache
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keelmark.bearings.packs.packing import OUTLOOK, PAIR
from keelmark.bearings.packs.sources import SOURCES
from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.books import MarkColumns, folded, nearest_marks
from keelmark.core.estate.columns import NOWHERE, Amounts, Column, Pairs, Table, Words, unknown
from keelmark.core.estate.estate import Estate, Outlooks
from keelmark.core.estate.kinds import KINDS, PAIRS, Measure
from keelmark.core.forecast import Fan, Outlook, Rhythm
from keelmark.core.forecast.fan import N_TOLD
from keelmark.core.forecast.rhythm import MONTH_SLOTS, WEEK_DAYS
from keelmark.estate.marks import FIELDS
from keelmark.readings.columnar import Told

ENDS = {"runway": "limit_likely_on", "early": "limit_early_on", "late": "limit_late_on"}
UNREAD = "unread"


def estate_of(packs: Mapping[str, pa.Table], *, revision: int, day: int) -> Estate:
    """Return the estate of a revision's tables, day counted from 1970."""
    ids = {kind: _int64s(packs[kind]["id"])[0] for kind in SOURCES}
    tables = {kind: _table(kind, packs=packs, ids=ids) for kind in SOURCES}
    tables["array"] = _with_counts(tables)
    tables["vm"] = _with_snapshots(tables)
    pairs = {name: _pairs(name, packs[f"{PAIR}.{name}"], ids=ids) for name in PAIRS}
    marks = {kind: _marks(packs, kind=kind, tables=tables) for kind in SOURCES}
    # Of whatever may end, though nothing is forecast of it yet.
    outlooks = {
        kind: _outlooks(packs[f"{kind}.{OUTLOOK}"], ids=ids[kind])
        for kind in SOURCES
        if KINDS[kind].field("runway") is not None or len(packs[f"{kind}.{OUTLOOK}"])
    }
    return Estate(
        revision=revision, day=day, tables=tables, pairs=pairs, marks=marks, outlooks=outlooks
    )


def _table(kind: str, *, packs: Mapping[str, pa.Table], ids: dict[str, Int64s]) -> Table:
    told = packs[kind]
    links = {"site": _rows(told["at_site"], ids=ids["site"])}
    if kind != "tenant":
        links["tenant"] = _rows(told["of_tenant"], ids=ids["tenant"])
    for name, target in KINDS[kind].links:
        if f"to_{name}" in told.column_names:
            links[name] = _rows(told[f"to_{name}"], ids=ids[target])
    columns: dict[str, Column] = {
        name: _column(kind, name, told[f"its_{name}"])
        for name in (*SOURCES[kind].paths, *SOURCES[kind].expressions)
    }
    columns |= {name: _amounts(told[name]) for name in ("seen", "retired", "read")}
    return Table(
        kind=kind,
        ids=ids[kind],
        names=tuple(name or "" for name in told["named"].to_pylist()),
        links=links,
        columns=columns | _standing(packs[f"{kind}.{OUTLOOK}"], ids=ids[kind], kind=kind),
    )


def _standing(told: pa.Table, *, ids: Int64s, kind: str) -> dict[str, Column]:
    """How each thing stands and when it ends, along the ids."""
    n = len(ids)
    at = _rows(told["id"], ids=ids)
    codes = np.full(n, NOWHERE, dtype=np.int32)
    ends: dict[str, Amounts] = {name: unknown(n) for name in ENDS}
    is_met = at != NOWHERE
    known = _words(told["attention"])
    words = known.words
    if any(one.name == "runway" for one in KINDS[kind].fields):
        # What is forecast of its kind and was not yet is unread; other kinds have no state.
        words = (*words, UNREAD) if UNREAD not in words else words
        codes[:] = words.index(UNREAD)
    codes[at[is_met]] = known.codes[is_met]
    for name, path in ENDS.items():
        days = _amounts(told[path])
        ends[name].values[at[is_met]] = days.values[is_met]
        ends[name].is_known[at[is_met]] = days.is_known[is_met]
    return {"state": Words(codes=codes, words=words), **ends}


def _with_counts(tables: dict[str, Table]) -> Table:
    """Arrays with what is counted of their ports and drives."""
    array, ports, drives = tables["array"], tables["port"], tables["drive"]
    n = len(array)
    counts = {}
    for name, table, is_one, is_told in (
        ("free_ports", ports, _is_free(ports), ports.amounts("logins").is_known),
        ("unpooled", drives, _is_role(drives, "unpooled"), np.ones(len(drives), dtype=np.bool_)),
        ("failed", drives, _is_role(drives, "failed"), np.ones(len(drives), dtype=np.bool_)),
    ):
        onto = np.where(~table.amounts("retired").is_known, table.links["array"], NOWHERE)
        is_on = onto != NOWHERE
        counts[name] = Amounts(
            values=np.bincount(onto[is_on & is_one], minlength=n).astype(np.int64),
            is_known=np.bincount(onto[is_on & is_told], minlength=n) > 0,
        )
    return replace(array, columns={**array.columns, **counts})


def _with_snapshots(tables: dict[str, Table]) -> Table:
    """VMs with what their snapshots hold; one without any holds nothing in them."""
    vms, snapshots = tables["vm"], tables["snapshot"]
    is_there = ~snapshots.amounts("retired").is_known
    onto = np.where(is_there, snapshots.links["vm"], NOWHERE)
    held, n_unread = folded(snapshots.amounts("used"), onto=onto, n=len(vms))
    return replace(vms, columns={**vms.columns, "snapshots": replace(held, is_known=n_unread == 0)})


def _is_free(ports: Table) -> Bools:
    logins = ports.amounts("logins")
    free: Bools = logins.is_known & (logins.values == 0)
    return free


def _is_role(drives: Table, role: str) -> Bools:
    roles = drives.columns["role"]
    if not isinstance(roles, Words) or role not in roles.words:
        return np.zeros(len(drives), dtype=np.bool_)
    is_role: Bools = roles.codes == roles.words.index(role)
    return is_role


def _marks(packs: Mapping[str, pa.Table], *, kind: str, tables: dict[str, Table]) -> MarkColumns:
    told = packs[kind]
    levels = [tuple(_amounts(told[f"own_{name}"]) for name in FIELDS)]
    if SOURCES[kind].has_class:
        levels.append(tuple(_amounts(told[f"class_{name}"]) for name in FIELDS))
    if kind != "site":
        at = tables[kind].links["site"]
        sites = (_amounts(packs["site"][f"own_{name}"]) for name in FIELDS)
        levels.append(tuple(_taken(one, rows=at) for one in sites))
    return nearest_marks(*levels, n=len(told))


def _taken(one: Amounts, *, rows: Int64s) -> Amounts:
    if len(one) == 0:
        return unknown(len(rows))
    return Amounts(values=one.values[rows], is_known=one.is_known[rows] & (rows != NOWHERE))


def _outlooks(told: pa.Table, *, ids: Int64s) -> Outlooks:
    """The outlooks of a kind along its ids; what has none is not judged."""
    at = _rows(told["id"], ids=ids)
    is_met = at != NOWHERE
    n = len(ids)

    def column(name: str, *, without: float = np.nan) -> Float64s:
        numbers = np.full(n, without)
        numbers[at[is_met]] = told[name].to_numpy()[is_met]
        return numbers

    as_of = _amounts(told["as_of"])
    days = np.zeros(n, dtype=np.int64)
    days[at[is_met]] = as_of.values[is_met]
    memory = np.zeros(n, dtype=np.int64)
    memory[at[is_met]] = told["noise_memory"].to_numpy()[is_met]
    growth = column("growth_per_day")
    ceiling = column("ceiling")
    outlook = Outlook(
        last_bytes=column("last_amount"),
        level_bytes=column("level"),
        growth_bytes_per_day=growth,
        fan=Fan.kept(
            _lists(told["fan"], at=at, n=n, n_columns=N_TOLD),
            noise_variance=np.nan_to_num(column("noise_variance")),
            memory=memory,
        ),
        rhythm=Rhythm(
            by_weekday=_lists(told["by_weekday"], at=at, n=n, n_columns=WEEK_DAYS),
            by_month_slot=_lists(told["by_month_slot"], at=at, n=n, n_columns=MONTH_SLOTS),
            last_day=days,
        ),
        ceiling_bytes=np.where(np.isnan(ceiling), np.inf, ceiling),
        is_judged=~np.isnan(growth),
    )
    return Outlooks(of=outlook, as_of=days)


def _lists(told: Told, *, at: Int64s, n: int, n_columns: int) -> Float64s:
    """Lists of numbers as rows along the ids; an empty one is a row of zeros."""
    lists: Any = told.combine_chunks()  # Any: the stubs know no lists
    lengths = pc.fill_null(pc.list_value_length(lists), 0).to_numpy(zero_copy_only=False)
    is_told = (lengths == n_columns) & (at != NOWHERE)
    rows = np.zeros((n, n_columns))
    values = lists.filter(pa.array(is_told)).flatten().to_numpy(zero_copy_only=False)
    rows[at[is_told]] = values.reshape(-1, n_columns)
    return rows


def _pairs(name: str, told: pa.Table, *, ids: dict[str, Int64s]) -> Pairs:
    upper, lower = PAIRS[name]
    left = _rows(told["left"], ids=ids[upper])
    right = _rows(told["right"], ids=ids[lower])
    is_met = (left != NOWHERE) & (right != NOWHERE)
    left, right = left[is_met], right[is_met]
    both = left * (right.max(initial=0) + 1) + right
    # A thing may be told by several of its names: a host by each of its ports.
    _, first = np.unique(both, return_index=True)
    if len(first) < len(both):
        first.sort()
        left, right = left[first], right[first]
    return Pairs(left=left, right=right)


def _rows(told: Told, *, ids: Int64s) -> Int64s:
    """Row numbers of ids, NOWHERE where there is none."""
    wanted, is_told = _int64s(told)
    if len(ids) == 0:
        return np.full(len(wanted), NOWHERE, dtype=np.int64)
    at = np.minimum(np.searchsorted(ids, wanted), len(ids) - 1)
    return np.where(is_told & (ids[at] == wanted), at, NOWHERE).astype(np.int64)


def _int64s(told: Told) -> tuple[Int64s, Bools]:
    whole: Any = told.combine_chunks()  # Any: the stubs are of no use here
    known: Bools = pc.is_valid(whole).to_numpy(zero_copy_only=False)
    filled = pc.fill_null(whole, 0)
    return filled.to_numpy(zero_copy_only=False).astype(np.int64), known


def _column(kind: str, name: str, told: Told) -> Column:
    field = KINDS[kind].field(name)
    if field is not None and field.measure is Measure.TEXT:
        return _words(told)
    return _amounts(told)


def _amounts(told: Told) -> Amounts:
    values, is_known = _int64s(told.cast(_whole(told.type)))
    return Amounts(values=values, is_known=is_known)


@cache
def _whole(kind: pa.DataType) -> pa.DataType:
    """A date is counted in 32 bits from 1970, and no wider without that."""
    return pa.int32() if pa.types.is_date32(kind) else pa.int64()


def _words(told: Told) -> Words:
    texts = told.combine_chunks()
    coded: Any = texts.dictionary_encode()  # Any: the stubs know no dictionaries
    codes = pc.fill_null(coded.indices, NOWHERE).to_numpy(zero_copy_only=False).astype(np.int32)
    words = coded.dictionary.to_pylist()
    if "" in words:  # what was told as nothing was not told
        codes[codes == words.index("")] = NOWHERE
    return Words(codes=codes, words=tuple(words))
