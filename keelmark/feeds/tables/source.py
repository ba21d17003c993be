"""Opens CSV, XLSX and Parquet alike: a header, then batches of columns of text."""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, datetime
from itertools import islice
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as pa_csv
import pyarrow.parquet as pa_parquet
from openpyxl import load_workbook

from keelmark.feeds.errors import TableError

BATCH_ROWS = 50_000
CSV_BLOCK_BYTES = 4 << 20
DELIMITERS = (",", ";", "\t", "|")
SNIFFED_BYTES = 64 << 10


def batches_of(path: Path) -> Iterator[pa.RecordBatch]:
    """Yield batches whose columns are all text, null where a cell is empty; bounded memory."""
    suffix = path.suffix.lower()
    if suffix == ".csv":
        yield from _csv(path)
    elif suffix == ".parquet":
        yield from _parquet(path)
    elif suffix == ".xlsx":
        yield from _xlsx(path)
    else:
        raise TableError(file=path.name, why="it is no .csv, .xlsx or .parquet file")


def header_of(path: Path) -> list[str]:
    """Return the names of the columns."""
    for batch in batches_of(path):
        return [str(name) for name in batch.schema.names]
    raise TableError(file=path.name, why="it has no rows")


def first_rows(path: Path, *, n_rows: int) -> list[dict[str, str | None]]:
    """Return the first rows as they stand in the file."""
    for batch in batches_of(path):
        rows: list[dict[str, str | None]] = batch.slice(0, n_rows).to_pylist()
        return rows
    return []


def _csv(path: Path) -> Iterator[pa.RecordBatch]:
    delimiter = _delimiter_of(path)
    with _told_badly(path):
        names = _csv_names(path, delimiter=delimiter)
        reader = pa_csv.open_csv(
            path,
            read_options=pa_csv.ReadOptions(block_size=CSV_BLOCK_BYTES, encoding="utf8"),
            parse_options=pa_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True),
            convert_options=pa_csv.ConvertOptions(
                column_types={name: pa.string() for name in names},
                strings_can_be_null=True,
                null_values=[""],
                quoted_strings_can_be_null=True,
            ),
        )
        yield from reader


def _delimiter_of(path: Path) -> str:
    with path.open("rb") as file:
        first = file.read(SNIFFED_BYTES).split(b"\n", 1)[0].decode("utf-8", errors="replace")
    return max(DELIMITERS, key=first.count)


def _csv_names(path: Path, *, delimiter: str) -> list[str]:
    reader = pa_csv.open_csv(
        path, parse_options=pa_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True)
    )
    return _each_once([str(name) for name in reader.schema.names], path=path)


def _each_once(names: list[str], *, path: Path) -> list[str]:
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise TableError(file=path.name, why=f"two columns are called {', '.join(twice)}")
    return names


def _parquet(path: Path) -> Iterator[pa.RecordBatch]:
    with _told_badly(path), pa_parquet.ParquetFile(path) as file:
        _each_once(list(file.schema_arrow.names), path=path)
        for batch in file.iter_batches(batch_size=BATCH_ROWS):
            columns = [column.cast(pa.string()) for column in batch.columns]
            yield pa.RecordBatch.from_arrays(columns, names=batch.schema.names)


def _xlsx(path: Path) -> Iterator[pa.RecordBatch]:
    try:
        book = load_workbook(path, read_only=True, data_only=True)
    except Exception as exc:  # the package raises whatever its parsers raise
        raise TableError(file=path.name, why=f"it is no readable workbook: {exc}") from exc
    try:
        rows = book.worksheets[0].iter_rows(values_only=True)
        # A column without a name is nobody's, and moves none of those beside it.
        header = {at: name for at, cell in enumerate(next(rows, ())) if (name := _text(cell))}
        if not header:
            raise TableError(file=path.name, why="its first row names no columns")
        names = _each_once(list(header.values()), path=path)
        while chunk := list(islice(rows, BATCH_ROWS)):
            columns = [
                pa.array([_text(row[at]) if at < len(row) else None for row in chunk], pa.string())
                for at in header
            ]
            yield pa.RecordBatch.from_arrays(columns, names=names)
    finally:
        book.close()


def _text(cell: object) -> str | None:
    if cell is None:
        return None
    if isinstance(cell, datetime):
        is_midnight = (cell.hour, cell.minute, cell.second) == (0, 0, 0)
        return cell.date().isoformat() if is_midnight else cell.isoformat()
    if isinstance(cell, date):
        return cell.isoformat()
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    return str(cell).strip() or None


@contextmanager
def _told_badly(path: Path) -> Iterator[None]:
    try:
        yield
    except pa.ArrowInvalid as exc:
        raise TableError(file=path.name, why=str(exc).split("\n", 1)[0]) from exc
