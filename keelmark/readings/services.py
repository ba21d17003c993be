"""Writes readings by COPY, once however often they come; corrections are kept beside them."""

from collections.abc import Iterable
from datetime import date, datetime

from django.db import IntegrityError, connection, transaction
from django.db.backends.utils import CursorWrapper
from psycopg.errors import CheckViolation

from keelmark.access.services.audit import audit
from keelmark.readings import sql
from keelmark.readings.binary import Column, copy_payload
from keelmark.readings.errors import NoPartitionError
from keelmark.readings.models import PastTold
from keelmark.readings.partitions import first_step_us
from keelmark.readings.rows import DailyRows, StepRows, date_of, last_of_each

HOUR_US = 3_600_000_000
MAX_THINGS_TOLD = 20
BATCH_ROWS = 5000


@transaction.atomic
def write_daily(rows: DailyRows, *, told_by: str = "") -> int:
    """Write the rows and return how many days are new or read otherwise than known.

    The youngest reading of a day stands, of two as old the one that came last; what a
    finished day said before is kept in its corrections, of which the audit tells.
    """
    rows = last_of_each(rows)
    if len(rows) == 0:
        return 0
    first_on, last_on = date_of(int(rows.day.min())), date_of(int(rows.day.max()))
    with connection.cursor() as cursor:
        cursor.execute(sql.TAKE_TURN)
        cursor.execute(sql.HAS_ANY, [sorted(set(rows.entity_id.tolist())), first_on, last_on])
        if not cursor.fetchone()[0]:
            _copy(cursor, statement=sql.COPY_DAILY, columns=rows.columns())
            return len(rows)
        cursor.execute(sql.MAKE_ASIDE)
        _copy(cursor, statement=sql.COPY_ASIDE, columns=rows.columns())
        cursor.execute(sql.KEEP_CORRECTED)
        _audit_corrected(cursor.fetchall(), told_by=told_by)
        cursor.execute(sql.MERGE_ASIDE)
        n_written = cursor.rowcount
        cursor.execute(sql.EMPTY_ASIDE)
        return int(n_written)


@transaction.atomic
def write_steps(rows: StepRows) -> int:
    """Write five-minute means and note which hours are to be rolled up; return how many."""
    rows = rows.taken(rows.at_us >= first_step_us())  # older ones are past their time
    if len(rows) == 0:
        return 0
    hours_us = sorted({int(us) // HOUR_US * HOUR_US for us in rows.at_us.tolist()})
    with connection.cursor() as cursor:
        cursor.execute(sql.TAKE_TURN)
        cursor.execute(sql.MAKE_STEPS_ASIDE)
        _copy(cursor, statement=sql.COPY_STEPS_ASIDE, columns=rows.columns())
        cursor.execute(sql.MERGE_STEPS_ASIDE)
        n_written = cursor.rowcount
        cursor.execute(sql.EMPTY_STEPS_ASIDE)
        cursor.execute(sql.NOTE_HOURS, [hours_us])
        return int(n_written)


def note_past(entity_ids: Iterable[int], *, at: datetime) -> None:
    """Note that days of these things were told, so that what is learnt of them is made anew."""
    noted = [PastTold(entity_id=pk, told_at=at) for pk in sorted(set(entity_ids))]
    PastTold.objects.bulk_create(
        noted, batch_size=BATCH_ROWS, update_conflicts=True,
        unique_fields=["entity"], update_fields=["told_at"],
    )  # fmt: skip


def _audit_corrected(corrected: list[tuple[int, date]], *, told_by: str) -> None:
    if not corrected:
        return
    days = [day for _, day in corrected]
    things = sorted({entity_id for entity_id, _ in corrected})
    after = {
        "n_days": len(days),
        "n_things": len(things),
        "first_on": min(days).isoformat(),
        "last_on": max(days).isoformat(),
        "entity_ids": things[:MAX_THINGS_TOLD],
    }
    audit(None, action="correct readings", kind="readings", name=told_by, after=after)


def _copy(cursor: CursorWrapper, *, statement: str, columns: list[Column]) -> None:
    try:
        with cursor.copy(statement) as copy:
            copy.write(copy_payload(columns))
    except IntegrityError as exc:
        if isinstance(exc.__cause__, CheckViolation):
            raise NoPartitionError from exc
        raise
