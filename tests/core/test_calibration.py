"""Bands of many of one kind are as wide as their misses ask, and no wider than was known then."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as npst
from scipy.special import ndtri

from keelmark.core.forecast import TRIALS, forecast, paths, record_of, widened, widening_of
from keelmark.core.forecast.calibration import BAND_EDGE, MOST, ORIGINS_DAYS_BACK

N_DAYS = 300
MANY = 4000
TIB = 1024**4


def missed(n_series, *, times, seed=3):
    """Misses of forecasts whose bands are so many times too narrow."""
    rng = np.random.default_rng(seed)
    return times * np.abs(rng.normal(0, 1, (n_series, len(TRIALS))))


def test_bands_too_narrow_by_half_are_widened_by_half():
    assert widening_of(missed(MANY, times=1.5))[0] == pytest.approx(1.5, rel=0.02)


def test_bands_that_held_are_left_and_wide_ones_never_narrowed():
    assert widening_of(missed(MANY, times=1.0))[0] == pytest.approx(1.0, abs=0.03)
    assert set(widening_of(missed(MANY, times=0.5)).values()) == {1.0}


def test_few_series_prove_little():
    few = widening_of(missed(3, times=1.8, seed=1))[0]
    many = widening_of(missed(300, times=1.8, seed=1))[0]
    assert 1.0 <= few < 1.3 < many


def test_nothing_tried_widens_nothing():
    nothing = np.full((20, len(TRIALS)), np.nan)
    assert widening_of(nothing) == dict.fromkeys((0, *ORIGINS_DAYS_BACK), 1.0)


@pytest.mark.parametrize("back", ORIGINS_DAYS_BACK)
def test_an_origin_knows_only_what_had_come_by_then(back):
    misses = missed(200, times=1.0)
    later = [at for at, (origin, ahead) in enumerate(TRIALS) if origin - ahead < back]
    changed = misses.copy()
    changed[:, later] = 50.0
    assert widening_of(changed)[back] == widening_of(misses)[back]
    if later != list(range(len(TRIALS))):
        earlier = misses.copy()
        earlier[:, [at for at in range(len(TRIALS)) if at not in later]] = 50.0
        assert widening_of(earlier)[back] > 1.5


@given(
    npst.arrays(np.float64, (12, len(TRIALS)), elements=st.floats(0, 1e6) | st.just(float("nan")))
)
def test_a_factor_is_never_below_one_nor_without_bound(misses):
    for factor in widening_of(misses).values():
        assert 1.0 <= factor <= MOST


@given(st.integers(0, 50))
def test_the_order_of_the_series_means_nothing(seed):
    misses = missed(30, times=1.3, seed=seed)
    turned = np.random.default_rng(seed).permutation(misses)
    assert widening_of(turned)[0] == pytest.approx(widening_of(misses)[0])


def wandering(n_series, *, seed):
    """Calm for most of a year, then a pace of their own each: the calm past flatters."""
    rng = np.random.default_rng(seed)
    pace = np.zeros((n_series, N_DAYS))
    pace[:, -80:] = rng.normal(0, 0.1, (n_series, 1))
    steps = pace + rng.normal(0, 0.02, (n_series, N_DAYS))
    return (40 + np.cumsum(steps, axis=1)).clip(1) * TIB


def test_alike_series_are_judged_by_bands_widened_together():
    used = wandering(150, seed=8)
    alone, together = record_of(used), record_of(used, is_one_kind=True)
    assert set(alone.widening.values()) == {1.0}
    assert together.widening[0] > 1.02
    assert (together.n_inside >= alone.n_inside).all()
    assert together.n_inside.sum() > alone.n_inside.sum()
    assert (together.n_tried == alone.n_tried).all()
    assert np.array_equal(together.error_bytes, alone.error_bytes)


def calm(n_series, *, seed):
    rng = np.random.default_rng(seed)
    return (40 + np.cumsum(rng.normal(0.05, 0.02, (n_series, N_DAYS)), axis=1)) * TIB


def test_migrations_ask_for_no_wider_band_and_are_misses_all_the_same():
    used = calm(60, seed=5)
    used[:, -50:] += 12 * TIB
    shifts = forecast(used).readings.shift_bytes
    plain = record_of(calm(60, seed=5), is_one_kind=True)
    moved = record_of(used, is_one_kind=True, shift_bytes=shifts)
    assert record_of(used, is_one_kind=True).widening[0] > 1.5  # what it would be otherwise
    assert moved.widening[0] == pytest.approx(plain.widening[0], abs=0.1)
    assert moved.n_inside.sum() < 0.7 * plain.n_inside.sum()


def test_what_all_say_otherwise_since_today_widens_nothing_yet():
    """A source that counts otherwise from one day on; whether it is a shift shows tomorrow."""
    used = calm(60, seed=6)
    before = record_of(used, is_one_kind=True).widening
    used[:, -1] *= 1.5
    shifts = forecast(used).readings.shift_bytes
    after = record_of(used, is_one_kind=True, shift_bytes=shifts).widening
    assert after == before


def test_what_is_known_of_a_kind_stands_before_what_these_alone_tell():
    used = wandering(20, seed=9)
    known = {0: 1.7, **dict.fromkeys(ORIGINS_DAYS_BACK, 1.5)}
    record = record_of(used, is_one_kind=True, widening=known)
    assert record.widening == known
    then = forecast(used[:, :-30])
    widths = [of.fan.high - of.fan.middle for of in (record.earlier[30], then)]
    np.testing.assert_allclose(widths[0], widths[1] * 1.5)


def test_a_wider_band_keeps_its_middle():
    learnt = forecast(wandering(5, seed=2))
    narrow, wide = (
        paths(of, horizon_days=60, quantiles=(0.1, 0.5, 0.9))
        for of in (learnt, widened(learnt, by=1.5))
    )
    assert np.array_equal(narrow[:, 1], wide[:, 1])
    half = narrow[:, 2] - narrow[:, 1]
    assert np.allclose(wide[:, 2] - wide[:, 1], 1.5 * half)


def test_what_is_exact_lies_in_a_band_of_no_width():
    """What is promised grows by a line to the byte: the band is a line too."""
    used = (np.linspace(10, 20, N_DAYS) * TIB).round()[None, :].repeat(3, axis=0)
    record = record_of(used, is_one_kind=True)
    assert record.n_inside.tolist() == record.n_tried.tolist()
    assert record.widening[0] == 1.0


def test_the_edge_is_that_of_eighty_percent():
    assert pytest.approx(ndtri(0.9)) == BAND_EDGE
