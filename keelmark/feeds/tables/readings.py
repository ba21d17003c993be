"""Turns batches of a table into daily readings, whole columns at a time."""

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keelmark.access.clock import utc_today
from keelmark.core.arrays import Bools, Int64s
from keelmark.core.days import EPOCH
from keelmark.estate.models import Kind
from keelmark.feeds.tables.faults import CellError, Fault, fault_of
from keelmark.feeds.tables.making import MAKES, Named
from keelmark.feeds.tables.mapping import (
    READING_FIELDS,
    UNITS,
    Column,
    TableMapping,
    read_bytes,
    read_date,
)
from keelmark.feeds.tables.names import Names
from keelmark.feeds.window import day_fault
from keelmark.readings.binary import UNKNOWN
from keelmark.readings.partitions import window_of
from keelmark.readings.rows import DailyRows, daily_rows, told_at_us

MAX_FAULTS = 200  # told one by one, a batch and column; the others are told together


@dataclass(slots=True, kw_only=True)
class MappedReadings:
    """Readings of a batch, and what was wrong with its other rows.

    A row of a thing that nobody has told of has a number below UNKNOWN for its entity.
    """

    rows: DailyRows
    named: dict[int, Named] = field(default_factory=dict)  # by entity or number, if of one kind
    faults: list[Fault] = field(default_factory=list)


def readings_of(
    batch: pa.RecordBatch, *, mapping: TableMapping, names: Names, first_row: int
) -> MappedReadings:
    """Return the readings of a batch whose first row is the file's `first_row`-th."""
    told = _Batch(batch=batch, first_row=first_row, is_good=np.ones(batch.num_rows, dtype=np.bool_))
    entity_id, named = _things(told, mapping=mapping, names=names)
    form = mapping.columns["day"].unit
    window = window_of(utc_today())
    day = told.by_text(
        mapping.columns["day"], read=lambda text: _day(read_date(text, form=form), window=window)
    )
    amounts = {
        name: told.amounts(mapping.columns.get(name), comma=mapping.decimal_comma)
        for name in READING_FIELDS
    }
    told.is_good &= (entity_id != UNKNOWN) & (day != UNKNOWN) & (amounts["used_bytes"] != UNKNOWN)
    rows = daily_rows(entity_id=entity_id, day=day, read_at_us=told_at_us(day), **amounts)
    _check_sized(told, rows=rows, named=named, column=mapping.columns["name"].column)
    return MappedReadings(rows=rows.taken(told.is_good), named=named, faults=told.faults)


def _things(
    told: "_Batch", *, mapping: TableMapping, names: Names
) -> tuple[Int64s, dict[int, Named]]:
    """Which thing each row is of, and how the rows name it where their kind can be made."""
    kind = Kind(mapping.of_kind) if mapping.of_kind else None
    column = mapping.columns["name"]
    if kind is None or kind not in MAKES:
        return told.by_text(column, read=lambda text: names.id_of(kind, text)), {}
    places = {
        name: told.texts(mapping.columns.get(name))
        for name in (MAKES[kind].within_field, "site", "service_class")
    }
    within = places[MAKES[kind].within_field]
    named: dict[int, Named] = {}

    def number_of(at: int, name: str) -> int:
        home = within[at]
        one = Named(
            kind=kind,
            name=name,
            within=names.uid_of(Kind.POOL, home) if kind == Kind.VOLUME else home,
            site=places["site"][at],
            service_class=places["service_class"][at],
            home_uid=names.uid_if_one(Kind.ARRAY, home) if kind == Kind.POOL else "",
        )
        number = names.number_of(one, may_make=mapping.makes_things)
        named.setdefault(number, one)
        return number

    return told.by_keys(column, beside=within, read=number_of), named


def _check_sized(told: "_Batch", *, rows: DailyRows, named: dict[int, Named], column: str) -> None:
    """A new thing without a size cannot be made: nobody could say how full it is."""
    for number, one in named.items():
        of_it = rows.entity_id == number
        if number < UNKNOWN and not (rows.capacity_bytes[of_it] != UNKNOWN).any():
            exc = CellError(
                f"{one.name} is new, and no row tells its size: map a column to the capacity",
                pattern="… is new, and no row tells its size: map a column to the capacity",
                subject=one.name,
            )
            told.refuse(np.flatnonzero(of_it), column=column, exc=exc, text=one.name)


def _day(on: date, *, window: tuple[date, date]) -> int:
    fault = day_fault(on, n_days=1, window=window)
    if fault:
        raise ValueError(fault)
    return (on - EPOCH).days


