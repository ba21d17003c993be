"""A whole is the sum of its parts, and what was not read of one is no dip of it."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as npst

from keelmark.core.forecast import forecast
from keelmark.core.forecast.sharing import OPENING_DAYS, summed

NAN = np.nan
TIB = 1024**4


def test_a_gap_of_one_part_is_bridged():
    parts = np.array([[10.0, 11.0, 12.0, 13.0], [100.0, NAN, NAN, 160.0]])
    assert summed(parts).tolist() == [110.0, 131.0, 152.0, 173.0]


def test_a_part_not_read_today_stands_as_it_was_last_read():
    parts = np.array([[10.0, 11.0, 12.0], [100.0, 120.0, NAN]])
    assert summed(parts).tolist() == [110.0, 131.0, 132.0]


def test_a_part_first_read_in_the_first_week_was_there_and_a_later_one_arrived():
    parts = np.full((2, 30), 10.0)
    parts[0, :OPENING_DAYS] = NAN
    parts[1, : OPENING_DAYS + 1] = NAN
    assert summed(parts).tolist() == [10.0] * (OPENING_DAYS + 1) + [20.0] * (30 - OPENING_DAYS - 1)


def test_a_history_that_opens_unevenly_is_no_migration():
    rng = np.random.default_rng(2)
    parts = (20 + np.cumsum(rng.normal(0.02, 0.01, (6, 300)), axis=1)) * TIB
    parts[0, 0] = NAN
    parts[3, :2] = NAN
    learnt = forecast(summed(parts)[None, :])
    assert not learnt.readings.shift_bytes.any()


def test_nothing_read_is_nothing():
    assert summed(np.full((2, 3), NAN)).tolist() == [0.0, 0.0, 0.0]


@given(npst.arrays(np.float64, (5, 20), elements=st.floats(0, 1e15) | st.just(NAN)))
def test_the_order_of_parts_means_nothing_and_what_is_read_is_counted_whole(parts):
    assert np.allclose(summed(parts), summed(parts[::-1]))
    is_read = ~np.isnan(parts).any(axis=0)
    assert np.allclose(summed(parts)[is_read], parts.sum(axis=0)[is_read])
