import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.forecast import mix as mix_module
from keelmark.core.forecast.mix import KNOTS_DAYS, mixed
from keelmark.core.forecast.ways import (
    IS_MIXED,
    MIN_WINDOW_DAYS,
    N_WAYS,
    WAYS,
    Form,
    Pace,
    Readings,
    Start,
)

N_DAYS = 300
NAMES = [way.name for way in WAYS]


def readings(level: np.ndarray, *, trend: np.ndarray | None = None, first: int = 0) -> Readings:
    is_there = np.arange(level.shape[1]) >= first
    known, without = (
        np.where(is_there, x, np.nan) for x in (level, level if trend is None else trend)
    )
    return Readings.of(
        known, trend=without, first_column=np.full(len(level), first, dtype=np.int64)
    )


def way_by_loop(way, level, trend, *, at, first, ahead):
    """Where one way goes, the slow obvious way."""
    row = level if way.with_shifts else trend + (level[at] - trend[at])
    if way.form == Form.PROPORTION:
        row = np.log(np.maximum(level, 1e-3))
    start = max(first, at - way.days, 0)
    days = np.arange(start, at + 1)
    pace, end = 0.0, row[at]
    if at - start >= MIN_WINDOW_DAYS:
        slope, _ = np.polyfit(days, row[start : at + 1], 1)
        pace = slope if way.pace == Pace.SLOPE else 0.0
        pace = (row[at] - row[start]) / (at - start) if way.pace == Pace.ENDS else pace
        end = np.mean(row[start : at + 1]) + slope * (at - (start + at) / 2)
    begin = {Start.LAST: level[at], Start.MEAN: np.mean(row[start : at + 1]), Start.LINE: end}
    match way.form:
        case Form.STRAIGHT:
            return begin[way.start] + pace * ahead
        case Form.DAMPED:
            return begin[way.start] + pace * way.time_days * (1 - np.exp(-ahead / way.time_days))
        case Form.DRAWN:
            gap = level[at] - begin[way.start]
            return begin[way.start] + pace * ahead + gap * np.exp(-ahead / way.time_days)
        case Form.PROPORTION:
            rate = np.clip(pace, -0.02, 0.02)
            return level[at] * np.exp(np.clip(rate * ahead, -1.5, 1.5))


@given(st.integers(0, 200), st.integers(0, N_DAYS - 1), st.integers(0, 2**32 - 1))
def test_ways_agree_with_a_plain_loop(first, at, seed):
    rng = np.random.default_rng(seed)
    level = 1 + np.abs(rng.normal(0, 0.02, N_DAYS).cumsum())
    trend = level + 0.3 * (np.arange(N_DAYS) < 150)  # a shift down on day 150, taken out
    if at < first:
        return
    ahead = np.array([1.0, 30.0, 200.0])
    seen = readings(level[None], trend=trend[None], first=first).seen_from(at).after(ahead)
    for found, way in zip(seen[:, 0], WAYS, strict=True):
        wanted = way_by_loop(way, level, trend, at=at, first=first, ahead=ahead)
        np.testing.assert_allclose(found, wanted, atol=1e-7, err_msg=way.name)


def test_names_of_ways_are_their_own():
    assert len(set(NAMES)) == N_WAYS


def test_a_ruler_is_gone_on_with_and_never_missed():
    told = mixed(readings((0.2 + 0.002 * np.arange(N_DAYS))[None, :]))
    wanted = 0.2 + 0.002 * (N_DAYS - 1 + np.array(KNOTS_DAYS))
    np.testing.assert_allclose(told.middle[0], wanted, rtol=1e-6)
    assert told.mixed_missed[0] < 1e-9


def test_noise_about_a_level_is_seen_through():
    rng = np.random.default_rng(4)
    told = mixed(readings(0.5 + rng.normal(0, 0.01, (300, N_DAYS))))
    month = told.middle[:, KNOTS_DAYS.index(28)]
    assert np.abs(month - 0.5).mean() < 0.004  # a single reading is 0.008 off


def test_one_shift_is_no_growth_and_shifts_that_recur_are():
    days = np.arange(N_DAYS)
    flat = np.full(N_DAYS, 0.3)
    once = flat + 0.3 * (days >= 200)
    often = flat + 0.02 * (days // 30)
    quarter = KNOTS_DAYS.index(90)
    steady, growing = (
        mixed(readings(level[None], trend=np.full((1, N_DAYS), level[-1]))).middle[0, quarter]
        - level[-1]
        for level in (once, often)
    )
    assert abs(steady) < 0.02
    assert growing == pytest.approx(0.06, rel=0.35)


@given(st.integers(0, 60), st.integers(0, 2**32 - 1))
def test_shares_sum_to_one_and_what_only_informs_has_none(n_trials, seed):
    missed = np.random.default_rng(seed).uniform(0, 1, (N_WAYS, 3))
    share = mix_module._shares(missed, n_trials=np.full(3, n_trials))
    np.testing.assert_allclose(share.sum(axis=0), 1)
    assert (share[~IS_MIXED] == 0).all()
    order = np.argsort(missed[IS_MIXED], axis=0)
    assert (np.diff(np.take_along_axis(share[IS_MIXED], order, axis=0), axis=0) <= 0).all()


def test_a_way_that_misses_by_far_counts_the_less_the_more_was_tried():
    missed = np.full((N_WAYS, 2), 1.0)
    missed[4] = 3.0
    share = mix_module._shares(missed, n_trials=np.array([5, 100]))
    assert share[4, 1] < 1e-4 < share[4, 0]


def test_too_young_to_be_tried_all_ways_count_the_same():
    told = mixed(readings(np.full((1, N_DAYS), 0.4), first=N_DAYS - 5))
    assert told.n_trials[0] == 0
    np.testing.assert_allclose(told.share[IS_MIXED, 0], 1 / IS_MIXED.sum())
