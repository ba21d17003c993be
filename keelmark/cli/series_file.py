"""Reads series of used bytes from a file, a part at a time: CSV, packed or not, or Parquet."""

import csv
import gzip
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation
from itertools import chain
from pathlib import Path
from typing import IO, Any

import numpy as np
import pyarrow as pa
import pyarrow.csv as pa_csv
import pyarrow.parquet as pa_parquet

from keelmark.cli.console import CommandError
from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.units import MAX_BYTES

COLUMNS = ("series", "date", "used_bytes", "capacity_bytes")
MAX_FAULTS_TOLD = 10
TOP = 2.0**63
PART_BYTES = 2 * 2**20  # the reader holds some thirty of them ahead
PART_ROWS = 250_000
WANTED = (
    f"want columns {', '.join(COLUMNS)}: text, days, whole bytes from 0 on, one for a series a day"
)
Tell = Callable[[str, int, int], None]  # what is done, how much of it, of how much


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Part:
    """Some rows of a file: names that come in it and, a row each, which of them, day and bytes.

    Days count from 1970; used is NaN where none is told, capacity counts where it is known.
    """

    names: list[str]
    at: Int64s
    day: Int64s
    used_bytes: Float64s
    capacity_bytes: Int64s
    has_capacity: Bools


class OddFileError(Exception):
    """Something in the file is not as it should be: where, a slower look tells."""


def parts_of(path: Path, *, are_whole: bool, tell: Tell) -> Iterator[Part]:
    """Yield the rows of a file in order; raise OddFileError for what is not as it should be.

    ``are_whole`` reads amounts as integers; else also 1.0 or 1e13 is taken, as tools with
    missing values write them.
    """
    amounts = pa.int64() if are_whole else pa.float64()
    n_rows = 0
    try:
        for batch in _batches(path, amounts=amounts, tell=tell):
            n_rows += batch.num_rows
            if batch.num_rows:
                yield _part(batch)
    except (pa.ArrowInvalid, pa.ArrowKeyError, KeyError, OverflowError, OSError) as exc:
        raise OddFileError from exc
    if n_rows == 0:
        raise OddFileError


def _batches(path: Path, *, amounts: pa.DataType, tell: Tell) -> Iterator[Any]:  # Any: a batch
    types: dict[str, pa.DataType] = {
        "series": pa.string(),
        "date": pa.date32(),
        "used_bytes": amounts,
        "capacity_bytes": amounts,
    }
    size = path.stat().st_size
    if path.suffix == ".parquet":
        schema = pa.schema(types)
        with pa_parquet.ParquetFile(path) as stored:
            n_done, n_rows = 0, stored.metadata.num_rows
            # Group by group: asked for all at once, all of them would be decoded ahead.
            groups = (
                stored.iter_batches(
                    PART_ROWS, row_groups=[at], columns=list(COLUMNS), use_threads=False
                )
                for at in range(stored.num_row_groups)
            )
            for batch in chain.from_iterable(groups):
                told = pa.Table.from_batches([batch]).select(list(COLUMNS))
                n_done += batch.num_rows
                tell("reading", n_done, n_rows)
                yield from told.cast(schema, safe=amounts == pa.int64()).to_batches()
        return
    # Arrow's own file: one of Python's, read ahead in a thread, ends the process with an abort.
    with pa.OSFile(str(path), "rb") as raw:
        plain: Any = raw  # a stream, which its stubs do not take for one
        if (packed := _packed_by(path)) is not None:
            plain = pa.CompressedInputStream(plain, packed)
        reader = pa_csv.open_csv(
            plain,
            read_options=pa_csv.ReadOptions(block_size=PART_BYTES, use_threads=False),
            convert_options=pa_csv.ConvertOptions(
                column_types=types, include_columns=list(COLUMNS), strings_can_be_null=False
            ),
        )
        for batch in reader:
            tell("reading", raw.tell(), size)
            yield batch


def _packed_by(path: Path) -> Any:  # Any: one of the names its stubs list
    try:
        return pa.Codec.detect(str(path)).name
    except (TypeError, ValueError):
        return None


