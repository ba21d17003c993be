"""What must hold of any forecast, whatever the readings."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import ShapeError
from keelmark.core.forecast import (
    Forecast,
    forecast,
    grown,
    paths,
    record_of,
    record_of_many,
    runway,
)
from keelmark.core.units import TIB
from tests.core.strategies import used_series

FIRST_DAY = 20_000
HORIZON = 120
QUANTILES = (0.05, 0.1, 0.5, 0.9, 0.95)
A_BYTE = 1.0
marks_tib = st.integers(10, 60)


def learn(used: np.ndarray, *, ceiling_bytes: np.ndarray | None = None) -> Forecast:
    return forecast(used, first_day=FIRST_DAY, ceiling_bytes=ceiling_bytes)


def days_to(of: Forecast, mark_tib: float, *, horizon: int = HORIZON) -> np.ndarray:
    marks = np.full(len(of.is_judged), int(mark_tib * TIB), dtype=np.int64)
    way = runway(of, mark_bytes=marks, horizon_days=horizon)
    return np.stack([way.early_days, way.likely_days, way.late_days, way.chance_within])


@given(used_series())
def test_a_series_is_forecast_as_if_it_were_alone(used):
    together, alone = learn(used), learn(used[:1])
    np.testing.assert_allclose(
        together.growth_bytes_per_day[:1], alone.growth_bytes_per_day, rtol=1e-4, atol=1e3
    )
    np.testing.assert_allclose(days_to(together, 30)[:, :1], days_to(alone, 30), atol=1)


@given(used_series())
def test_what_comes_before_the_first_reading_is_no_history(used):
    unread = np.full((len(used), 40), np.nan)
    later = forecast(np.concatenate([unread, used], axis=1), first_day=FIRST_DAY - 40)
    plain = learn(used)
    for name in ("growth_bytes_per_day", "level_bytes"):
        found, wanted = getattr(later, name), getattr(plain, name)
        np.testing.assert_allclose(found, wanted, rtol=1e-4, atol=1e3 * A_BYTE)


@given(used_series(), st.integers(1, 30))
def test_days_unread_at_the_end_move_no_date(used, n_days):
    used = used[:, : np.flatnonzero(~np.isnan(used).any(axis=0))[-1] + 1]
    later = np.concatenate([used, np.full((len(used), n_days), np.nan)], axis=1)
    np.testing.assert_allclose(days_to(learn(later), 30), days_to(learn(used), 30), atol=1)


@given(used_series())
def test_a_shorter_path_is_the_beginning_of_a_longer_one(used):
    learnt = learn(used)
    long = paths(learnt, horizon_days=HORIZON, quantiles=QUANTILES)
    short = paths(learnt, horizon_days=30, quantiles=QUANTILES)
    np.testing.assert_allclose(long[:, :, :30], short, rtol=1e-12)


@given(used_series(), marks_tib)
def test_a_longer_horizon_keeps_dates_and_never_lessens_the_chance(used, mark_tib):
    learnt = learn(used)
    near, far = days_to(learnt, mark_tib), days_to(learnt, mark_tib, horizon=3 * HORIZON)
    is_there = np.isfinite(near[:3])
    # Dates are found to a small part of a day, then rounded up.
    np.testing.assert_allclose(far[:3][is_there], near[:3][is_there], atol=1)
    assert (far[3] >= near[3] - 1e-9).all()


@given(used_series(), marks_tib)
def test_a_date_and_its_chance_tell_the_same(used, mark_tib):
    early, likely, late, chance = days_to(learn(used), mark_tib)
    tolerance = 0.02  # a day's worth of chance
    assert (chance[np.isfinite(early)] >= 0.1 - tolerance).all()
    assert (chance[np.isfinite(likely)] >= 0.5 - tolerance).all()
    assert (chance[np.isfinite(late)] >= 0.9 - tolerance).all()
    assert (chance[np.isinf(early)] <= 0.1 + tolerance).all()


@given(used_series(), marks_tib, st.floats(1, 5))
def test_faster_growth_never_ends_later(used, mark_tib, times):
    learnt = learn(used)
    if (learnt.growth_bytes_per_day < 0).any():
        return  # what shrinks shrinks faster
    if (np.diff(learnt.fan.middle, axis=1) < 0).any():
        return
    faster = grown(learnt, times=times)
    assert (days_to(faster, mark_tib)[1] <= days_to(learnt, mark_tib)[1] + 1e-6).all()


@given(used_series())
def test_no_path_falls_below_nothing_and_none_rises_over_its_size(used):
    ceiling = np.nanmax(used, axis=1) * 1.05
    fan = paths(learn(used, ceiling_bytes=ceiling), horizon_days=400, quantiles=QUANTILES)
    assert (fan >= 0).all()
    assert (fan <= ceiling[:, None, None] * (1 + 1e-12)).all()


@given(used_series())
def test_looking_for_changes_of_pace_moves_nothing(used):
    with_them, without = learn(used), forecast(used, first_day=FIRST_DAY, finds_changes=False)
    np.testing.assert_array_equal(with_them.fan.high, without.fan.high)
    np.testing.assert_array_equal(with_them.growth_bytes_per_day, without.growth_bytes_per_day)


@given(used_series())
def test_what_is_repaired_is_only_what_is_said_to_be(used):
    readings = learn(used).readings
    shifted = used.shape[1] - 1 - readings.last_column
    for row in range(len(used)):
        own = np.roll(used[row], shifted[row])  # each series ends at its last reading
        is_kept = (readings.repairs[row] == 0) & ~np.isnan(own)
        np.testing.assert_array_equal(readings.level_bytes[row][is_kept], own[is_kept])


@pytest.mark.parametrize("factor", [1e-9, 1e3], ids=["CPUs", "exabytes"])
def test_any_unit_is_forecast_alike(factor):
    rng = np.random.default_rng(11)
    used = 10 * TIB + 0.05 * TIB * np.arange(200) + rng.normal(0, 0.02 * TIB, (3, 200))
    ours, other = learn(used), learn(used * factor)
    np.testing.assert_allclose(
        other.growth_bytes_per_day, ours.growth_bytes_per_day * factor, rtol=1e-6
    )
    np.testing.assert_allclose(other.fan.high, ours.fan.high * factor, rtol=1e-6)


def test_the_same_readings_give_the_same_forecast():
    rng = np.random.default_rng(3)
    used = 10 * TIB + np.cumsum(rng.normal(0.02, 0.05, (4, 300)), axis=1) * TIB
    first, again = days_to(learn(used), 18), days_to(learn(used.copy()), 18)
    np.testing.assert_array_equal(first, again)


def many(**changes: np.ndarray) -> dict[str, np.ndarray]:
    told = {
        "last": np.array([100.0, 200.0, 400.0]),
        "error": np.array([[1.0, 2.0, 4.0], [2.0, 8.0, np.nan], [12.0, 8.0, 40.0]]),
        "bias": np.array([[1.0, -2.0, 4.0], [-2.0, 8.0, np.nan], [12.0, -8.0, 40.0]]),
        "n_inside": np.array([80, 60, 10]),
        "n_tried": np.array([100, 80, 20]),
        "date_errors_days": np.array([-3.0, 1.0, 8.0]),
    }
    return told | changes


def test_the_record_of_many_is_of_medians_in_shares_of_each():
    told = record_of_many(**many())
    # 1, 1 and 3 % after a week; 2, 4 and 2 % after a month; 4 and 10 % after three
    np.testing.assert_allclose(told.error_share, [0.01, 0.02, 0.07])
    np.testing.assert_allclose(told.bias_share, [0.01, -0.02, 0.07])
    assert (told.inside_share, told.n_tried) == (0.75, 200)
    assert (told.n_came, told.date_error_days) == (3, 3.0)


def test_what_holds_nothing_counts_for_its_days_alone():
    told = record_of_many(**many(last=np.array([0.0, np.nan, 400.0])))
    np.testing.assert_allclose(told.error_share, [0.03, 0.02, 0.1])
    assert told.n_tried == 200


def test_a_record_of_nothing_is_not_a_number_and_no_error():
    nothing = record_of_many(
        last=np.array([]), error=np.empty((0, 3)), bias=np.empty((0, 3)),
        n_inside=np.array([], dtype=np.int64), n_tried=np.array([], dtype=np.int64),
        date_errors_days=np.array([]),
    )  # fmt: skip
    assert nothing.n_series == nothing.n_tried == nothing.n_came == 0
    assert np.isnan(nothing.error_share).all()
    assert np.isnan([nothing.inside_share, nothing.date_error_days]).all()


def test_records_of_unequal_columns_are_refused_by_name():
    with pytest.raises(ShapeError, match="error"):
        record_of_many(**many(last=np.array([1.0])))


def test_the_record_of_many_agrees_with_each_series_own():
    rng = np.random.default_rng(8)
    used = 10 * TIB + 0.02 * TIB * np.arange(220) + rng.normal(0, 0.05 * TIB, (40, 220))
    own = record_of(used)
    told = record_of_many(
        last=used[:, -1], error=own.error_bytes, bias=own.bias_bytes, n_inside=own.n_inside,
        n_tried=own.n_tried, date_errors_days=np.array([]),
    )  # fmt: skip
    assert told.inside_share == own.n_inside.sum() / own.n_tried.sum()
    assert told.inside_share >= 0.68  # a line that never bends is surer than it may be said
    assert told.error_share[0] == pytest.approx(
        np.median(own.error_bytes[:, 0] / used[:, -1]), rel=1e-9
    )
