from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.forecast import forecast, paths, runway
from keelmark.core.forecast.rhythm import learn_rhythm, month_slot_of, weekday_of
from keelmark.core.units import TIB

N_DAYS = 400
FIRST_ON = date(2025, 10, 1)
FIRST_DAY = (FIRST_ON - date(1970, 1, 1)).days
DAYS = FIRST_DAY + np.arange(N_DAYS)
DATES = [FIRST_ON + timedelta(days=n) for n in range(N_DAYS)]


@given(st.integers(0, 40_000))
def test_weekdays_and_month_slots_are_those_of_the_calendar(day):
    on = date(1970, 1, 1) + timedelta(days=day)
    tomorrow = on + timedelta(days=1)
    at = np.array([day])
    assert weekday_of(at)[0] == on.weekday()
    slot = int(month_slot_of(at)[0])
    assert (slot == 0) == (on.day == 1)
    assert (slot == 30) == (tomorrow.day == 1)
    if on.day <= 15:
        assert slot == on.day - 1


def learn(trend: np.ndarray, *, has_calendar: bool = True):
    last = np.full(len(trend), DAYS[-1])
    return learn_rhythm(trend, last_day=last, has_calendar=has_calendar)


def test_noise_has_no_rhythm():
    noise = np.random.default_rng(1).normal(10, 1, (200, N_DAYS))
    found = learn(noise)
    assert (found.by_weekday.any(axis=1)).mean() < 0.03
    assert (found.by_month_slot.any(axis=1)).mean() < 0.03


def test_a_week_that_comes_back_is_found_by_its_weekday():
    trend = (10 + 0.01 * np.arange(N_DAYS) + 2.0 * (weekday_of(DAYS) == 6))[None, :]
    found = learn(trend)
    assert np.argmax(found.by_weekday[0]) == 6
    assert found.by_weekday[0, 6] == pytest.approx(2 * 6 / 7, rel=0.05)
    assert found.by_weekday[0].sum() == pytest.approx(0, abs=1e-9)


def monthly(*, step_tib: float = 2.0) -> np.ndarray:
    """Steps on the last day of each month, kept for good."""
    steps = [step_tib if (on + timedelta(days=1)).day == 1 else 0.0 for on in DATES]
    noise = np.random.default_rng(3).normal(0, 0.02, N_DAYS)
    used: np.ndarray = (10 + np.cumsum(steps) + noise)[None, :] * TIB
    return used


def test_a_month_end_is_found_only_where_months_are_known():
    assert learn(monthly() / TIB).by_month_slot.any()
    assert not learn(monthly() / TIB, has_calendar=False).by_month_slot.any()


def test_a_path_climbs_at_month_end_and_a_date_falls_on_one():
    used = monthly()
    learnt = forecast(used, first_day=FIRST_DAY)
    middle = paths(learnt, horizon_days=70, quantiles=(0.5,))[0, 0] / TIB
    ahead = [DATES[-1] + timedelta(days=n) for n in range(1, 71)]
    steps = np.diff(middle)
    top = np.argsort(steps)[-2:] + 1
    assert {(ahead[n] + timedelta(days=1)).day for n in top} == {1}
    # half a step above today's level is reached when the next month ends
    mark = np.array([int(used[0, -1] + 1.0 * TIB)])
    likely = runway(learnt, mark_bytes=mark, horizon_days=400).likely_days[0]
    on = DATES[-1] + timedelta(days=int(likely))
    assert (on + timedelta(days=1)).day <= 2


def test_young_series_have_no_rhythm():
    trend = np.full((1, N_DAYS), np.nan)
    trend[0, -20:] = 5 + (weekday_of(DAYS[-20:]) == 6)
    found = learn(trend)
    assert not found.by_weekday.any()
    assert not found.by_month_slot.any()
