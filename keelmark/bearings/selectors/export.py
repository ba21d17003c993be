"""A list as a file: the rows and columns that it shows, in its order."""

from collections.abc import Callable
from io import BytesIO
from typing import Any

import numpy as np
import pyarrow as pa
from django.http import HttpResponse
from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell
from pyarrow import csv, parquet

from keelmark.bearings.selectors.lists import Columns
from keelmark.core.estate.columns import NOWHERE, Amounts, Words
from keelmark.core.estate.figures import Shares
from keelmark.core.estate.kinds import KINDS, Measure
from keelmark.estate.export import safe_cell

Column = Any  # Any: an Arrow array of whatever type
_UNITS = {
    Measure.BYTES: "_bytes",
    Measure.PERCENT: "_percent",
    Measure.SINCE: "_on",
    Measure.UNTIL: "_on",
}


def exported(columns: Columns, *, rows: np.ndarray, names: list[str], wanted: str) -> HttpResponse:
    """Return rows as a download: exact bytes, ISO dates, empty where nothing was read."""
    write, content_type = FORMATS[wanted]
    response = HttpResponse(
        write(_table(columns, rows=rows, names=names)), content_type=content_type
    )
    name = f"{KINDS[columns.kind].plural}.{wanted}".lower()
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def _table(columns: Columns, *, rows: np.ndarray, names: list[str]) -> pa.Table:
    table = columns.table
    told: dict[str, Column] = {
        "id": pa.array(table.ids[rows]),
        "name": pa.array([table.names[row] for row in rows.tolist()], type=pa.string()),
    }
    for name in names:
        if name != "name":
            told |= _column(columns, name=name, rows=rows)
    return pa.table(told)


def _column(columns: Columns, *, name: str, rows: np.ndarray) -> dict[str, Column]:
    field = KINDS[columns.kind].field(name)
    if field is None:
        at, target = columns.linked(name)
        linked = columns.view.reading.estate.table(target).names
        is_seen = np.append(columns.view.seen[target], False)
        texts = [linked[row] if is_seen[row] else None for row in at[rows].tolist()]
        return {name: pa.array(texts, type=pa.string())}
    one = columns.figure(name)
    header = name + _UNITS.get(field.measure, "")
    if isinstance(one, Words):
        texts = [None if c == NOWHERE else one.words[c] for c in one.codes[rows].tolist()]
        return {header: pa.array(texts, type=pa.string())}
    if isinstance(one, Shares):
        values = one.values[rows]
        return {header: pa.array(values, mask=np.isnan(values))}
    return {header: _amounts(one, rows=rows, measure=field.measure)}


def _amounts(one: Amounts, *, rows: np.ndarray, measure: Measure) -> Column:
    values, mask = one.values[rows], ~one.is_known[rows]
    if measure in (Measure.SINCE, Measure.UNTIL):
        return pa.array(values.astype(np.int32), mask=mask).cast(pa.date32())
    if measure is Measure.FLAG:
        return pa.array(values.astype(np.bool_), mask=mask)
    return pa.array(values, mask=mask)


def _csv(table: pa.Table) -> bytes:
    sink = BytesIO()
    csv.write_csv(_harmless(table), sink)
    return sink.getvalue()


def _parquet(table: pa.Table) -> bytes:
    sink = BytesIO()
    parquet.write_table(table, sink)
    return sink.getvalue()


def _xlsx(table: pa.Table) -> bytes:
    book = Workbook(write_only=True)
    sheet = book.create_sheet("Keel Mark")
    sheet.append(table.column_names)
    for batch in table.to_batches(max_chunksize=10_000):
        for row in zip(*(column.to_pylist() for column in batch.columns), strict=True):
            sheet.append([_cell(sheet, one) for one in row])
    sink = BytesIO()
    book.save(sink)
    return sink.getvalue()


def _cell(sheet: Any, told: Any) -> Any:  # Any: what a cell may hold
    """Text is text, also where it begins like a formula."""
    if not isinstance(told, str):
        return told
    cell = WriteOnlyCell(sheet, value=told)
    cell.data_type = "s"
    return cell


def _harmless(table: pa.Table) -> pa.Table:
    """Text that a spreadsheet would take for a formula is told as text."""
    for at, name in enumerate(table.column_names):
        if pa.types.is_string(table.schema.field(at).type):
            texts = [safe_cell(one) for one in table.column(at).to_pylist()]
            table = table.set_column(at, name, pa.array(texts, type=pa.string()))
    return table


FORMATS: dict[str, tuple[Callable[[pa.Table], bytes], str]] = {
    "csv": (_csv, "text/csv; charset=utf-8"),
    "xlsx": (_xlsx, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
    "parquet": (_parquet, "application/vnd.apache.parquet"),
}
