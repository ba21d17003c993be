"""Packs days of five-minute means that are over, and takes days that come packed."""

from collections.abc import Iterable
from datetime import UTC, date, datetime, time, timedelta
from typing import Final

import numpy as np
from django.db import connection, transaction
from django.db.backends.utils import CursorWrapper

from keelmark.core.arrays import Int64s
from keelmark.core.days import EPOCH
from keelmark.core.performance import PARTS, STEPS_A_DAY, Floats, rolled
from keelmark.readings import sql
from keelmark.readings.binary import Column, copy_payload, days, moments, reals
from keelmark.readings.partitions import STEPS, first_step_on
from keelmark.readings.performance.coding import Steps, encoded
from keelmark.readings.performance.reading import packed_steps, row_steps
from keelmark.readings.reckoning import reckon_busy
from keelmark.readings.rows import DAY_US

SETTLED_AFTER: Final = timedelta(hours=2)  # what comes later is packed in afterwards
THINGS_AT_ONCE: Final = 400
STEPS_AN_HOUR: Final = 12
HOUR_US: Final = 3_600_000_000


def pack_finished(*, now: datetime) -> list[date]:
    """Pack every day that is over and rolled up, each in one transaction; return which."""
    last_on = (now - SETTLED_AFTER).date() - timedelta(days=1)
    with connection.cursor() as cursor:
        cursor.execute(
            sql.DAYS_OF_ROWS,
            {"first_at": _begin(first_step_on(now.date())), "last_at": _begin(last_on)},
        )
        wanted = [row[0] for row in cursor.fetchall()]
    return [day for day in wanted if _is_rolled(day) and pack_day(day)]


@transaction.atomic
def pack_day(day: date) -> int:
    """Move the rows of a day into packs; return of how many things.

    What a pack says already stays where no row says otherwise. Its hours and the day itself are
    rolled up from the steps; until then a day is the mean of its hours, near enough.
    """
    span = {"first_at": _begin(day), "end_at": _begin(day + timedelta(days=1))}
    with connection.cursor() as cursor:
        cursor.execute(sql.TAKE_TURN)
        cursor.execute(sql.THINGS_OF_DAY, span)
        things = np.array([row[0] for row in cursor.fetchall()], dtype=np.int64)
        for begin in range(0, len(things), THINGS_AT_ONCE):
            ids = things[begin : begin + THINGS_AT_ONCE]
            _write(cursor, day=day, ids=ids, steps=row_steps(ids, first_on=day, n_days=1))
        cursor.execute(sql.empty_partition(STEPS, suffix=f"{day:%Y%m%d}"))
    return len(things)


@transaction.atomic
def take_packed(day: date, *, ids: Int64s, steps: Steps) -> int:
    """Keep a day of things that comes whole, steps (n_things, n_parts, 288); return how many.

    Days that are past their time are left out, as older rows are.
    """
    if day < first_step_on(datetime.now(UTC).date()) or len(ids) == 0:
        return 0
    with connection.cursor() as cursor:
        cursor.execute(sql.TAKE_TURN)
        _write(cursor, day=day, ids=ids, steps=steps)
    return len(ids)


def is_packed(day: date) -> bool:
    """Return whether a day has packs."""
    with connection.cursor() as cursor:
        cursor.execute(sql.IS_PACKED, [day])
        return bool(cursor.fetchone()[0])


def steps_packed(day: date) -> int:
    """Return how many steps of a day are packed, of all things: more once some came late."""
    with connection.cursor() as cursor:
        cursor.execute(sql.STEPS_PACKED, [day])
        return int(cursor.fetchone()[0])


def _is_rolled(day: date) -> bool:
    with connection.cursor() as cursor:
        cursor.execute(
            sql.IS_TO_ROLL, {"first_at": _begin(day), "end_at": _begin(day + timedelta(days=1))}
        )
        return not cursor.fetchone()[0]


def _write(cursor: CursorWrapper, *, day: date, ids: Int64s, steps: Steps) -> None:
    before = packed_steps(ids, first_on=day, n_days=1)
    was_packed = ~np.isnan(before).all(axis=(1, 2))
    merged = np.where(np.isnan(steps), before, steps)
    n_read = (~np.isnan(merged)).any(axis=1).sum(axis=1)
    cursor.execute(sql.FORGET_PACKED, {"day": day, "ids": ids[was_packed].tolist()})
    _copy_packs(cursor, day=day, packs=zip(ids.tolist(), n_read.tolist(), merged, strict=True))
    _roll(cursor, day=day, ids=ids, steps=merged)
    reckon_busy(cursor, day=day, ids=ids, steps=merged)


def _copy_packs(
    cursor: CursorWrapper, *, day: date, packs: Iterable[tuple[int, int, Steps]]
) -> None:
    with cursor.copy(sql.COPY_PACKED) as copy:
        copy.set_types(["int8", "date", "int2", "bytea"])
        for entity_id, n_read, steps in packs:
            copy.write_row((entity_id, day, n_read, encoded(steps)))


def _roll(cursor: CursorWrapper, *, day: date, ids: Int64s, steps: Steps) -> None:
    """Write the hours and the day that steps make, as roll-ups of rows do."""
    cursor.execute(sql.MAKE_ROLLED_ASIDE)
    hours = rolled(steps, width=STEPS_AN_HOUR)
    n_hours = STEPS_A_DAY // STEPS_AN_HOUR
    begin = (day - EPOCH).days
    at_us = begin * DAY_US + np.arange(n_hours, dtype=np.int64) * HOUR_US
    _copy_rolled(
        cursor, statement=sql.COPY_HOURS_ASIDE, ids=np.repeat(ids, n_hours),
        when=moments(np.tile(at_us, len(ids))), told=hours,
    )  # fmt: skip
    cursor.execute(sql.MERGE_HOURS)
    _copy_rolled(
        cursor, statement=sql.COPY_DAYS_ASIDE, ids=ids,
        when=days(np.full(len(ids), begin, dtype=np.int64)), told=rolled(steps, width=STEPS_A_DAY),
    )  # fmt: skip
    cursor.execute(sql.MERGE_DAYS)


def _copy_rolled(
    cursor: CursorWrapper,
    *,
    statement: str,
    ids: Int64s,
    when: Column,
    told: tuple[Floats, Floats, Int64s],
) -> None:
    means, peak, n_read = told
    is_read = n_read.reshape(-1) > 0
    columns = [
        Column(values=ids, wire=">i8"),
        when,
        *(reals(means[:, part].reshape(-1)) for part in range(len(PARTS))),
        reals(peak.reshape(-1)),
        Column(values=n_read.reshape(-1), wire=">i2"),
    ]
    with cursor.copy(statement) as copy:
        copy.write(copy_payload([one.taken(is_read) for one in columns]))


def _begin(day: date) -> datetime:
    return datetime.combine(day, time(), tzinfo=UTC)