def _part(batch: Any) -> Part:  # Any: a record batch of COLUMNS
    columns = {name: batch.column(at) for at, name in enumerate(batch.schema.names)}
    used, capacity = (
        columns[name].cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False)
        for name in ("used_bytes", "capacity_bytes")
    )
    for amounts in (used, capacity):
        known = amounts[~np.isnan(amounts)]
        is_whole = np.isfinite(known) & (known >= 0) & (known == np.floor(known))
        if not (is_whole & (known < TOP)).all():
            raise OddFileError
    names = columns["series"].dictionary_encode()
    named: list[str | None] = names.dictionary.to_pylist()
    told = [name for name in named if name]
    if columns["date"].null_count or names.null_count or len(told) < len(named):
        raise OddFileError
    exact = columns["capacity_bytes"].fill_null(0).cast(pa.int64())  # to the last byte
    return Part(
        names=told,
        at=names.indices.to_numpy().astype(np.int64),
        day=columns["date"].cast(pa.int32()).to_numpy().astype(np.int64),
        used_bytes=used.astype(np.float64),
        capacity_bytes=exact.to_numpy().astype(np.int64),
        has_capacity=~np.isnan(capacity),
    )


def refusal(path: Path, *, twice: set[tuple[str, str]]) -> CommandError:
    """Return what is wrong with a file, by line and field.

    ``twice`` are series and days that are known to be told in two ways.
    """
    return CommandError(_faults_of(path, twice=twice))


def _opened(path: Path) -> IO[str]:
    if path.suffix == ".gz":
        return gzip.open(path, "rt", encoding="utf-8-sig", newline="")
    return path.open(encoding="utf-8-sig", newline="")


def _faults_of(path: Path, *, twice: set[tuple[str, str]]) -> str:
    """Read the file again slowly and say what is wrong where."""
    if path.suffix == ".parquet":
        told = "; ".join(f"{series} has two amounts on {day}" for series, day in sorted(twice)[:3])
        return f"{path.name}: {told or WANTED}."
    faults: list[str] = []
    n_faults = 0
    seen: dict[tuple[str, str], tuple[str, int]] = {}
    n_rows = 0
    try:
        with _opened(path) as file:
            reader = csv.DictReader(file)
            missing = [c for c in COLUMNS if c not in (reader.fieldnames or [])]
            if missing:
                return f"{path.name}: no column {', '.join(missing)}; want {','.join(COLUMNS)}."
            for record in reader:
                n_rows += 1
                found = _faults_of_row(record, line=reader.line_num, twice=twice, seen=seen)
                n_faults += len(found)
                faults += found[: MAX_FAULTS_TOLD - len(faults)]
    except (OSError, EOFError, UnicodeDecodeError, csv.Error) as exc:
        return f"{path.name}: {exc}"
    if n_rows == 0:
        return f"{path.name}: no rows under the header."
    told = "\n  ".join(faults) or "it cannot be read as CSV"
    more = n_faults - len(faults)
    return f"{path.name}: {told}" + (f"\n  … and {more} more" if more > 0 else "")


def _faults_of_row(
    record: dict[str, Any],
    *,
    line: int,
    twice: set[tuple[str, str]],
    seen: dict[tuple[str, str], tuple[str, int]],
) -> list[str]:
    faults = []
    if not record["series"]:
        faults.append(f"line {line}, series: empty")
    try:
        date.fromisoformat(record["date"] or "")
    except ValueError:
        faults.append(f"line {line}, date: “{record['date']}” is no ISO date")
    for name in ("used_bytes", "capacity_bytes"):
        fault = _fault_of_amount((record[name] or "").strip())
        if fault:
            faults.append(f"line {line}, {name}: {fault}")
    key, used = (record["series"], record["date"]), (record["used_bytes"] or "").strip()
    if used and key in twice and seen.setdefault(key, (used, line))[0] != used:
        first = seen[key]
        faults.append(
            f"line {line}, used_bytes: {used}, but line {first[1]} says {first[0]} for that day"
        )
    return faults


def _fault_of_amount(told: str) -> str:
    if told in ("", "nan", "NaN"):
        return ""
    try:
        amount = Decimal(told)
    except InvalidOperation:
        return f"“{told}” is no whole number of bytes from 0 on"
    if not amount.is_finite() or amount < 0 or amount != int(amount):
        return f"“{told}” is no whole number of bytes from 0 on"
    return f"{told} is above 2^63 − 1" if amount > MAX_BYTES else ""
