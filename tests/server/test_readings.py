from datetime import date

import numpy as np
import pytest

from keelmark.core.days import EPOCH
from keelmark.readings.models import DailyReading
from keelmark.readings.rows import DAY_US, daily_rows, end_to_end
from keelmark.readings.selectors import series_of
from keelmark.readings.services import write_daily

FIRST = (date(2026, 11, 1) - EPOCH).days


def make_rows(entity_id, *, days, used, provisioned=None, capacity=None, hour=12):
    n = len(days)
    whole = np.ones(n, dtype=np.int64)

    def column(amounts):
        if amounts is None:
            return whole * -1
        return np.array([-1 if a is None else a for a in amounts], dtype=np.int64)

    day = FIRST + np.array(days, dtype=np.int64)
    return daily_rows(
        entity_id=whole * entity_id,
        day=day,
        used_bytes=np.array(used, dtype=np.int64),
        provisioned_bytes=column(provisioned),
        capacity_bytes=column(capacity),
        read_at_us=day * DAY_US + hour * 3_600_000_000,
    )


@pytest.fixture
def entity_id(make_pool):
    pool_id = make_pool()
    DailyReading.objects.all().delete()
    return pool_id


def kept():
    return list(
        DailyReading.objects.values_list("day", "used_bytes", "provisioned_bytes", "capacity_bytes")
    )


def test_every_mix_of_unknowns_comes_back_as_it_went_in(entity_id):
    top = 2**63 - 1
    n = write_daily(
        make_rows(
            entity_id,
            days=[0, 1, 2, 3],
            used=[top, 0, 7, 8],
            provisioned=[1, None, 3, None],
            capacity=[None, top, 5, None],
        )
    )
    assert n == 4
    assert [row[1:] for row in kept()] == [
        (top, 1, None),
        (0, None, top),
        (7, 3, 5),
        (8, None, None),
    ]
    assert DailyReading.objects.first().read_at.isoformat() == "2026-11-01T12:00:00+00:00"


def test_writing_again_changes_nothing_and_a_later_reading_wins(entity_id):
    rows = make_rows(entity_id, days=[0, 1], used=[10, 20])
    assert write_daily(rows) == 2
    assert write_daily(rows) == 0
    assert write_daily(make_rows(entity_id, days=[1, 2], used=[21, 30], hour=13)) == 2
    assert write_daily(make_rows(entity_id, days=[1], used=[99], hour=1)) == 0
    assert [row[1] for row in kept()] == [10, 21, 30]


def test_the_last_of_a_day_in_one_batch_stands(entity_id):
    early, late = (make_rows(entity_id, days=[0], used=[h], hour=h) for h in (3, 9))
    both = end_to_end([late, early])
    assert write_daily(both) == 1
    assert kept()[0][1] == 9


def test_series_line_up_with_nan_where_unread(entity_id, make_pool):
    other = make_pool("swift-2")
    DailyReading.objects.all().delete()
    write_daily(make_rows(entity_id, days=[0, 2], used=[10, 30], capacity=[50, None]))
    write_daily(make_rows(other, days=[1], used=[5]))
    series = series_of([other, entity_id], first_on=date(2026, 11, 1), last_on=date(2026, 11, 3))
    assert series.entity_ids.tolist() == sorted([entity_id, other])
    row = series.entity_ids.tolist().index(entity_id)
    assert np.array_equal(series.used_bytes[row], [10, np.nan, 30], equal_nan=True)
    assert np.array_equal(series.capacity_bytes[row], [50, np.nan, np.nan], equal_nan=True)
