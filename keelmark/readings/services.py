"""Writes daily readings by COPY, once however often they come."""

from datetime import UTC, date, datetime, time
from typing import TypeVar

import numpy as np
from django.db import connection, transaction
from numpy.typing import NDArray

from keelmark.core.arrays import Bools, Int64s
from keelmark.estate.documents import PoolDocument, ReadingsDocument, VolumeDocument
from keelmark.readings import sql
from keelmark.readings.binary import DailyRows, copy_payload
from keelmark.readings.errors import RaggedReadingsError

EPOCH = date(1970, 1, 1)
DAY_US = 86_400_000_000
END_OF_DAY_US = DAY_US - 1_000_000  # a daily reading without a time stands for the day's end
Number = TypeVar("Number", np.int64, np.bool_)
UNKNOWN = -1  # beside a False in the is_known column, never stored


@transaction.atomic
def write_daily(rows: DailyRows) -> int:
    """Write the rows and return how many days are new or were read later than known."""
    rows = _last_of_each_day(rows)
    if len(rows) == 0:
        return 0
    with connection.cursor() as cursor:
        cursor.execute(sql.LOCK_WRITERS)
        days = (_date(int(rows.day.min())), _date(int(rows.day.max())))
        cursor.execute(sql.HAS_ANY, [np.unique(rows.entity_id).tolist(), *days])
        if not cursor.fetchone()[0]:
            _copy(cursor, statement=sql.COPY_STRAIGHT, rows=rows)
            return len(rows)
        cursor.execute(sql.MAKE_ASIDE)
        _copy(cursor, statement=sql.COPY_ASIDE, rows=rows)
        cursor.execute(sql.MERGE_ASIDE)
        n_written = cursor.rowcount
        cursor.execute("TRUNCATE readings_incoming")
        return int(n_written)


def rows_of_readings(documents: list[ReadingsDocument], *, ids: dict[str, int]) -> DailyRows:
    """Return the rows of readings documents; raise RaggedReadingsError on unequal columns."""
    parts = [_rows_of_one(document, entity_id=ids[document.uid]) for document in documents]
    return _joined(parts)


def rows_of_inventory(
    documents: list[PoolDocument | VolumeDocument], *, ids: dict[str, int]
) -> DailyRows:
    """Return the readings that inventory documents carry; without used bytes, none."""
    told = [(d, _used_of(d)) for d in documents]
    known = [(d, used) for d, used in told if used is not None]
    provisioned = [_provisioned_of(d) for d, _ in known]
    read_at_us = np.array([_microseconds(d.read_at) for d, _ in known], dtype=np.int64)
    return DailyRows(
        entity_id=np.array([ids[d.uid] for d, _ in known], dtype=np.int64),
        day=read_at_us // DAY_US,
        used_bytes=np.array([used for _, used in known], dtype=np.int64),
        provisioned_bytes=np.array(
            [UNKNOWN if p is None else p for p in provisioned], dtype=np.int64
        ),
        is_provisioned_known=np.array([p is not None for p in provisioned], dtype=np.bool_),
        capacity_bytes=np.array([_capacity_of(d) for d, _ in known], dtype=np.int64),
        is_capacity_known=np.ones(len(known), dtype=np.bool_),
        read_at_us=read_at_us,
    )


def _used_of(document: PoolDocument | VolumeDocument) -> int | None:
    return document.used_bytes if isinstance(document, PoolDocument) else document.written_bytes


def _provisioned_of(document: PoolDocument | VolumeDocument) -> int | None:
    if isinstance(document, PoolDocument):
        return document.provisioned_bytes
    return document.size_bytes


def _capacity_of(document: PoolDocument | VolumeDocument) -> int:
    return document.usable_bytes if isinstance(document, PoolDocument) else document.size_bytes


def _rows_of_one(document: ReadingsDocument, *, entity_id: int) -> DailyRows:
    n_days = len(document.used_bytes)
    columns = {"provisioned_bytes": document.provisioned_bytes,
               "capacity_bytes": document.capacity_bytes}  # fmt: skip
    for name, column in columns.items():
        if column is not None and len(column) != n_days:
            raise RaggedReadingsError(
                uid=document.uid, column=name, n_wanted=n_days, n_found=len(column)
            )
    read = np.array([used is not None for used in document.used_bytes], dtype=np.bool_)
    first = (document.first_on - EPOCH).days
    days = first + np.flatnonzero(read)
    provisioned, capacity = (_column(column, read=read) for column in columns.values())
    return DailyRows(
        entity_id=np.full(len(days), entity_id, dtype=np.int64),
        day=days.astype(np.int64),
        used_bytes=_column(document.used_bytes, read=read),
        provisioned_bytes=provisioned,
        is_provisioned_known=provisioned != UNKNOWN,
        capacity_bytes=capacity,
        is_capacity_known=capacity != UNKNOWN,
        read_at_us=days.astype(np.int64) * DAY_US + END_OF_DAY_US,
    )


def _column(amounts: list[int | None] | None, *, read: Bools) -> Int64s:
    """Amounts on the days read; UNKNOWN where null (documents hold no negative amounts)."""
    if amounts is None:
        return np.full(int(read.sum()), UNKNOWN, dtype=np.int64)
    filled = [UNKNOWN if amount is None else amount for amount in amounts]
    return np.array(filled, dtype=np.int64)[read]


def _joined(parts: list[DailyRows]) -> DailyRows:
    return DailyRows(
        entity_id=_end_to_end([part.entity_id for part in parts]),
        day=_end_to_end([part.day for part in parts]),
        used_bytes=_end_to_end([part.used_bytes for part in parts]),
        provisioned_bytes=_end_to_end([part.provisioned_bytes for part in parts]),
        is_provisioned_known=_end_to_end([part.is_provisioned_known for part in parts]),
        capacity_bytes=_end_to_end([part.capacity_bytes for part in parts]),
        is_capacity_known=_end_to_end([part.is_capacity_known for part in parts]),
        read_at_us=_end_to_end([part.read_at_us for part in parts]),
    )


def _end_to_end(columns: list[NDArray[Number]]) -> NDArray[Number]:
    return np.concatenate(columns) if columns else np.zeros(0, dtype=np.int64)


def _last_of_each_day(rows: DailyRows) -> DailyRows:
    """One row an entity and day: the youngest; rows come out in key order."""
    order = np.lexsort((rows.read_at_us, rows.day, rows.entity_id))
    ordered = rows.taken(order)
    is_last = np.ones(len(ordered), dtype=np.bool_)
    is_last[:-1] = (ordered.entity_id[1:] != ordered.entity_id[:-1]) | (
        ordered.day[1:] != ordered.day[:-1]
    )
    return ordered.taken(is_last)


def _copy(cursor: object, *, statement: str, rows: DailyRows) -> None:
    with cursor.copy(statement) as copy:  # type: ignore[attr-defined]  # psycopg's own cursor
        copy.write(copy_payload(rows))


def _date(day: int) -> date:
    return date.fromordinal(EPOCH.toordinal() + day)


def _microseconds(moment: datetime) -> int:
    since = moment.astimezone(UTC) - datetime.combine(EPOCH, time(), tzinfo=UTC)
    return (since.days * 86_400 + since.seconds) * 1_000_000 + since.microseconds
