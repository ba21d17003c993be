"""Rolls five-minute means up to hours and days, again where readings came late."""

from datetime import date, datetime

from django.db import connection, transaction

from keelmark.readings import sql
from keelmark.readings.performance.packing import is_packed, pack_day
from keelmark.readings.reckoning import reckon_io

MAX_HOURS = 500  # a call


def roll_up(*, now: datetime, n_hours: int = MAX_HOURS) -> int:
    """Roll up the hours that got readings since they were rolled up last; return how many.

    Of a day that is over, what arrays did in its busy part is reckoned anew.
    """
    with connection.cursor() as cursor:
        cursor.execute(sql.HOURS_TO_ROLL, [n_hours])
        noted: list[tuple[datetime, datetime]] = cursor.fetchall()
    by_day: dict[date, list[tuple[datetime, datetime]]] = {}
    for hour, noted_at in noted:
        by_day.setdefault(hour.date(), []).append((hour, noted_at))
    for day, hours in by_day.items():
        _roll_day(day, hours=hours)
        if day < now.date():
            reckon_io(day)
    return len(noted)


@transaction.atomic
def _roll_day(day: date, *, hours: list[tuple[datetime, datetime]]) -> None:
    is_late = is_packed(day)  # what came after its day was packed
    if is_late:
        pack_day(day)
    with connection.cursor() as cursor:
        for hour, noted_at in hours:
            if not is_late:
                cursor.execute(sql.ROLL_HOUR, {"hour": hour})
            cursor.execute(sql.FORGET_HOUR, [hour, noted_at])
        if not is_late:
            cursor.execute(sql.ROLL_DAY, {"day": day})