@dataclass(slots=True, kw_only=True)
class _Batch:
    batch: pa.RecordBatch
    first_row: int
    is_good: Bools
    faults: list[Fault] = field(default_factory=list)

    def by_text(self, column: Column, *, read: Callable[[str], int]) -> Int64s:
        """Read each different text once; UNKNOWN and a fault where it cannot be read."""
        texts, codes = self._encoded(column)
        return self._read(codes, texts=texts, column=column, read=lambda _, text: read(text))

    def by_keys(
        self, column: Column, *, beside: list[str], read: Callable[[int, str], int]
    ) -> Int64s:
        """Read each different text together with what stands beside it once."""
        texts, codes = self._encoded(column)
        others = {text: at for at, text in enumerate(dict.fromkeys(beside))}
        pairs = codes * len(others) + np.array([others[text] for text in beside], dtype=np.int64)
        _, first, pair_codes = np.unique(pairs, return_index=True, return_inverse=True)
        of_pairs = [texts[codes[at]] for at in first.tolist()]
        return self._read(
            pair_codes.astype(np.int64), texts=of_pairs, column=column,
            read=lambda at, text: read(int(first[at]), text),
        )  # fmt: skip

    def texts(self, column: Column | None) -> list[str]:
        """The cells of a column; empty ones where it is not mapped."""
        if column is None:
            return [""] * self.batch.num_rows
        return [(text or "").strip() for text in self.batch.column(column.column).to_pylist()]

    def _encoded(self, column: Column) -> tuple[list[str], Int64s]:
        encoded = self.batch.column(column.column).dictionary_encode()
        texts = [(text or "").strip() for text in encoded.dictionary.to_pylist()]
        codes = encoded.indices.fill_null(len(texts)).to_numpy(zero_copy_only=False)
        return [*texts, ""], codes.astype(np.int64)

    def _read(
        self, codes: Int64s, *, texts: list[str], column: Column, read: Callable[[int, str], int]
    ) -> Int64s:
        values = np.full(len(texts), UNKNOWN, dtype=np.int64)
        for at, text in enumerate(texts):
            try:
                if not text:
                    raise ValueError("is empty")
                values[at] = read(at, text)
            except ValueError as exc:
                self.refuse(np.flatnonzero(codes == at), column=column.column, exc=exc, text=text)
        found: Int64s = values[codes]
        return found

    def amounts(self, column: Column | None, *, comma: bool) -> Int64s:
        """Exact bytes of a column; UNKNOWN where empty."""
        if column is None:
            return np.full(self.batch.num_rows, UNKNOWN, dtype=np.int64)
        fast = None if comma else _whole_column(self.batch.column(column.column), unit=column.unit)
        if fast is not None:
            return fast
        return self._slowly(column, comma=comma)

    def _slowly(self, column: Column, *, comma: bool) -> Int64s:
        values = np.full(self.batch.num_rows, UNKNOWN, dtype=np.int64)
        for at, text in enumerate(self.batch.column(column.column).to_pylist()):
            if text is None or not text.strip():
                continue
            try:
                values[at] = read_bytes(text.strip(), unit=column.unit, decimal_comma=comma)
            except ValueError as exc:
                self.refuse(np.array([at]), column=column.column, exc=exc, text=text.strip())
        return values

    def refuse(self, rows: Int64s, *, column: str, exc: ValueError, text: str) -> None:
        """Leave rows out: the first are told one by one, the others together."""
        if len(rows) == 0:
            return
        self.is_good[rows] = False
        room = max(MAX_FAULTS - len(self.faults), 0)
        numbers = (self.first_row + rows).tolist()
        self.faults += [fault_of(exc, row=row, column=column, text=text) for row in numbers[:room]]
        if len(numbers) > room:
            left = numbers[room:]
            self.faults.append(
                fault_of(exc, row=left[0], column=column, text=text, n_rows=len(left))
            )


def _whole_column(texts: "pa.Array[Any]", *, unit: str) -> Int64s | None:
    """All of a column at once where every cell is a plain number; else None."""
    try:
        if UNITS[unit or "B"] == 1:
            whole = pc.cast(texts, pa.int64())
        else:
            exact = pc.cast(texts, pa.decimal128(28, 6))
            scaled = pc.multiply(exact, pa.scalar(UNITS[unit], pa.decimal128(19, 0)).cast(
                pa.decimal128(19, 0)
            ))  # fmt: skip
            whole = pc.cast(pc.round(scaled, 0), pa.int64(), safe=False)
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError):
        return None
    known: Int64s = whole.fill_null(UNKNOWN).to_numpy(zero_copy_only=False).astype(np.int64)
    return known if bool((known >= UNKNOWN).all()) and not _has_negative(whole) else None


def _has_negative(whole: "pa.Array[Any]") -> bool:
    return bool(pc.any(pc.less(whole, pa.scalar(0, pa.int64()))).as_py())
