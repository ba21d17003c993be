"""Measures that no source tells are reckoned from what sources do tell."""

from datetime import date, datetime

import numpy as np
from django.db import connection, transaction
from django.db.backends.utils import CursorWrapper

from keelmark.core.arrays import Int64s
from keelmark.core.performance import Floats, busy, operations
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


def reckon_busy(cursor: CursorWrapper, *, day: date, ids: Int64s, steps: Floats) -> None:
    """Reckon what disks did in the busy part of a day that is over, of its steps by part."""
    most = busy(operations(steps), share=BUSY_SHARE, least_read=MIN_STEPS)
    is_known = ~np.isnan(most)
    cursor.execute(
        sql.RECKON_BUSY,
        {
            "day": day,
            "entity_ids": ids[is_known].tolist(),
            "amounts": np.rint(most[is_known]).astype(np.int64).tolist(),
        },
    )
