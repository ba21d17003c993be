"""Turns batches of a table into daily readings, whole columns at a time."""

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keelmark.core.arrays import Bools, Int64s
from keelmark.estate.models import Kind
from keelmark.feeds.tables.mapping import (
    READING_FIELDS,
    UNITS,
    Column,
    TableMapping,
    read_bytes,
    read_date,
)
from keelmark.feeds.tables.names import Names
from keelmark.readings.binary import UNKNOWN
from keelmark.readings.rows import DAY_US, END_OF_DAY_US, EPOCH, DailyRows, daily_rows

MAX_PROBLEMS = 200


@dataclass(slots=True, kw_only=True)
class MappedReadings:
    """Readings of a batch, and what was wrong with its other rows."""

    rows: DailyRows
    problems: list[str] = field(default_factory=list)


def readings_of(
    batch: pa.RecordBatch, *, mapping: TableMapping, names: Names, first_row: int
) -> MappedReadings:
    """Return the readings of a batch whose first row is the file's `first_row`-th."""
    problems: list[str] = []
    is_good = np.ones(batch.num_rows, dtype=np.bool_)
    kind = Kind(mapping.of_kind) if mapping.of_kind else None
    told = _Batch(batch=batch, first_row=first_row, problems=problems, is_good=is_good)
    entity_id = told.by_text(mapping.columns["name"], read=lambda text: names.id_of(kind, text))
    form = mapping.columns["day"].unit
    day = told.by_text(mapping.columns["day"], read=lambda text: _day(read_date(text, form=form)))
    amounts = {
        name: told.amounts(mapping.columns.get(name), comma=mapping.decimal_comma)
        for name in READING_FIELDS
    }
    is_good &= (entity_id != UNKNOWN) & (day != UNKNOWN) & (amounts["used_bytes"] != UNKNOWN)
    rows = daily_rows(
        entity_id=entity_id, day=day, read_at_us=day * DAY_US + END_OF_DAY_US, **amounts
    )
    return MappedReadings(rows=rows.taken(is_good), problems=problems)


def _day(on: date) -> int:
    return (on - EPOCH).days


@dataclass(slots=True, kw_only=True)
class _Batch:
    batch: pa.RecordBatch
    first_row: int
    problems: list[str]
    is_good: Bools

    def by_text(self, column: Column, *, read: Callable[[str], int]) -> Int64s:
        """Read each different text once; UNKNOWN and a problem where it cannot be read."""
        encoded = self.batch.column(column.column).dictionary_encode()
        texts = encoded.dictionary.to_pylist()
        values = np.full(len(texts) + 1, UNKNOWN, dtype=np.int64)
        faults: dict[int, str] = {}
        for at, text in enumerate(texts):
            try:
                values[at] = read((text or "").strip())
            except ValueError as exc:
                faults[at] = str(exc)
        codes = encoded.indices.fill_null(len(texts)).to_numpy(zero_copy_only=False)
        self._tell(codes, column=column, faults=faults, n_texts=len(texts))
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
                self.is_good[at] = False
                self._say(at, column=column, fault=str(exc))
        return values

    def _tell(self, codes: Int64s, *, column: Column, faults: dict[int, str], n_texts: int) -> None:
        bad = np.isin(codes, [*faults, n_texts])
        self.is_good &= ~bad
        for at in np.flatnonzero(bad)[:MAX_PROBLEMS]:
            self._say(int(at), column=column, fault=faults.get(int(codes[at]), "is empty"))

    def _say(self, at: int, *, column: Column, fault: str) -> None:
        self.problems.append(f"row {self.first_row + at}, {column.column}: {fault}")


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
