"""Days of five-minute means: packed once over, and the same read either way."""

from datetime import timedelta

import numpy as np
import pytest
from django.db import connection
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.performance import PARTS, STEPS_A_DAY, added
from keelmark.estate.documents import PerformanceDocument
from keelmark.estate.models import Entity
from keelmark.feeds.importer import Imported, import_documents
from keelmark.readings.performance.coding import decoded, encoded
from keelmark.readings.performance.packing import is_packed, pack_day, pack_finished, take_packed
from keelmark.readings.performance.reading import (
    days_added,
    days_of,
    hours_added,
    hours_of,
    packed_steps,
    steps_of,
)
from keelmark.readings.rollup import roll_up
from tests.server.conftest import NOW

DAY = NOW.date() - timedelta(days=3)
MIDNIGHT = NOW.replace(hour=0, minute=0, second=0) - timedelta(days=3)
FINER = 2.0**-12  # of an amount, that a pack rounds away at most


@pytest.fixture
def things(make_pool):
    return np.array(sorted([make_pool("swift-1"), make_pool("swift-2")]), dtype=np.int64)


def uid_of(pk):
    return Entity.objects.get(pk=pk).uid


def send(pk, first_at, **means):
    import_documents([PerformanceDocument(uid=uid_of(pk), first_at=first_at, **means)],
                     into=Imported())  # fmt: skip


def a_day(pk, *, seed=1, n_steps=STEPS_A_DAY):
    rng = np.random.default_rng(seed)
    told = {
        name: [None if rng.random() < 0.05 else float(x) for x in rng.gamma(2, 50, n_steps)]
        for name in (
            "read_iops",
            "write_iops",
            "latency_ms",
            "qos_latency_ms",
            "read_latency_ms",
            "write_latency_ms",
        )
    }
    send(pk, MIDNIGHT, **told)


def count(table):
    with connection.cursor() as cursor:
        cursor.execute(f"SELECT count(*) FROM {table}")  # noqa: S608  # our own tables
        return cursor.fetchone()[0]


@given(st.integers(0, 2**32 - 1), st.sampled_from([0, 0.01, 0.5, 1]))
def test_what_is_packed_comes_back_but_for_its_last_digits(seed, share_unread):
    rng = np.random.default_rng(seed)
    steps = rng.lognormal(3, 4, (len(PARTS), STEPS_A_DAY)).astype(np.float32)
    steps[rng.random(steps.shape) < 0.2] = 0
    steps[rng.random(steps.shape) < share_unread] = np.nan
    steps[rng.integers(len(PARTS))] = np.nan
    np.testing.assert_allclose(decoded(encoded(steps)), steps, rtol=FINER)


def test_a_day_reads_and_rolls_up_the_same_packed_or_not(things):
    for at, pk in enumerate(things.tolist()):
        a_day(pk, seed=at)
    roll_up(now=NOW)
    plain = steps_of(things, first_on=DAY, n_days=1)
    hours = hours_of(things, first_on=DAY, n_days=1)
    days = days_of(things, first_on=DAY, n_days=1)
    assert np.isfinite(plain[:, 0]).mean() > 0.9
    assert pack_finished(now=NOW) == [DAY]
    assert count("readings_performance") == 0
    np.testing.assert_allclose(steps_of(things, first_on=DAY, n_days=1), plain, rtol=FINER)
    again = hours_of(things, first_on=DAY, n_days=1)  # by numpy, before by the database
    for told, wanted in zip(again, hours, strict=True):
        np.testing.assert_allclose(told, wanted, rtol=1e-3)
    for told, wanted in zip(days_of(things, first_on=DAY, n_days=1), days, strict=True):
        np.testing.assert_allclose(told, wanted, rtol=0.03)  # hours weighed, not steps
    assert pack_finished(now=NOW) == []


def test_things_added_up_by_the_database_are_those_added_up_by_us(things):
    rng = np.random.default_rng(4)
    steps = rng.gamma(2, 50, (2, len(PARTS), STEPS_A_DAY)).astype(np.float32)
    steps[rng.random(steps.shape) < 0.3] = np.nan
    steps[0, :2, 24:36] = np.nan  # an hour without operations
    take_packed(DAY, ids=things, steps=steps)
    of = np.zeros(2, dtype=np.int64)
    for each, whole in ((hours_of, hours_added), (days_of, days_added)):
        wanted, n_wanted = added(each(things, first_on=DAY, n_days=1)[0], of=of, n_groups=1)
        told, n_read = whole(things, first_on=DAY, n_days=1)
        np.testing.assert_allclose(told, wanted[0], rtol=1e-5)
        assert n_read.tolist() == n_wanted[0].tolist()


def test_what_comes_late_for_a_packed_day_is_packed_in_and_rolled_up(things):
    pk = int(things[0])
    a_day(pk)
    roll_up(now=NOW)
    pack_day(DAY)
    send(pk, MIDNIGHT + timedelta(hours=2), read_iops=[70_000.0])
    before = steps_of(things, first_on=DAY, n_days=1)[0]
    assert before[0, 24] == 70_000
    assert roll_up(now=NOW) == 1
    after = packed_steps(things, first_on=DAY, n_days=1)[0]
    np.testing.assert_allclose(after, before, rtol=FINER)
    assert hours_of(things, first_on=DAY, n_days=1)[1][0, 2] > 70_000 * 0.999
    assert count("readings_performance") == 0


def test_days_not_over_or_not_rolled_up_stay_as_rows(things):
    pk = int(things[0])
    a_day(pk)
    send(pk, NOW.replace(hour=0, minute=0, second=0), read_iops=[5.0])
    assert pack_finished(now=NOW) == []  # its hours wait
    roll_up(now=NOW)
    assert pack_finished(now=MIDNIGHT + timedelta(days=1, hours=1)) == []  # it may go on
    assert pack_finished(now=NOW) == [DAY]
    assert count("readings_performance") == 1
    assert not is_packed(NOW.date())


def test_a_day_past_its_time_is_not_taken(things):
    steps = np.ones((2, len(PARTS), STEPS_A_DAY), dtype=np.float32)
    assert take_packed(DAY - timedelta(days=30), ids=things, steps=steps) == 0
    assert take_packed(DAY, ids=things, steps=steps) == 2
    assert (steps_of(things, first_on=DAY, n_days=1) == 1).all()
