import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.forecast import forecast, paths, runway
from keelmark.core.units import TIB
from tests.core.strategies import used_series

N_DAYS = 200
DAY = np.arange(N_DAYS, dtype=np.float64)


def climbing(*, start_tib: float = 10.0, per_day_tib: float = 0.05, seed: int = 3) -> np.ndarray:
    noise = np.random.default_rng(seed).normal(0, 0.02, N_DAYS)
    used: np.ndarray = ((start_tib + per_day_tib * DAY + noise) * TIB)[None, :]
    return used


def likely_days(used: np.ndarray, *, mark_tib: float, horizon_days: int = 730) -> float:
    marks = np.full(len(used), int(mark_tib * TIB))
    return float(runway(forecast(used), mark_bytes=marks, horizon_days=horizon_days).likely_days[0])


def test_steady_growth_ends_when_a_ruler_says():
    # stands at 19.95 TiB on the last day, grows 0.05 a day: 25 TiB after 101 days
    assert likely_days(climbing(), mark_tib=25) == pytest.approx(101, abs=3)


def test_a_jump_up_is_not_growth():
    used = climbing(per_day_tib=0.01)
    used[0, 180:] += 5 * TIB
    learnt = forecast(used)
    assert learnt.growth_bytes_per_day[0] == pytest.approx(0.01 * TIB, rel=0.35)
    assert learnt.readings.shift_bytes[0, 180] == pytest.approx(5 * TIB, rel=0.02)
    assert learnt.last_bytes[0] == used[0, -1]


def test_a_clean_up_does_not_hide_growth():
    used = climbing(start_tib=20)
    used[0, 170:] -= 6 * TIB
    assert forecast(used).growth_bytes_per_day[0] == pytest.approx(0.05 * TIB, rel=0.15)


@pytest.mark.parametrize(("per_day", "least"), [(0.02, 0.75), (0.1, 0.5)], ids=["calm", "wild"])
def test_a_change_of_pace_is_followed_the_less_the_wilder_it_is(per_day, least):
    used = climbing(per_day_tib=0.0)
    used[0, 150:] += per_day * TIB * np.arange(50)
    learnt = forecast(used)
    assert least * per_day < learnt.growth_bytes_per_day[0] / TIB < 1.2 * per_day
    low, _, high = learnt.fan.on(np.array([28]))[0, :, 0] - used[0, -1]
    assert low < 28 * per_day * TIB < high


