import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as npst

from keelmark.core.errors import ShapeError
from keelmark.core.forecast import (
    contributions,
    forecast,
    paths,
    reconcile,
    record_of,
    runway,
)
from keelmark.core.units import TIB

N_DAYS = 300
DAY = np.arange(N_DAYS)
RNG = np.random.default_rng(4)
BEGIN = RNG.bit_generator.state


@pytest.fixture(autouse=True)
def _same_draws() -> None:
    """Whatever ran before in this process, a test draws the same."""
    RNG.bit_generator.state = BEGIN


def grown(n_series: int, *, share_per_day: float = 0.004) -> np.ndarray:
    """Series that gain a share of their first level a day, whatever their size."""
    size = RNG.uniform(1, 40, (n_series, 1)) * TIB
    noise = RNG.normal(0, 0.002, (n_series, N_DAYS))
    used: np.ndarray = size * (1 + share_per_day * DAY + noise)
    return used


def test_the_very_young_borrow_from_their_kin_and_say_from_how_many():
    used = grown(8)
    used[0, : N_DAYS - 3] = np.nan
    alone = forecast(used)
    assert not alone.is_judged[0]
    assert alone.reasons[0] == "only 3 days read, 14 needed"
    kin = np.zeros(8, dtype=np.int64)
    learnt = forecast(used, kin=kin)
    assert learnt.is_judged[0]
    assert learnt.reasons[0] == ""
    assert learnt.n_kin.tolist() == [7] + [0] * 7
    share = learnt.growth_bytes_per_day / learnt.last_bytes
    assert share[0] == pytest.approx(np.median(share[1:]), rel=0.15)


def test_what_is_borrowed_is_less_sure_than_what_is_known():
    used = grown(8)
    old = used[0, -1]
    used[0, : N_DAYS - 3] = np.nan
    learnt = forecast(used, kin=np.zeros(8, dtype=np.int64))
    fan = (
        paths(learnt, horizon_days=60, quantiles=(0.1, 0.9))[:, :, -1] / learnt.last_bytes[:, None]
    )
    width = fan[:, 1] - fan[:, 0]
    assert width[0] > np.median(width[1:])
    assert learnt.last_bytes[0] == old


@pytest.mark.parametrize("n_kin", [0, 4])
def test_fewer_than_five_elders_are_nobodys_custom(n_kin):
    used = grown(n_kin + 1)
    used[0, : N_DAYS - 3] = np.nan
    assert not forecast(used, kin=np.zeros(n_kin + 1, dtype=np.int64)).is_judged[0]


def test_where_a_group_is_small_all_of_the_kind_are_kin():
    used = grown(9)
    used[0, : N_DAYS - 3] = np.nan
    kin = np.array([1, 1, 1, 2, 2, 2, 2, 2, 2])
    learnt = forecast(used, kin=kin)
    assert learnt.n_kin[0] == 8
    assert learnt.is_judged[0]


def test_the_old_borrow_nothing():
    used = grown(8)
    with_kin = forecast(used, kin=np.zeros(8, dtype=np.int64))
    assert (with_kin.growth_bytes_per_day == forecast(used).growth_bytes_per_day).all()


def test_what_is_thin_ends_at_its_size():
    used = grown(1)
    size = used[0, -1] * 1.05
    learnt = forecast(used, ceiling_bytes=np.array([size]))
    assert paths(learnt, horizon_days=200, quantiles=(0.1, 0.5, 0.9)).max() == size
    beyond = np.array([int(size * 1.01)])
    way = runway(learnt, mark_bytes=beyond, horizon_days=700)
    assert np.isinf(way.early_days[0])
    assert way.chance_within[0] == 0.0
    with pytest.raises(ShapeError, match="ceiling_bytes"):
        forecast(used, ceiling_bytes=np.array([size, size]))


def test_a_chance_is_told_where_no_date_is():
    used = (20 + np.cumsum(RNG.normal(0, 0.1, (1, N_DAYS)), axis=1)) * TIB
    learnt = forecast(used)
    way = runway(learnt, mark_bytes=np.array([int(used[0, -1] + 3 * TIB)]), horizon_days=365)
    assert np.isinf(way.late_days[0])
    assert 0.0 < way.chance_within[0] < 0.9


