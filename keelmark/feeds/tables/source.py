"""Opens CSV, XLSX and Parquet alike: a header, then batches of columns of text."""

import csv
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, datetime
from itertools import islice
from pathlib import Path
from zipfile import BadZipFile, ZipFile

import pyarrow as pa
import pyarrow.csv as pa_csv
import pyarrow.parquet as pa_parquet
from openpyxl import Workbook, load_workbook

from keelmark.feeds.errors import TableError
from keelmark.feeds.tables.limits import (
    LOOK_SECONDS,
    MAX_CELL_CHARS,
    MAX_CELLS,
    MAX_COLUMNS,
    MAX_HEADER_BYTES,
    MAX_PARTS,
    MAX_SHARED_TEXT_BYTES,
    MAX_UNPACKED_BYTES,
    READ_SECONDS,
    Meter,
    check_columns,
)

BATCH_ROWS = 50_000
CSV_BLOCK_BYTES = 4 << 20
DELIMITERS = (",", ";", "\t", "|")
XLSX_BATCH_ROWS = 5_000
NAMELESS = "\x1fcolumn "  # before the number of a column without a name
SENT_FOLDER = "sheets"
N_TOLD = 5


def batches_of(path: Path, *, seconds: float = READ_SECONDS) -> Iterator[pa.RecordBatch]:
    """Yield batches whose columns are all text, null where a cell is empty; bounded memory."""
    suffix = path.suffix.lower()
    meter = Meter(file=name_of(path), seconds=seconds)
    readers = {".csv": _csv, ".parquet": _parquet, ".xlsx": _xlsx}
    if suffix not in readers:
        raise TableError(file=name_of(path), why="it is no .csv, .xlsx or .parquet file")
    for batch in readers[suffix](path):
        meter.take(n_rows=batch.num_rows, n_columns=batch.num_columns)
        yield batch


def name_of(path: Path) -> str:
    """Return what a file is called to people; a sent one lies under a name that is nobody's."""
    return "The table" if path.parent.name == SENT_FOLDER else path.name


def header_of(path: Path) -> list[str]:
    """Return the names of the columns."""
    for batch in batches_of(path, seconds=LOOK_SECONDS):
        return [str(name) for name in batch.schema.names]
    raise TableError(file=name_of(path), why="it has no rows")


def first_rows(path: Path, *, n_rows: int) -> list[dict[str, str | None]]:
    """Return the first rows as they stand in the file."""
    for batch in batches_of(path, seconds=LOOK_SECONDS):
        rows: list[dict[str, str | None]] = batch.slice(0, n_rows).to_pylist()
        return rows
    return []


def _csv(path: Path) -> Iterator[pa.RecordBatch]:
    first = _first_line(path)
    delimiter = max(DELIMITERS, key=first.count)
    names = _csv_names(first, delimiter=delimiter, path=path)
    with _told_badly(path):
        reader = pa_csv.open_csv(
            path,
            read_options=pa_csv.ReadOptions(
                block_size=CSV_BLOCK_BYTES, encoding="utf8", column_names=names, skip_rows=1
            ),
            parse_options=pa_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True),
            convert_options=pa_csv.ConvertOptions(
                column_types={name: pa.string() for name in names},
                include_columns=[name for name in names if not name.startswith(NAMELESS)],
                strings_can_be_null=True,
                null_values=[""],
                quoted_strings_can_be_null=True,
            ),
        )
        yield from reader


def _first_line(path: Path) -> str:
    with path.open("rb") as file:
        first = file.readline(MAX_HEADER_BYTES + 1)
    if len(first) > MAX_HEADER_BYTES:
        why = (
            f"its first line is over {MAX_HEADER_BYTES >> 10} KiB; at most {MAX_COLUMNS} "
            "columns are read"
        )
        raise TableError(file=name_of(path), why=why)
    return first.decode("utf-8-sig", errors="replace").rstrip("\r\n")


def _csv_names(first: str, *, delimiter: str, path: Path) -> list[str]:
    """The names of the columns, told from the first line before anything is parsed."""
    if not first:
        raise TableError(file=name_of(path), why="it is empty")
    if first.count('"') % 2:
        raise TableError(file=name_of(path), why="its first line leaves a quotation mark open")
    told = next(csv.reader([first], delimiter=delimiter), [])
    check_columns(len(told), file=name_of(path))
    if not any(name.strip() for name in told):
        raise TableError(file=name_of(path), why="its first line names no columns")
    # A column without a name is nobody's, and moves none of those beside it.
    names = [name.strip() or f"{NAMELESS}{at}" for at, name in enumerate(told)]
    return _each_once(names, path=path)


