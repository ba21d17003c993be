"""Measures that no source tells are reckoned from what sources do tell."""

from datetime import date, datetime

from django.db import connection, transaction

from keelmark.readings import sql

BUSY_SHARE = 0.95  # of five-minute means: a twentieth of the day, 72 minutes, was busier
MIN_STEPS = 144  # half a day: less tells nothing of its busy hours


@transaction.atomic
def reckon_promised(*, now: datetime) -> int:
    """Add up what VMs were promised and what snapshots hold today; return how many amounts."""
    today = now.date()
    n_written = 0
    with connection.cursor() as cursor:
        cursor.execute(sql.TAKE_TURN)
        for statement in (sql.RECKON_PROMISED, sql.RECKON_SNAPSHOTS):
            cursor.execute(statement, {"today": today})
            n_written += cursor.rowcount
    return n_written


@transaction.atomic
def reckon_io(day: date) -> int:
    """Reckon what arrays did in the busy part of a finished day; return how many amounts."""
    with connection.cursor() as cursor:
        cursor.execute(sql.TAKE_TURN)
        cursor.execute(sql.RECKON_IO, {"day": day, "share": BUSY_SHARE, "min_steps": MIN_STEPS})
        return int(cursor.rowcount)
