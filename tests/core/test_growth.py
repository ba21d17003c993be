import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.forecast import growth as growth_module
from keelmark.core.forecast.growth import WINDOWS_DAYS, learn_growth

N_DAYS = 300


def learn(trend: np.ndarray, *, first: int = 0):
    return learn_growth(trend, first_column=np.full(len(trend), first, dtype=np.int64))


def paces_by_loop(row: np.ndarray, *, at: int, first: int) -> list[float]:
    """None, then ends and fitted line of each window, the slow obvious way."""
    paces = [0.0]
    for window in WINDOWS_DAYS:
        start = max(first, at - window, 0)
        if at - start < growth_module.MIN_WINDOW_DAYS:
            paces += [0.0, 0.0]
            continue
        days = np.arange(start, at + 1)
        paces += [
            (row[at] - row[start]) / (at - start),
            float(np.polyfit(days, row[start : at + 1], 1)[0]),
        ]
    return paces


@given(st.integers(0, 200), st.integers(0, N_DAYS - 1), st.integers(0, 2**32 - 1))
def test_window_paces_agree_with_a_plain_loop(first, at, seed):
    row = np.random.default_rng(seed).normal(0, 1, N_DAYS).cumsum()
    sums = growth_module._Sums.of(
        np.where(np.arange(N_DAYS) < first, np.nan, row)[None, :],
        first_column=np.array([first]),
    )
    if at < first:
        return
    wanted = paces_by_loop(np.where(np.arange(N_DAYS) < first, 0, row), at=at, first=first)
    assert np.allclose(growth_module._paces(sums, at=at)[:, 0], wanted, atol=1e-8)


def test_a_ruler_has_no_wander_and_a_sure_pace():
    learnt = learn((2.0 + 0.01 * np.arange(N_DAYS))[None, :])
    assert learnt.per_day[0] == pytest.approx(0.01)
    assert learnt.wander_variance[0] == pytest.approx(0, abs=1e-9)
    assert learnt.drift_variance[0] == pytest.approx(0, abs=1e-9)


def test_more_noise_means_more_spread():
    rng = np.random.default_rng(3)
    steps = rng.normal(0, 1, (1, N_DAYS))
    calm, rough = (learn(np.cumsum(0.05 + scale * steps, axis=1)) for scale in (0.01, 0.1))
    for name in ("wander_variance", "drift_variance"):
        assert getattr(rough, name)[0] >= getattr(calm, name)[0]
    assert rough.wander_variance[0] + rough.drift_variance[0] > 0


def test_the_wander_of_a_random_walk_is_about_its_step():
    rng = np.random.default_rng(8)
    walks = np.cumsum(rng.normal(0, 0.1, (400, N_DAYS)), axis=1)
    learnt = learn(walks)
    at_month = learnt.wander_variance * 30 + learnt.drift_variance * 900
    assert np.median(at_month) == pytest.approx(30 * 0.01, rel=0.5)


def test_a_new_pace_wins_over_the_old_one():
    day = np.arange(N_DAYS)
    turned = np.where(day < 200, 0.0, 0.05 * (day - 200))[None, :]
    assert learn(turned).per_day[0] == pytest.approx(0.05, rel=0.1)


def test_among_equals_the_longer_window_weighs_more():
    share = growth_module._shares(
        np.ones((13, 4, 1)),
        is_tried=np.ones((4, 1), dtype=np.bool_),
        weights=np.ones(4),
        horizons=[(7, 7)] * 4,
    )[:, 0]
    assert share.sum() == pytest.approx(1)
    assert (np.diff(share[1:]) >= 0).all()
    assert share[0] == share.min()


def test_a_pace_that_misses_by_far_hardly_counts():
    errors = np.ones((13, 4, 1))
    errors[5] *= 10
    share = growth_module._shares(
        errors,
        is_tried=np.ones((4, 1), dtype=np.bool_),
        weights=np.ones(4),
        horizons=[(7, 7)] * 4,
    )[:, 0]
    assert share[5] < 1e-4


def test_too_young_to_be_tried_takes_the_line_through_all():
    trend = np.full((1, N_DAYS), np.nan)
    trend[0, -14:] = 1 + 0.02 * np.arange(14)
    learnt = learn(trend, first=N_DAYS - 14)
    assert learnt.per_day[0] == pytest.approx(0.02)


@pytest.mark.parametrize(
    ("points", "wanted"),
    [
        ([(1, 2.0), (2, 3.0), (3, 4.0)], (1.0, 1.0)),
        ([(1, 5.0), (2, 4.0), (3, 3.0)], (4.0, 0.0)),  # falling: all wander, the mean
        ([(1, 0.0), (2, 1.5), (3, 3.0)], (0.0, 12 / 14)),  # through the origin
    ],
    ids=["rising", "falling", "below-zero"],
)
def test_the_variance_line_is_never_negative(points, wanted):
    x, y = (np.array([[p[i]] for p in points], dtype=float) for i in (0, 1))
    a, b = growth_module._nonnegative_line(x, y, weight=np.ones_like(x))
    assert a[0] == pytest.approx(wanted[0])
    assert b[0] == pytest.approx(wanted[1], rel=0.01)
    assert a[0] >= 0
    assert b[0] >= 0
