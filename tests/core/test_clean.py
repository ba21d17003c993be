from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.forecast import clean as clean_module
from keelmark.core.forecast.clean import clean
from tests.core.strategies import used_series

N_DAYS = 120
NAN = np.nan


def line(*, start: float = 100.0, per_day: float = 0.5) -> np.ndarray:
    return (start + per_day * np.arange(N_DAYS))[None, :]


def bridged_by_loop(row: np.ndarray) -> np.ndarray:
    """Straight lines across gaps, the slow obvious way."""
    out = row.copy()
    read = [day for day in range(len(row)) if not np.isnan(row[day])]
    for before, after in pairwise(read):
        for day in range(before + 1, after):
            share = (day - before) / (after - before)
            out[day] = row[before] + share * (row[after] - row[before])
    return out


@given(st.sets(st.integers(1, N_DAYS - 2), max_size=40))
def test_gaps_are_bridged_as_a_plain_loop_would(gaps):
    used = line() + np.sin(np.arange(N_DAYS)) * 0.1
    used[0, sorted(gaps)] = NAN
    level = clean(used).level_bytes[0]
    assert np.allclose(level, bridged_by_loop(used[0]))


def test_what_lies_before_the_first_reading_stays_unknown():
    used = line()
    used[0, :30] = NAN
    cleaned = clean(used)
    assert np.isnan(cleaned.level_bytes[0, :30]).all()
    assert cleaned.first_column[0] == 30


def test_each_series_is_moved_to_end_at_its_own_last_reading():
    used = np.vstack([line(), line()])
    used[0, 100:] = NAN
    cleaned = clean(used)
    assert cleaned.last_column.tolist() == [99, N_DAYS - 1]
    assert cleaned.level_bytes[0, -1] == used[0, 99]
    assert cleaned.level_bytes[1, -1] == used[1, -1]


def test_a_source_that_is_stuck_to_this_day_ends_where_it_is_believed():
    used = line() + np.random.default_rng(2).normal(0, 0.1, (1, N_DAYS))
    sound = used.copy()
    used[0, 110:] = used[0, 109]
    cleaned = clean(used)
    assert cleaned.n_stuck_days[0] == 10
    assert cleaned.last_column[0] == 109
    ended = sound.copy()
    ended[0, 110:] = NAN
    assert np.array_equal(cleaned.level_bytes, clean(ended).level_bytes, equal_nan=True)


def test_a_series_never_read_is_all_unknown():
    cleaned = clean(np.full((1, N_DAYS), NAN))
    assert cleaned.last_column[0] == -1
    assert np.isnan(cleaned.level_bytes).all()
    assert cleaned.first_column[0] == N_DAYS


@pytest.mark.parametrize("days", [[60], [60, 61], [20, 90]], ids=["one", "two-running", "two"])
@pytest.mark.parametrize("factor", [0.0, 0.4, 1.6, 9.0])
def test_wild_readings_are_odd_and_left_out(days, factor):
    used = line()
    used[0, days] *= factor
    cleaned = clean(used)
    assert np.flatnonzero(cleaned.is_odd[0]).tolist() == days
    assert np.allclose(cleaned.level_bytes, line(), atol=0.6)
    assert not cleaned.shift_bytes.any()


def test_a_sawtooth_that_comes_every_week_is_no_oddity():
    used = line()
    used[0, ::7] += 30
    assert not clean(used).is_odd.any()


@pytest.mark.parametrize("size", [-40.0, -8.0, 8.0, 40.0])
@pytest.mark.parametrize("day", [15, 60, 110])
def test_a_shift_is_found_on_its_day_with_its_size(size, day):
    used = line()
    used[0, day:] += size
    cleaned = clean(used)
    assert np.flatnonzero(cleaned.shift_bytes[0]).tolist() == [day]
    assert cleaned.shift_bytes[0, day] == pytest.approx(size, abs=0.01)
    # The trend ends where the readings end and runs on below the shift without a step.
    assert cleaned.trend_bytes[0, -1] == used[0, -1]
    assert np.allclose(np.diff(cleaned.trend_bytes[0]), 0.5)


def test_a_migration_over_three_nights_is_left_out_whole():
    used = line()
    for day in (50, 51, 52):
        used[0, day:] += 20
    cleaned = clean(used)
    assert cleaned.shift_bytes[0].sum() == pytest.approx(60, abs=0.1)


def test_steps_that_keep_coming_are_how_it_grows():
    used = line(per_day=0.0)
    for day in range(10, N_DAYS, 28):
        used[0, day:] += 10
    assert not clean(used).shift_bytes.any()


def test_steps_up_and_one_clean_up_are_told_apart():
    used = line(per_day=0.0)
    for day in range(5, N_DAYS, 25):
        used[0, day:] += 10
    used[0, 70:] -= 35
    cleaned = clean(used)
    assert np.flatnonzero(cleaned.shift_bytes[0]).tolist() == [70]


@given(used_series())
def test_trend_and_level_differ_by_the_shifts_alone(used):
    cleaned = clean(used)
    later = np.cumsum(cleaned.shift_bytes[:, ::-1], axis=1)[:, ::-1]
    later = np.hstack([later[:, 1:], np.zeros((len(used), 1))])
    known = ~np.isnan(cleaned.level_bytes)
    gap = cleaned.trend_bytes - cleaned.level_bytes
    assert np.allclose(gap[known], later[known])


@given(used_series(), st.integers(1, 5))
def test_cleaning_scales_with_the_readings(used, factor):
    once, more = clean(used), clean(used * factor)
    assert (once.is_odd == more.is_odd).all()
    assert np.allclose(once.shift_bytes * factor, more.shift_bytes)


def test_the_local_pace_is_the_median_of_each_four_weeks_from_the_end():
    steps = np.full((1, 60), NAN)
    steps[0, 32:] = np.arange(28)  # last block
    steps[0, 4:32] = 5.0  # the one before
    pace = clean_module._local_pace(steps)[0]
    assert pace[-28:].tolist() == [13.0] * 28  # lower median of 0 … 27
    assert pace[4:32].tolist() == [5.0] * 28
    assert pace[:4].tolist() == [0.0] * 4  # nothing known there
