"""Reads five-minute means and what they were rolled up into, wherever they are kept."""

from datetime import UTC, date, datetime, time, timedelta
from typing import Final

import numpy as np
import pyarrow as pa
from django.db import connection

from keelmark.core.arrays import Int64s
from keelmark.core.performance import PARTS, STEPS_A_DAY
from keelmark.readings import sql
from keelmark.readings.columnar import columns_told
from keelmark.readings.performance.coding import Steps, decoded
from keelmark.readings.rows import EPOCH

HOURS_A_DAY: Final = 24
_MEANS: Final = tuple(sql.MEANS.split(", "))


def steps_of(ids: Int64s, *, first_on: date, n_days: int) -> Steps:
    """Return the five-minute means of things (n_things, n_parts, n_days · 288), NaN unread.

    The ids are sorted; what is read as a row stands before what is packed.
    """
    rows = row_steps(ids, first_on=first_on, n_days=n_days)
    packed = packed_steps(ids, first_on=first_on, n_days=n_days)
    told: Steps = np.where(np.isnan(rows), packed, rows)
    return told


def packed_steps(ids: Int64s, *, first_on: date, n_days: int) -> Steps:
    """Return the same of what is packed alone."""
    steps = _nothing(len(ids), n_days * STEPS_A_DAY)
    days = {
        "entity_ids": ids.tolist(),
        "first_on": first_on,
        "last_on": first_on + timedelta(days=n_days - 1),
    }
    with connection.cursor() as cursor, cursor.copy(sql.COPY_PACKED_OUT, days) as copy:
        copy.set_types(["int8", "date", "bytea"])
        for entity_id, day, content in copy.rows():
            begin = (day - first_on).days * STEPS_A_DAY
            row = int(np.searchsorted(ids, entity_id))
            steps[row, :, begin : begin + STEPS_A_DAY] = decoded(content)
    return steps


def row_steps(ids: Int64s, *, first_on: date, n_days: int) -> Steps:
    """Return the same of what is kept in rows alone."""
    first = (first_on - EPOCH).days * STEPS_A_DAY
    return _told(
        sql.READ_STEPS, ids=ids, first_on=first_on, n_days=n_days, first=first,
        n_steps=n_days * STEPS_A_DAY,
    )[0]  # fmt: skip


def hours_of(ids: Int64s, *, first_on: date, n_days: int) -> tuple[Steps, Steps]:
    """Return hourly means (n_things, n_parts, n_hours) and the most of a step in each hour."""
    first = (first_on - EPOCH).days * HOURS_A_DAY
    return _told(
        sql.READ_HOURS, ids=ids, first_on=first_on, n_days=n_days, first=first,
        n_steps=n_days * HOURS_A_DAY, has_peak=True,
    )  # fmt: skip


def days_of(ids: Int64s, *, first_on: date, n_days: int) -> tuple[Steps, Steps]:
    """Return daily means (n_things, n_parts, n_days) and the most of a step in each day."""
    first = (first_on - EPOCH).days
    return _told(
        sql.READ_DAYS, ids=ids, first_on=first_on, n_days=n_days, first=first, n_steps=n_days,
        has_peak=True,
    )  # fmt: skip


def _told(
    statement: str,
    *,
    ids: Int64s,
    first_on: date,
    n_days: int,
    first: int,
    n_steps: int,
    has_peak: bool = False,
) -> tuple[Steps, Steps]:
    end_on = first_on + timedelta(days=n_days)
    columns = (*_MEANS, "peak") if has_peak else _MEANS
    types = {
        "id": pa.int64(), "at": pa.int64(), **dict.fromkeys(columns, pa.float32()),
        **({"n": pa.int64()} if has_peak else {}),
    }  # fmt: skip
    table = columns_told(
        statement,
        params={
            "entity_ids": ids.tolist(), "first_on": first_on, "end_on": end_on,
            "first_at": datetime.combine(first_on, time(), tzinfo=UTC),
            "end_at": datetime.combine(end_on, time(), tzinfo=UTC),
        },
        types=types,
    )  # fmt: skip
    steps, peak = _nothing(len(ids), n_steps), np.full((len(ids), n_steps), np.nan, np.float32)
    rows = np.searchsorted(ids, table.column("id").to_numpy())
    at = table.column("at").to_numpy() - first
    for part, name in enumerate(_MEANS):
        steps[rows, part, at] = table.column(name).to_numpy()
    if has_peak:
        peak[rows, at] = table.column("peak").to_numpy()
    return steps, peak


def _nothing(n_things: int, n_steps: int) -> Steps:
    return np.full((n_things, len(PARTS), n_steps), np.nan, dtype=np.float32)
