"""PostgreSQL's binary formats from and to arrays, so that no row passes through Python."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Bools, Float64s, Int64s

HEADER = b"PGCOPY\n\xff\r\n\x00" + bytes(8)
TRAILER = b"\xff\xff"
POSTGRES_EPOCH_DAY = 10_957  # 2000-01-01 in days since 1970-01-01
POSTGRES_EPOCH_MICROSECOND = POSTGRES_EPOCH_DAY * 86_400_000_000
NULL_LENGTH = -1
UNKNOWN = -1  # null among amounts that are never negative; only its column knows it
Values = NDArray[Any]  # Any: integers of whatever width, or floats


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Column:
    """One column of a stream: its values (n_rows,), its wire format, and where it is not null."""

    values: Values
    wire: str
    is_known: Bools | None = None  # None: everywhere

    def taken(self, rows: Bools) -> "Column":
        """Return the chosen rows."""
        known = None if self.is_known is None else self.is_known[rows]
        return Column(values=self.values[rows], wire=self.wire, is_known=known)


def days(values: Int64s) -> Column:
    """Days since 1970 as dates."""
    return Column(values=values - POSTGRES_EPOCH_DAY, wire=">i4")


def moments(values_us: Int64s) -> Column:
    """Microseconds since 1970 as moments."""
    return Column(values=values_us - POSTGRES_EPOCH_MICROSECOND, wire=">i8")


def amounts(values: Int64s) -> Column:
    """Whole amounts, UNKNOWN as null."""
    return Column(values=values, wire=">i8", is_known=values != UNKNOWN)


def reals(values: Values) -> Column:
    """Single-precision floats, NaN as null."""
    return Column(values=values, wire=">f4", is_known=~np.isnan(values))


def copy_payload(columns: Sequence[Column]) -> bytes:
    """Return the rows as one binary COPY stream; rows with the same nulls come together."""
    n_rows = len(columns[0].values)
    pattern = np.zeros(n_rows, dtype=np.int64)
    for bit, column in enumerate(columns):
        if column.is_known is not None:
            pattern |= (~column.is_known).astype(np.int64) << bit
    parts = [HEADER]
    for nulls in np.unique(pattern):
        rows = np.flatnonzero(pattern == nulls)
        parts.append(_records(columns, rows=rows, nulls=int(nulls)))
    parts.append(TRAILER)
    return b"".join(parts)


def _records(columns: Sequence[Column], *, rows: Int64s, nulls: int) -> bytes:
    """One fixed layout: each field is its length, then its bytes, all big-endian."""
    layout = [("n_fields", ">i2")]
    for at, column in enumerate(columns):
        layout.append((f"length_{at}", ">i4"))
        if not nulls >> at & 1:
            layout.append((f"value_{at}", column.wire))
    records = np.empty(len(rows), dtype=np.dtype(layout))
    records["n_fields"] = len(columns)
    for at, column in enumerate(columns):
        if nulls >> at & 1:
            records[f"length_{at}"] = NULL_LENGTH
        else:
            records[f"length_{at}"] = np.dtype(column.wire).itemsize
            records[f"value_{at}"] = column.values[rows]
    return records.tobytes()


def known_amounts(wire: bytes) -> Float64s:
    """Return whole amounts sent end to end as floats, NaN for UNKNOWN."""
    values = np.frombuffer(wire, dtype=">i8").astype(np.int64)
    return np.where(values == UNKNOWN, np.nan, values)