def test_monthly_steps_are_growth():
    steps = 0.9 * TIB * (DAY // 30)
    used = (10 * TIB + steps)[None, :]
    assert forecast(used).growth_bytes_per_day[0] == pytest.approx(0.03 * TIB, rel=0.35)


def test_odd_readings_and_gaps_change_no_date():
    clean = climbing()
    spoiled = clean.copy()
    spoiled[0, 40:52] = np.nan
    spoiled[0, [77, 150]] *= 2.5
    spoiled[0, 100] = 0.0
    spoiled[0, 190:193] = np.nan
    assert likely_days(spoiled, mark_tib=25) == pytest.approx(
        likely_days(clean, mark_tib=25), abs=4
    )
    assert np.flatnonzero(forecast(spoiled).readings.is_odd[0]).tolist() == [77, 100, 150]


def test_a_flat_pool_has_no_end_in_sight():
    used = climbing(per_day_tib=0.0, start_tib=91)
    assert likely_days(used, mark_tib=98) == np.inf


def test_a_volume_that_nobody_writes_to_any_more_has_no_end_in_sight():
    rng = np.random.default_rng(6)
    used = 10 * TIB + np.cumsum(rng.normal(0.05, 0.01, (1, 300)), axis=1) * TIB
    used[0, 200:] = used[0, 200]
    learnt = forecast(used)
    assert learnt.readings.last_column[0] == 299  # the source is believed
    way = runway(learnt, mark_bytes=np.array([22 * TIB]), horizon_days=730)
    assert np.isinf(way.likely_days[0])
    assert abs(learnt.growth_bytes_per_day[0]) < 0.001 * TIB


def test_what_stands_at_its_mark_is_there_today():
    assert likely_days(climbing(), mark_tib=19) == 0


def test_a_series_that_ends_early_counts_from_its_own_end():
    early = climbing()
    early[0, 150:] = np.nan
    # stands at 17.45 on day 149: 25 TiB after 151 days
    assert likely_days(early, mark_tib=25) == pytest.approx(151, abs=5)


@pytest.mark.parametrize(
    ("n_read", "reason"), [(0, "no readings"), (13, "only 13 days read")], ids=["none", "few"]
)
def test_too_little_is_not_judged_and_says_so(n_read, reason):
    used = climbing()
    used[0, : N_DAYS - n_read] = np.nan
    learnt = forecast(used)
    assert not learnt.is_judged[0]
    assert reason in learnt.reasons[0]
    assert np.isnan(paths(learnt, horizon_days=3, quantiles=(0.5,))).all()


def test_sparse_readings_are_not_judged():
    used = climbing()
    used[0, np.arange(N_DAYS) % 5 != 0] = np.nan
    assert "of" in forecast(used).reasons[0]


def test_a_twenty_day_old_object_is_judged():
    used = climbing()
    used[0, :180] = np.nan
    learnt = forecast(used)
    assert learnt.is_judged[0]
    assert learnt.growth_bytes_per_day[0] == pytest.approx(0.05 * TIB, rel=0.2)


def test_weekly_rhythm_goes_on_in_the_path():
    used = (20 * TIB + 0.5 * TIB * np.sin(2 * np.pi * DAY / 7))[None, :]
    path = paths(forecast(used), horizon_days=14, quantiles=(0.5,))[0, 0]
    wanted = 20 * TIB + 0.5 * TIB * np.sin(2 * np.pi * (N_DAYS + np.arange(14)) / 7)
    assert np.abs(path - wanted).max() < 0.2 * TIB


def test_the_path_is_demand_and_not_cut_at_any_capacity():
    path = paths(forecast(climbing()), horizon_days=3000, quantiles=(0.5,))[0, 0]
    assert path[-1] > 150 * TIB


def test_eighty_percent_of_wandering_futures_fall_in_the_band():
    rng = np.random.default_rng(11)
    n_series, n_ahead = 300, 60
    walk = np.cumsum(rng.normal(0.02, 0.05, (n_series, 400 + n_ahead)), axis=1)
    used = (30 + walk) * TIB
    fan = paths(forecast(used[:, :400]), horizon_days=n_ahead, quantiles=(0.1, 0.9))
    future = used[:, 400:]
    inside = ((future >= fan[:, 0]) & (future <= fan[:, 1])).mean()
    assert 0.72 <= inside <= 0.92


@given(used_series(), st.integers(20, 200))
def test_lower_mark_is_never_reached_later(used, mark_tib):
    learnt = forecast(used)
    high = np.full(len(used), mark_tib * TIB)
    low_way = runway(learnt, mark_bytes=high // 2, horizon_days=730)
    high_way = runway(learnt, mark_bytes=high, horizon_days=730)
    for name in ("early_days", "likely_days", "late_days"):
        assert (getattr(low_way, name) <= getattr(high_way, name)).all()


@given(used_series(), st.integers(20, 200))
def test_early_comes_before_likely_before_late(used, mark_tib):
    way = runway(forecast(used), mark_bytes=np.full(2, mark_tib * TIB), horizon_days=730)
    assert (way.early_days <= way.likely_days).all()
    assert (way.likely_days <= way.late_days).all()


@given(used_series())
def test_double_the_bytes_same_dates(used):
    once = runway(forecast(used), mark_bytes=np.full(2, 40 * TIB), horizon_days=730)
    twice = runway(forecast(2 * used), mark_bytes=np.full(2, 80 * TIB), horizon_days=730)
    assert np.allclose(once.likely_days, twice.likely_days, atol=1)


@given(used_series())
def test_the_order_of_series_does_not_matter(used):
    mark = np.full(2, 40 * TIB)
    straight = runway(forecast(used), mark_bytes=mark, horizon_days=730)
    turned = runway(forecast(used[::-1]), mark_bytes=mark, horizon_days=730)
    assert (straight.late_days == turned.late_days[::-1]).all()


@given(used_series())
def test_quantiles_never_cross(used):
    fan = paths(forecast(used), horizon_days=90, quantiles=(0.1, 0.5, 0.9))
    assert (np.diff(fan, axis=1) >= 0).all()


def test_inputs_are_left_as_they_were():
    used = climbing()
    kept = used.copy()
    forecast(used)
    assert (used == kept).all()


@pytest.mark.parametrize(
    ("used", "error"),
    [
        (np.zeros(5), ShapeError),
        (np.zeros((2, 0)), ShapeError),
        (np.array([[1.0, -1.0]]), RangeError),
        (np.array([[1.0, np.inf]]), RangeError),
    ],
    ids=["one-axis", "no-days", "negative", "infinite"],
)
def test_bad_readings_are_refused_by_name(used, error):
    with pytest.raises(error, match="used_bytes"):
        forecast(used)


def test_bad_marks_horizons_and_quantiles_are_refused():
    learnt = forecast(climbing())
    with pytest.raises(ShapeError, match="mark_bytes"):
        runway(learnt, mark_bytes=np.zeros(2, dtype=np.int64), horizon_days=10)
    with pytest.raises(RangeError, match="horizon_days"):
        runway(learnt, mark_bytes=np.zeros(1, dtype=np.int64), horizon_days=0)
    with pytest.raises(RangeError, match="quantiles"):
        paths(learnt, horizon_days=10, quantiles=(1.0,))


@pytest.mark.parametrize("back", [25, 60, 120, 190])
@pytest.mark.parametrize("size", [-12.0, 8.0, 25.0])
def test_one_shift_moves_a_date_by_four_days_at_most(size, back):
    rng = np.random.default_rng(back)
    used = 60 + 0.05 * np.arange(400) + rng.normal(0, 0.05, 400)
    shifted = used.copy()
    shifted[-back:] += size
    mark = np.array([round((shifted[-1] + 6) * TIB)])  # some 120 days away

    def likely(history):
        learnt = forecast(history[None] * TIB, first_day=20_000)
        return float(runway(learnt, mark_bytes=mark, horizon_days=730).likely_days[0])

    always = likely(used + size)
    assert 100 <= always <= 140
    assert abs(likely(shifted) - always) <= 4


def test_how_much_counts_a_history_without_its_shifts_is_told():
    rng = np.random.default_rng(2)
    used = 60 + 0.05 * np.arange(400) + rng.normal(0, 0.05, (4, 400))
    for row, backs in enumerate(((), (90,), (90, 240), (60, 150, 290))):
        for back in backs:
            used[row, -back:] += 9
    assert forecast(used * TIB).always_share.tolist() == [0.0, 0.9, 0.5, 0.0]
