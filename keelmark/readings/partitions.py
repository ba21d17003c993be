"""Makes the partitions that readings fall into ahead of them, and drops those past their time.

No delivery makes a partition: that locks the whole table, and who sends days far apart would
make hundreds. What is taken lies within a window (settings), and the window stands ready.
"""

from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta

from django.conf import settings
from django.db import connection, transaction

from keelmark.access.clock import utc_today
from keelmark.readings import sql

DAILY = "readings_dailyreading"
MEASURES = "readings_measure"
STEPS = "readings_performance"
PACKED = "readings_packed"
HOURS = "readings_performance_hour"
STEP_DAYS_KEPT = 14
HOUR_DAYS_KEPT = 90
STEPS_AHEAD_DAYS = 3  # partitions stand ready for so long
DAYS_AHEAD = 40  # a month of daily readings, and some days in which no worker runs
YEARS_BY_MONTH = 2  # this year and the last are cut by months, older ones stay whole
_JANUARY, _DECEMBER = 1, 12
_MICROSECOND = timedelta(microseconds=1)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


@transaction.atomic
def keep_partitions(*, today: date) -> list[str]:
    """Make what the window and the next days need, drop what is past its time; return that."""
    with connection.cursor() as cursor:
        cursor.execute(sql.TAKE_TURN)  # two workers may begin at once
    first_on, last_on = window_of(today)
    for table in (DAILY, MEASURES):
        _cover_days(table, first_on=first_on, last_on=last_on + timedelta(days=DAYS_AHEAD),
                    today=today)  # fmt: skip
    _cover_steps(today)
    oldest_hour = (today - timedelta(days=HOUR_DAYS_KEPT)).replace(day=1)
    return [
        *_drop(STEPS, before=f"{first_step_on(today):%Y%m%d}"),
        *_drop(PACKED, before=f"{first_step_on(today):%Y%m%d}"),
        *_drop(HOURS, before=f"{oldest_hour:%Y%m}"),
    ]


def window_of(today: date) -> tuple[date, date]:
    """Return the first and the last day of which readings are taken."""
    return (
        today - timedelta(days=settings.WINDOW_DAYS_BACK),
        today + timedelta(days=settings.WINDOW_DAYS_AHEAD),
    )


def first_step_on(today: date) -> date:
    """Return the first day of which five-minute means are kept."""
    return today - timedelta(days=STEP_DAYS_KEPT)


def first_step_us() -> int:
    """Return the moment from which on five-minute means are kept, in µs since 1970."""
    return (_at(first_step_on(utc_today())) - _EPOCH) // _MICROSECOND


def _cover_days(table: str, *, first_on: date, last_on: date, today: date) -> None:
    made = _suffixes(table)
    for year in range(first_on.year, last_on.year + 1):
        if f"{year}" in made:
            continue
        january = date(year, _JANUARY, 1)
        is_whole = year <= today.year - YEARS_BY_MONTH
        if is_whole and not any(suffix.startswith(f"{year}") for suffix in made):
            _make(table, suffix=f"{year}", first=january, end=date(year + 1, _JANUARY, 1))
            continue
        last = min(date(year, _DECEMBER, 1), last_on.replace(day=1))
        for month in _months(january, last):
            if f"{month:%Y%m}" not in made:
                _make(table, suffix=f"{month:%Y%m}", first=month, end=_next_month(month))


def _cover_steps(today: date) -> None:
    """A partition a day for five-minute means and packed ones, one a month for hours."""
    first, last = first_step_on(today), today + timedelta(days=STEPS_AHEAD_DAYS)
    for table in (STEPS, PACKED):
        made = _suffixes(table)
        for on in (first + timedelta(days=n) for n in range((last - first).days + 1)):
            if f"{on:%Y%m%d}" not in made:
                _make(table, suffix=f"{on:%Y%m%d}", first=_at(on), end=_at(on + timedelta(days=1)))
    made = _suffixes(HOURS)
    for month in _months((today - timedelta(days=HOUR_DAYS_KEPT)).replace(day=1), last):
        if f"{month:%Y%m}" not in made:
            _make(HOURS, suffix=f"{month:%Y%m}", first=_at(month), end=_at(_next_month(month)))


def _suffixes(table: str) -> set[str]:
    return {name.removeprefix(f"{table}_") for name in _partitions(table)}


def _partitions(table: str) -> list[str]:
    with connection.cursor() as cursor:
        cursor.execute(sql.PARTITIONS_OF, [table])
        return [row[0] for row in cursor.fetchall()]


def _make(table: str, *, suffix: str, first: date, end: date) -> None:
    with connection.cursor() as cursor:
        cursor.execute(sql.make_partition(table, suffix=suffix, first=first, end=end))


def _drop(table: str, *, before: str) -> list[str]:
    old = [name for name in _partitions(table) if name.removeprefix(f"{table}_") < before]
    with connection.cursor() as cursor:
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