def _each_once(names: list[str], *, path: Path) -> list[str]:
    twice = sorted(name for name, n in Counter(names).items() if n > 1)
    if twice:
        shown = ", ".join(twice[:N_TOLD])
        raise TableError(file=name_of(path), why=f"two columns are called {shown}")
    return names


def _parquet(path: Path) -> Iterator[pa.RecordBatch]:
    with _told_badly(path), pa_parquet.ParquetFile(path) as file:
        names = [str(name) for name in file.schema_arrow.names]
        check_columns(len(names), file=name_of(path))
        told = file.metadata
        n_bytes = sum(told.row_group(at).total_byte_size for at in range(told.num_row_groups))
        if n_bytes > MAX_UNPACKED_BYTES or told.num_rows * len(names) > MAX_CELLS:
            why = f"unpacked it is over {MAX_UNPACKED_BYTES >> 30} GiB or {MAX_CELLS:,} cells"
            raise TableError(file=name_of(path), why=why)
        _each_once(names, path=path)
        for batch in file.iter_batches(batch_size=BATCH_ROWS):
            columns = [column.cast(pa.string()) for column in batch.columns]
            yield pa.RecordBatch.from_arrays(columns, names=names)


def _xlsx(path: Path) -> Iterator[pa.RecordBatch]:
    _check_workbook(path)
    try:
        book = load_workbook(path, read_only=True, data_only=True, keep_links=False)
    except Exception as exc:  # the package raises whatever its parsers raise
        raise TableError(file=name_of(path), why=f"it is no readable workbook: {exc}") from exc
    try:
        yield from _sheet_rows(book, path=path)
    except TableError:
        raise
    except Exception as exc:  # as above: a workbook may be broken further down
        raise TableError(file=name_of(path), why=f"it breaks off: {exc}") from exc
    finally:
        book.close()


def _sheet_rows(book: Workbook, *, path: Path) -> Iterator[pa.RecordBatch]:
    """The first sheet, as wide as its header: a row with a cell far out is not filled up to it."""
    if not book.worksheets:
        raise TableError(file=name_of(path), why="it has no sheet")
    sheet = book.worksheets[0]
    first = next(sheet.iter_rows(max_row=1, max_col=MAX_COLUMNS + 1, values_only=True), ())
    # A column without a name is nobody's, and moves none of those beside it.
    header = {at: name for at, cell in enumerate(first) if (name := _text(cell))}
    if not header:
        raise TableError(file=name_of(path), why="its first row names no columns")
    check_columns(max(header) + 1, file=name_of(path))
    names = _each_once(list(header.values()), path=path)
    rows = sheet.iter_rows(min_row=2, max_col=max(header) + 1, values_only=True)
    while chunk := list(islice(rows, XLSX_BATCH_ROWS)):
        columns = [
            pa.array([_text(row[at]) if at < len(row) else None for row in chunk], pa.string())
            for at in header
        ]
        yield pa.RecordBatch.from_arrays(columns, names=names)


def _check_workbook(path: Path) -> None:
    """Look at what a workbook unpacks to before anything of it is unpacked."""
    try:
        with ZipFile(path) as parts:
            told = parts.infolist()
    except (BadZipFile, OSError, ValueError) as exc:
        raise TableError(file=name_of(path), why=f"it is no readable workbook: {exc}") from exc
    n_bytes = sum(part.file_size for part in told)
    shared = sum(part.file_size for part in told if part.filename.endswith("sharedStrings.xml"))
    if len(told) > MAX_PARTS or n_bytes > MAX_UNPACKED_BYTES or shared > MAX_SHARED_TEXT_BYTES:
        why = (
            f"unpacked it is {n_bytes >> 20:,} MiB, {shared >> 20:,} MiB of it texts; at most "
            f"{MAX_UNPACKED_BYTES >> 20:,} and {MAX_SHARED_TEXT_BYTES >> 20:,} are read: "
            "send it as CSV"
        )
        raise TableError(file=name_of(path), why=why)


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
    return str(cell)[:MAX_CELL_CHARS].strip() or None


@contextmanager
def _told_badly(path: Path) -> Iterator[None]:
    try:
        yield
    except (pa.ArrowException, OSError, ValueError, UnicodeError) as exc:
        if isinstance(exc, TableError):
            raise
        raise TableError(file=name_of(path), why=str(exc).split("\n", 1)[0][:300]) from exc