def test_a_steady_past_gives_a_good_record_and_a_step_a_bad_one():
    used = grown(2)
    used[1, -20:] *= 1.3
    record = record_of(used)
    share = record.error_bytes / used[:, -1:]
    assert share[0].max() < 0.01
    assert share[1, 1] > 0.05  # after 30 days: one of three origins met the step
    assert record.bias_bytes[1, 1] > 0  # more came than was said
    assert record.n_tried.tolist() == [187, 187]  # 7, 30, 60 and 90 days
    inside = record.n_inside / record.n_tried
    assert inside[0] > inside[1]


def said_from(used):
    return paths(forecast(used), horizon_days=7, quantiles=(0.5,))[0, 0]


def test_where_the_day_of_a_horizon_was_not_read_the_one_before_stands_for_it():
    used = grown(6)
    used[:3, -1] = np.nan  # not read yet today
    used[3, -4:] = np.nan
    error = record_of(used).error_bytes
    assert not np.isnan(error[[0, 1, 2, 4, 5]]).any()
    assert np.isnan(error[3, 0]) or error[3, 0] > 0  # of earlier origins alone
    off = [
        used[0, column] - said_from(used[:1, :-back])[day]
        for back, column, day in ((7, -2, 5), (30, -24, 6), (60, -54, 6), (90, -84, 6))
    ]
    assert error[0, 0] == pytest.approx(np.mean(np.abs(off)), rel=1e-6)


def test_a_record_is_that_of_forecasts_made_then():
    used = grown(3)
    record = record_of(used)
    then = forecast(used[:, :-30])
    assert (record.earlier[30].growth_bytes_per_day == then.growth_bytes_per_day).all()
    said = paths(then, horizon_days=30, quantiles=(0.5,))[:, 0, -1]
    others = [
        used[:, 29 - back]
        - paths(record.earlier[back], horizon_days=30, quantiles=(0.5,))[:, 0, -1]
        for back in (60, 90)
    ]
    wanted = np.mean(np.abs([used[:, -1] - said, *others]), axis=0)
    assert np.allclose(record.error_bytes[:, 1], wanted)


def test_what_was_said_before_was_borrowed_too():
    used = grown(8)
    used[0, : N_DAYS - 12] = np.nan
    kin = np.zeros(8, dtype=np.int64)
    assert not record_of(used).earlier[7].is_judged[0]
    assert record_of(used, kin=kin).earlier[7].is_judged[0]


def test_the_young_have_no_record():
    used = grown(1)
    used[0, : N_DAYS - 10] = np.nan
    record = record_of(used)
    assert np.isnan(record.error_bytes[0, 1:]).all()


tables = npst.arrays(np.float64, (4, 6), elements=st.floats(0, 1e6))


@given(tables, tables, st.floats(0, 1e6), st.floats(0, 1e6))
def test_parts_and_whole_add_up(parts, variance, whole, whole_variance):
    told = reconcile(
        parts, whole_bytes=np.full(6, whole), parts_variance=variance,
        whole_variance=np.full(6, whole_variance),
    )  # fmt: skip
    assert np.allclose(told.parts_bytes.sum(axis=0), told.whole_bytes)
    low = np.minimum(parts.sum(axis=0), whole) - 1e-3
    high = np.maximum(parts.sum(axis=0), whole) + 1e-3
    assert ((told.whole_bytes >= low) & (told.whole_bytes <= high)).all()


def test_who_is_sure_keeps_their_forecast():
    parts = np.array([[10.0], [20.0]])
    told = reconcile(
        parts, whole_bytes=np.array([36.0]), parts_variance=np.array([[0.0], [4.0]]),
        whole_variance=np.array([8.0]),
    )  # fmt: skip
    assert told.parts_bytes[:, 0].tolist() == [10.0, 22.0]  # a third of the 6 that differ


def test_growth_is_told_apart_into_new_gone_and_grown():
    used = np.array([
        [5.0, 6, 7, 8, 9, 10, 11, 12],
        [np.nan, np.nan, np.nan, np.nan, 3, 3, 3, 4],
        [8.0, 8, 8, np.nan, np.nan, np.nan, np.nan, np.nan],
        [np.nan] * 8,
    ])  # fmt: skip
    told = contributions(used)
    assert np.nan_to_num(told.added_bytes, nan=-1).tolist() == [7.0, 4.0, -8.0, -1.0]
    assert (told.new_bytes, told.gone_bytes, told.total_bytes) == (4.0, -8.0, 3.0)


@given(npst.arrays(np.float64, (3, 30), elements=st.floats(0, 1e9)))
def test_contributions_of_parts_read_every_day_are_what_the_whole_gained(used):
    told = contributions(used)
    whole = used.sum(axis=0)
    assert told.total_bytes == pytest.approx(whole[-1] - whole[0], abs=1e-3)
