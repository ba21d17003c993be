"""Reads a query as columns: the database sends it as one stream, no row passes through Python."""

from collections.abc import Mapping
from io import BytesIO
from typing import TYPE_CHECKING, Any

import pyarrow as pa
from django.db import connection
from django.db.models import QuerySet
from pyarrow import csv

if TYPE_CHECKING:
    Told = pa.ChunkedArray[Any]  # Any: of whatever type its column is
else:
    Told = pa.ChunkedArray
Types = Mapping[str, Any]  # Any: the types of Arrow have no base that their stubs know
_CONVERTED: dict[str, Any] = {  # Any: options by name
    "null_values": [""],
    "true_values": ["t"],
    "false_values": ["f"],
    "strings_can_be_null": True,
    "quoted_strings_can_be_null": False,
}


def columns_of(query: QuerySet[Any, Any], *, types: Types) -> pa.Table:
    """Return the rows of a query of values as an Arrow table with columns of these types.

    The types stand in the order of the query's own columns.
    """
    sql, params = query.query.sql_with_params()
    return columns_told(sql, params=params, types=types)


def columns_told(sql: str, *, params: Any, types: Types) -> pa.Table:  # Any: as a cursor takes
    """Return the rows of a statement as an Arrow table with columns of these types."""
    stream = BytesIO()
    with (
        connection.cursor() as cursor,
        cursor.copy(f"COPY ({sql}) TO STDOUT (FORMAT csv)", params) as copy,
    ):
        for block in copy:
            stream.write(block)
    if stream.tell() == 0:
        return pa.table({name: pa.array([], type=kind) for name, kind in types.items()})
    stream.seek(0)
    return csv.read_csv(
        stream,
        read_options=csv.ReadOptions(column_names=list(types)),
        parse_options=csv.ParseOptions(newlines_in_values=True),
        convert_options=csv.ConvertOptions(column_types=dict(types), **_CONVERTED),
    )
