"""Reads five-minute means and what they were rolled up into, wherever they are kept."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Final

import numpy as np
import pyarrow as pa
from django.db import connection

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.days import EPOCH
from keelmark.core.performance import PARTS, STEPS_A_DAY
from keelmark.readings import sql
from keelmark.readings.columnar import columns_told
from keelmark.readings.performance.coding import ALL_PARTS, Steps, decoded

HOURS_A_DAY: Final = 24
STEP_SECONDS: Final = 86_400 // STEPS_A_DAY
MS: Final = 1000.0
_MEANS: Final = tuple(sql.MEANS.split(", "))


def steps_of(
    ids: Int64s, *, first_on: date, n_days: int, parts: Sequence[int] = ALL_PARTS
) -> Steps:
    """Return the five-minute means of things (n_things, n_parts, n_days · 288), NaN unread.

    What is read as a row stands before what is packed. Of some parts alone it takes a fraction of
    the time.
    """
    rows = row_steps(ids, first_on=first_on, n_days=n_days, parts=parts)
    packed = packed_steps(ids, first_on=first_on, n_days=n_days, parts=parts)
    told: Steps = np.where(np.isnan(rows), packed, rows)
    return told


def packed_steps(
    ids: Int64s, *, first_on: date, n_days: int, parts: Sequence[int] = ALL_PARTS
) -> Steps:
    """Return the same of what is packed alone."""
    steps = _nothing(len(ids), n_days * STEPS_A_DAY, n_parts=len(parts))
    days = {
        "entity_ids": ids.tolist(),
        "first_on": first_on,
        "last_on": first_on + timedelta(days=n_days - 1),
    }
    row_of = {entity_id: row for row, entity_id in enumerate(ids.tolist())}
    with connection.cursor() as cursor, cursor.copy(sql.COPY_PACKED_OUT, days) as copy:
        copy.set_types(["int8", "date", "bytea"])
        for entity_id, day, content in copy.rows():
            begin = (day - first_on).days * STEPS_A_DAY
            steps[row_of[entity_id], :, begin : begin + STEPS_A_DAY] = decoded(content, parts=parts)
    return steps


def row_steps(
    ids: Int64s, *, first_on: date, n_days: int, parts: Sequence[int] = ALL_PARTS
) -> Steps:
    """Return the same of what is kept in rows alone."""
    steps = _nothing(len(ids), n_days * STEPS_A_DAY, n_parts=len(parts))
    table = _table(sql.READ_STEPS, ids=ids, span=_days(first_on, n_days))
    rows = _rows_of(table.column("id").to_numpy(), ids=ids)
    at = table.column("at").to_numpy() - (first_on - EPOCH).days * STEPS_A_DAY
    for place, part in enumerate(parts):
        steps[rows, place, at] = table.column(_MEANS[part]).to_numpy()
    return steps


def last_steps(ids: Int64s, *, end_at: datetime, n_steps: int) -> Steps:
    """Return the last so many steps before a boundary (n_things, n_parts, n_steps), NaN unread.

    The end is a boundary of five minutes.
    """
    begin_at = end_at - timedelta(seconds=n_steps * STEP_SECONDS)
    first = int(begin_at.timestamp()) // STEP_SECONDS
    steps = _nothing(len(ids), n_steps)
    table = _table(sql.READ_STEPS, ids=ids, span=(begin_at, end_at))
    rows = _rows_of(table.column("id").to_numpy(), ids=ids)
    at = table.column("at").to_numpy() - first
    for part, name in enumerate(_MEANS):
        steps[rows, part, at] = table.column(name).to_numpy()
    day = begin_at.date()
    is_silent = np.isnan(steps).all(axis=(1, 2))
    if is_silent.any() and (_is_any_packed(day) or _is_any_packed(end_at.date())):
        whole = packed_steps(ids[is_silent], first_on=day, n_days=2)
        begin = first - (day - EPOCH).days * STEPS_A_DAY
        steps[is_silent] = whole[:, :, begin : begin + n_steps]
    return steps


def _is_any_packed(day: date) -> bool:
    with connection.cursor() as cursor:
        cursor.execute(sql.IS_PACKED, [day])
        return bool(cursor.fetchone()[0])


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Instants:
    """What things did between their last two samples, (n_things,), NaN where nobody counts.

    Operations a second, milliseconds an operation took in all and was held back by a limit, and
    when the newer sample was read, in seconds from 1970.
    """

    iops: Float64s
    latency_ms: Float64s
    qos_ms: Float64s
    read_at: Float64s


def instants_of(ids: Int64s) -> Instants:
    """Return what things do at this instant."""
    columns = ("read_ops", "write_ops", "busy_seconds", "qos_seconds")
    told = {name: np.full(len(ids), np.nan) for name in columns}
    read_at = np.full(len(ids), np.nan)
    row_of = {entity_id: row for row, entity_id in enumerate(ids.tolist())}
    with connection.cursor() as cursor:
        cursor.execute(sql.READ_INSTANTS, {"entity_ids": ids.tolist(), "columns": list(columns)})
        for entity_id, column, at_us, per_second in cursor.fetchall():
            row = row_of[entity_id]
            told[column][row] = np.nan if per_second is None else per_second
            if column in columns[:2] and per_second is not None:
                read_at[row] = at_us / 1e6
    iops = np.where(
        np.isnan(told["read_ops"]) & np.isnan(told["write_ops"]),
        np.nan,
        np.nan_to_num(told["read_ops"]) + np.nan_to_num(told["write_ops"]),
    )
    ops = np.where(iops > 0, iops, np.nan)
    return Instants(
        iops=iops,
        latency_ms=told["busy_seconds"] / ops * MS,
        qos_ms=told["qos_seconds"] / ops * MS,
        read_at=read_at,
    )


def hours_of(ids: Int64s, *, first_on: date, n_days: int) -> tuple[Steps, Steps]:
    """Return hourly means (n_things, n_parts, n_hours) and the most of a step in each hour."""
    told = _rolled(sql.READ_HOURS, ids=ids, first_on=first_on, n_days=n_days, per_day=HOURS_A_DAY)
    return told.steps, told.peak


def days_of(ids: Int64s, *, first_on: date, n_days: int) -> tuple[Steps, Steps]:
    """Return daily means (n_things, n_parts, n_days) and the most of a step in each day."""
    told = _rolled(sql.READ_DAYS, ids=ids, first_on=first_on, n_days=n_days, per_day=1)
    return told.steps, told.peak


def hours_added(ids: Int64s, *, first_on: date, n_days: int) -> tuple[Steps, Int64s]:
    """Return things added up by the hour (n_parts, n_hours), and how many were read in each.

    The same as ``core.performance.added`` makes of them, made by the database.
    """
    told = _rolled(
        sql.ADD_HOURS, ids=ids, first_on=first_on, n_days=n_days, per_day=HOURS_A_DAY, n_rows=1
    )
    return told.steps[0], told.n_read[0]


def days_added(ids: Int64s, *, first_on: date, n_days: int) -> tuple[Steps, Int64s]:
    """Return things added up by the day (n_parts, n_days), and how many were read in each."""
    told = _rolled(sql.ADD_DAYS, ids=ids, first_on=first_on, n_days=n_days, per_day=1, n_rows=1)
    return told.steps[0], told.n_read[0]


def _rolled(
    statement: str,
    *,
    ids: Int64s,
    first_on: date,
    n_days: int,
    per_day: int,
    n_rows: int | None = None,
) -> "_Told":
    table = _table(statement, ids=ids, span=_days(first_on, n_days), extra=("peak", "n"))
    first, shape = (first_on - EPOCH).days * per_day, (n_rows or len(ids), n_days * per_day)
    steps = _nothing(*shape)
    peak, n_read = np.full(shape, np.nan, np.float32), np.zeros(shape, dtype=np.int64)
    told_ids = table.column("id").to_numpy()
    rows = told_ids if n_rows else _rows_of(told_ids, ids=ids)
    at = table.column("at").to_numpy() - first
    for part, name in enumerate(_MEANS):
        steps[rows, part, at] = table.column(name).to_numpy()
    peak[rows, at] = table.column("peak").to_numpy()
    n_read[rows, at] = table.column("n").to_numpy()
    return _Told(steps=steps, peak=peak, n_read=n_read)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Told:
    steps: Steps
    peak: Steps
    n_read: Int64s


def _table(
    statement: str, *, ids: Int64s, span: tuple[datetime, datetime], extra: tuple[str, ...] = ()
) -> pa.Table:
    first_at, end_at = span
    kinds = {"peak": pa.float32(), "n": pa.int64()}
    return columns_told(
        statement,
        params={
            "entity_ids": ids.tolist(), "first_on": first_at.date(), "end_on": end_at.date(),
            "first_at": first_at, "end_at": end_at,
        },
        types={
            "id": pa.int64(), "at": pa.int64(), **dict.fromkeys(_MEANS, pa.float32()),
            **{name: kinds[name] for name in extra},
        },
    )  # fmt: skip


def _days(first_on: date, n_days: int) -> tuple[datetime, datetime]:
    begin = datetime.combine(first_on, time(), tzinfo=UTC)
    return begin, begin + timedelta(days=n_days)


def _rows_of(told: Int64s, *, ids: Int64s) -> Int64s:
    """Rows of things among the ids that were asked for, in whatever order those stand."""
    order = np.argsort(ids)
    rows: Int64s = order[np.searchsorted(ids, told, sorter=order)]
    return rows


def _nothing(n_things: int, n_steps: int, *, n_parts: int = len(PARTS)) -> Steps:
    return np.full((n_things, n_parts, n_steps), np.nan, dtype=np.float32)
