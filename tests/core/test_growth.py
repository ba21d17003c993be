import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.forecast import growth as growth_module
from keelmark.core.forecast.growth import REST_DAYS, WINDOWS_DAYS, learn_growth

N_DAYS = 300


def learn(trend: np.ndarray, *, first: int = 0):
    return learn_growth(trend, first_column=np.full(len(trend), first, dtype=np.int64))


def candidates_by_loop(row: np.ndarray, *, at: int, first: int) -> list[tuple[float, float]]:
    """Level and pace of each candidate, the slow obvious way."""
    told = [(float(np.mean(row[max(first, at - days + 1) : at + 1])), 0.0) for days in REST_DAYS]
    for window in WINDOWS_DAYS:
        start = max(first, at - window, 0)
        if at - start < growth_module.MIN_WINDOW_DAYS:
            told += [(row[at], 0.0)] * 3
            continue
        days = np.arange(start, at + 1)
        slope, intercept = np.polyfit(days, row[start : at + 1], 1)
        told += [
            (row[at], (row[at] - row[start]) / (at - start)),
            (row[at], slope),
            (intercept + slope * at, slope),
        ]
    return told


@given(st.integers(0, 200), st.integers(0, N_DAYS - 1), st.integers(0, 2**32 - 1))
def test_candidates_agree_with_a_plain_loop(first, at, seed):
    row = np.random.default_rng(seed).normal(0, 1, N_DAYS).cumsum()
    sums = growth_module._Sums.of(
        np.where(np.arange(N_DAYS) < first, np.nan, row)[None, :],
        first_column=np.array([first]),
    )
    if at < first:
        return
    found = growth_module._candidates(sums, at=at)
    wanted = np.array(candidates_by_loop(row, at=at, first=first))
    assert np.allclose(found.levels[:, 0], wanted[:, 0], atol=1e-8)
    assert np.allclose(found.paces[:, 0], wanted[:, 1], atol=1e-8)


def test_a_ruler_has_no_wander_and_a_sure_pace():
    learnt = learn((2.0 + 0.01 * np.arange(N_DAYS))[None, :])
    assert learnt.per_day[0] == pytest.approx(0.01)
    assert learnt.level[0] == pytest.approx(2.0 + 0.01 * (N_DAYS - 1))
    assert learnt.variance.after(np.array([100.0]))[0, 0] == pytest.approx(0, abs=1e-8)


def test_noise_about_a_level_is_seen_through():
    rng = np.random.default_rng(4)
    learnt = learn(5.0 + rng.normal(0, 0.1, (300, N_DAYS)))
    assert np.abs(learnt.level - 5.0).mean() < 0.04  # a single reading is 0.08 off
    assert np.median(np.abs(learnt.per_day)) < 0.0005
    month = learnt.variance.after(np.array([30.0]))[:, 0]
    assert np.median(month) == pytest.approx(0.01, rel=0.5)  # noise does not add up


def test_more_noise_means_more_spread():
    rng = np.random.default_rng(3)
    steps = rng.normal(0, 1, (1, N_DAYS))
    calm, rough = (learn(np.cumsum(0.05 + scale * steps, axis=1)) for scale in (0.01, 0.1))
    month = np.array([30.0])
    assert rough.variance.after(month)[0, 0] > 10 * calm.variance.after(month)[0, 0] > 0


def test_the_wander_of_a_random_walk_is_about_its_step():
    rng = np.random.default_rng(8)
    walks = np.cumsum(rng.normal(0, 0.1, (400, N_DAYS)), axis=1)
    learnt = learn(walks)
    at_month = learnt.variance.after(np.array([30.0]))[:, 0]
    assert np.median(at_month) == pytest.approx(30 * 0.01, rel=0.5)


def test_a_new_pace_wins_over_the_old_one():
    day = np.arange(N_DAYS)
    turned = np.where(day < 200, 0.0, 0.05 * (day - 200))[None, :]
    assert learn(turned).per_day[0] == pytest.approx(0.05, rel=0.1)


N_CANDIDATES = len(REST_DAYS) + 3 * len(WINDOWS_DAYS)


def shares(errors: np.ndarray) -> np.ndarray:
    told: np.ndarray = growth_module._shares(
        errors,
        is_tried=np.ones((4, 1), dtype=np.bool_),
        weights=np.ones(4),
        trials=[(7, 7)] * 4,
    )[:, 0]
    return told


def test_among_equals_the_longer_window_weighs_more():
    share = shares(np.ones((N_CANDIDATES, 4, 1)))
    assert share.sum() == pytest.approx(1)
    assert (np.diff(share[len(REST_DAYS) :]) >= 0).all()


def test_a_pace_that_misses_by_far_hardly_counts_and_with_more_trials_even_less():
    errors = np.ones((N_CANDIDATES, 4, 1))
    errors[5] *= 10
    assert shares(errors)[5] < 1e-3 * shares(errors)[6]


def test_too_young_to_be_tried_takes_the_line_through_all():
    trend = np.full((1, N_DAYS), np.nan)
    trend[0, -14:] = 1 + 0.02 * np.arange(14)
    learnt = learn(trend, first=N_DAYS - 14)
    assert learnt.per_day[0] == pytest.approx(0.02)
