import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.forecast.spread import PowerLaw, _nonnegative_law, fitted, prior_of

DAYS = np.array([7.0, 14.0, 28.0, 56.0, 84.0, 112.0])
parts = st.floats(0, 10)


def nothing(n: int = 1) -> PowerLaw:
    return PowerLaw(noise=np.zeros(n), wander=np.zeros(n), drift=np.zeros(n))


@given(parts, parts, parts)
def test_a_law_is_found_again_from_its_variances(noise, wander, drift):
    law = np.array([noise, wander, drift / 100])
    variance = (law[0] + law[1] * DAYS + law[2] * DAYS**2)[:, None]
    found = _nonnegative_law(variance, days=DAYS, is_known=np.ones((6, 1), dtype=np.bool_))[:, 0]
    told = found[0] + found[1] * DAYS + found[2] * DAYS**2
    assert (found >= 0).all()
    assert np.allclose(told, variance[:, 0], rtol=1e-3, atol=1e-6)


def test_a_variance_that_falls_with_time_is_noise_alone():
    variance = np.array([[6.0], [5.5], [5.0], [4.5], [4.0], [3.5]])
    found = _nonnegative_law(variance, days=DAYS, is_known=np.ones((6, 1), dtype=np.bool_))
    assert found[0, 0] > 0
    assert found[1:, 0].tolist() == [0.0, 0.0]


def test_errors_tell_more_the_more_of_them_there_are():
    horizons = np.repeat(DAYS, 4)
    errors = np.ones((24, 2))
    is_tried = np.ones((24, 2), dtype=np.bool_)
    is_tried[2:, 1] = False
    prior = PowerLaw(noise=np.full(2, 100.0), wander=np.zeros(2), drift=np.zeros(2))
    law = fitted(
        errors, is_tried=is_tried, weights=np.ones(24), horizons_days=horizons, prior=prior
    )
    month = law.after(np.array([28.0]))[:, 0]
    assert month[0] < month[1] < 100
    # 24 trials beside a prior that counts as two: 24/26 of 1.57 and 2/26 of 100
    assert month[0] == pytest.approx(24 / 26 * 1.2533**2 + 2 / 26 * 100, rel=0.02)


def test_noise_that_comes_back_is_no_wander_and_a_random_walk_is():
    rng = np.random.default_rng(2)
    first = np.zeros(200, dtype=np.int64)
    noise = prior_of(rng.normal(0, 1, (200, 80)), first_column=first)
    walk = prior_of(np.cumsum(rng.normal(0, 1, (200, 80)), axis=1), first_column=first)
    assert np.median(noise.wander) < 0.35  # of steps whose variance is 2
    assert np.median(walk.wander) == pytest.approx(0.85, abs=0.25)


def test_a_law_in_other_units_is_squared():
    law = PowerLaw(noise=np.array([1.0]), wander=np.array([2.0]), drift=np.array([3.0]))
    days = np.array([10.0])
    assert law.scaled(np.array([5.0])).after(days) == pytest.approx(25 * law.after(days))
