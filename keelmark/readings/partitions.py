"""Makes the partitions that readings fall into, and drops those past their time."""

from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta

from django.db import connection

from keelmark.readings import sql

DAILY = "readings_dailyreading"
MEASURES = "readings_measure"
STEPS = "readings_performance"
HOURS = "readings_performance_hour"
STEP_DAYS_KEPT = 14
HOUR_DAYS_KEPT = 90
AHEAD_DAYS = 3  # partitions stand ready for so long
_MICROSECOND = timedelta(microseconds=1)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def cover_days(*, first_on: date, last_on: date) -> None:
    """Make the monthly partitions of daily readings over these days, both included."""
    for month in _months(first_on, last_on):
        _make(DAILY, suffix=f"{month:%Y%m}", first=month, end=_next_month(month))


def cover_measures(*, first_on: date, last_on: date) -> None:
    """Make the monthly partitions of measures over these days, both included."""
    for month in _months(first_on, last_on):
        _make(MEASURES, suffix=f"{month:%Y%m}", first=month, end=_next_month(month))


def cover_steps(*, first_us: int, last_us: int) -> None:
    """Make the partitions of five-minute means, a day each, and of hours, a month each."""
    first, last = (_EPOCH + us * _MICROSECOND for us in (first_us, last_us))
    day = first.date()
    while day <= last.date():
        _make(STEPS, suffix=f"{day:%Y%m%d}", first=_at(day), end=_at(day + timedelta(days=1)))
        day += timedelta(days=1)
    for month in _months(first.date(), last.date()):
        _make(HOURS, suffix=f"{month:%Y%m}", first=_at(month), end=_at(_next_month(month)))


def keep_partitions(*, today: date) -> list[str]:
    """Make what the next days need and drop what is past its time; return what was dropped."""
    ahead = today + timedelta(days=AHEAD_DAYS)
    cover_days(first_on=today, last_on=ahead)
    cover_measures(first_on=today, last_on=ahead)
    midnight = _at(today)
    cover_steps(
        first_us=(midnight - _EPOCH) // _MICROSECOND,
        last_us=(_at(ahead) - _EPOCH) // _MICROSECOND,
    )
    oldest_step = today - timedelta(days=STEP_DAYS_KEPT)
    oldest_hour = (today - timedelta(days=HOUR_DAYS_KEPT)).replace(day=1)
    return [
        *_drop(STEPS, before=f"{oldest_step:%Y%m%d}"),
        *_drop(HOURS, before=f"{oldest_hour:%Y%m}"),
    ]


def _make(table: str, *, suffix: str, first: date, end: date) -> None:
    with connection.cursor() as cursor:
        cursor.execute(sql.HAS_TABLE, [f"{table}_{suffix}"])
        if cursor.fetchone()[0]:
            return
        cursor.execute(sql.TAKE_TURN)  # two writers may need the same one
        cursor.execute(sql.make_partition(table, suffix=suffix, first=first, end=end))


def _drop(table: str, *, before: str) -> list[str]:
    with connection.cursor() as cursor:
        cursor.execute(sql.PARTITIONS_OF, [table])
        names = [row[0] for row in cursor.fetchall()]
        old = [name for name in names if name.removeprefix(f"{table}_") < before]
        for name in old:
            cursor.execute(sql.drop_partition(name))
    return old


def _months(first_on: date, last_on: date) -> Iterator[date]:
    month = first_on.replace(day=1)
    while month <= last_on:
        yield month
        month = _next_month(month)


def _next_month(month: date) -> date:
    return (month + timedelta(days=32)).replace(day=1)


def _at(day: date) -> datetime:
    return datetime(day.year, day.month, day.day, tzinfo=UTC)
