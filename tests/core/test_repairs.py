import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.forecast.repairs import Repair, repaired
from keelmark.core.forecast.robust import MAD_TO_SPREAD, robust_spread

N_DAYS = 120
NAN = np.nan


def busy(seed: int = 1) -> np.ndarray:
    noise = np.random.default_rng(seed).normal(0, 0.2, N_DAYS)
    used: np.ndarray = (100 + 0.5 * np.arange(N_DAYS) + noise)[None, :]
    return used


def days_of(why: np.ndarray, repair: Repair) -> list[int]:
    return list(np.flatnonzero(why[0] == repair))


def test_what_is_sound_is_left_alone():
    kept, why = repaired(busy())
    assert (kept == busy()).all()
    assert not why.any()


def test_unread_days_are_told_but_none_before_the_first_reading():
    used = busy()
    used[0, :10] = used[0, 50:53] = NAN
    assert days_of(repaired(used)[1], Repair.UNREAD) == [50, 51, 52]


@given(st.integers(1, 100), st.integers(6, 18))
def test_a_source_that_got_stuck_is_not_believed_after_its_first_day(begin, n_days):
    used = busy()
    used[0, begin : begin + n_days] = used[0, begin]
    kept, why = repaired(used)
    assert days_of(why, Repair.STUCK) == list(range(begin + 1, begin + n_days))
    assert np.isnan(kept[0, begin + 1 : begin + n_days]).all()
    assert kept[0, begin] == used[0, begin]


def test_a_series_that_often_rests_is_not_stuck():
    used = np.floor(busy() / 10) * 10
    assert days_of(repaired(used)[1], Repair.STUCK) == []
    assert days_of(repaired(np.full((1, N_DAYS), 7.0))[1], Repair.STUCK) == []


@pytest.mark.parametrize(("n_days", "is_stuck"), [(21, True), (22, False), (90, False)])
def test_what_says_the_same_for_longer_than_three_weeks_is_at_rest(n_days, is_stuck):
    used = busy()
    used[0, N_DAYS - n_days :] = used[0, N_DAYS - n_days]
    assert bool(days_of(repaired(used)[1], Repair.STUCK)) == is_stuck


def test_a_stuck_source_with_days_unread_is_one_run():
    used = busy()
    used[0, 40:52] = used[0, 40]
    used[0, [43, 47]] = NAN
    stuck = days_of(repaired(used)[1], Repair.STUCK)
    assert stuck == [d for d in range(41, 52) if d not in (43, 47)]


@pytest.mark.parametrize("day", [1, 30, 117])
def test_days_told_in_wrong_order_are_put_right(day):
    used = (100 + 5.0 * np.arange(N_DAYS) + busy()[0] * 0.01)[None, :]
    swapped = used.copy()
    swapped[0, [day, day + 1]] = swapped[0, [day + 1, day]]
    kept, why = repaired(swapped)
    if day < N_DAYS - 2:
        assert np.allclose(kept, used)
        assert days_of(why, Repair.SLIPPED) == [day, day + 1]


def test_a_step_and_a_turn_are_no_slips():
    used = busy()
    used[0, 60:] += 40
    used[0, 90:] -= 0.8 * np.arange(N_DAYS - 90)
    assert days_of(repaired(used)[1], Repair.SLIPPED) == []


def test_the_spread_ignores_what_is_unknown():
    deviation = np.array([[1.0, -2.0, 3.0, NAN, NAN], [NAN] * 5])
    assert robust_spread(deviation)[:, 0].tolist() == [MAD_TO_SPREAD * 2.0, 0.0]
