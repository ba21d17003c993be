"""Lines that never bent, told from what only looks like one for a while."""

import numpy as np
import pytest

from keelmark.core.forecast import forecast, paths, runway
from keelmark.core.forecast.noise import noise_of
from keelmark.core.forecast.straight import MOST_SHARE, straight_of
from keelmark.core.forecast.ways import Sums
from keelmark.core.units import TIB

N, DAYS = 120, 400
X = np.arange(DAYS)


def remembering(rng, kept, size):
    shocks = rng.normal(0, size * np.sqrt(1 - kept**2), (N, DAYS))
    for day in range(1, DAYS):
        shocks[:, day] += kept * shocks[:, day - 1]
    return shocks


CASES = {
    "a line": (lambda rng: 60 + 0.02 * X + rng.normal(0, 0.5, (N, DAYS)), (0.75, 1.0)),
    "flat": (lambda rng: 60 + rng.normal(0, 0.5, (N, DAYS)), (0.75, 1.0)),
    "noise that remembers": (lambda rng: 60 + 0.02 * X + remembering(rng, 0.6, 0.5), (0.7, 1.0)),
    "a walk": (lambda rng: 60 + np.cumsum(rng.normal(0.02, 0.2, (N, DAYS)), axis=1), (0.0, 0.03)),
    "a walk under noise": (
        lambda rng: 60 + np.cumsum(rng.normal(0.01, 0.1, (N, DAYS)), axis=1)
        + rng.normal(0, 0.5, (N, DAYS)),
        (0.0, 0.03),
    ),
    "a bend half a year ago": (
        lambda rng: 60 + 0.02 * X + 0.02 * np.maximum(X - 220, 0) + rng.normal(0, 0.5, (N, DAYS)),
        (0.0, 0.03),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_a_line_is_told_from_what_wanders_or_bends(name):
    make, (least, most) = CASES[name]
    trend = make(np.random.default_rng(7)) / 100
    told = straight_of(
        Sums.of(trend, first_column=np.zeros(N, dtype=np.int64)), noise=noise_of(trend)
    )
    assert least <= told.share.mean() <= most
    assert ((told.share >= 0) & (told.share <= MOST_SHARE)).all()


@pytest.mark.parametrize("n_known", [1, 30, 159, 160, 400])
def test_nothing_is_said_of_short_ones_and_those_that_begin_late_are_as_their_own_days(n_known):
    trend = np.full((1, DAYS), np.nan)
    trend[0, -n_known:] = 0.5 + np.random.default_rng(3).normal(0, 0.003, n_known)
    first = np.array([DAYS - n_known])
    told = straight_of(Sums.of(trend, first_column=first), noise=noise_of(trend))
    short = trend[:, DAYS - n_known :]
    own = straight_of(
        Sums.of(short, first_column=np.zeros(1, dtype=np.int64)), noise=noise_of(short)
    )
    np.testing.assert_allclose(told.share, own.share, atol=1e-9)
    np.testing.assert_allclose(told.fan[:, 1], own.fan[:, 1], rtol=1e-9)
    assert n_known >= 160 or told.share[0] == 0


def test_a_line_goes_on_as_it_did_and_as_surely_as_its_noise_lets_it():
    rng = np.random.default_rng(5)
    used = 60 + 0.02 * np.arange(DAYS + 365) + rng.normal(0, 0.5, (N, DAYS + 365))
    learnt = forecast(used[:, :DAYS] * TIB)
    fan = paths(learnt, horizon_days=365, quantiles=(0.1, 0.5, 0.9)) / TIB
    inside = (used[:, DAYS:] >= fan[:, 0]) & (used[:, DAYS:] <= fan[:, 2])
    assert 0.75 <= inside.mean() <= 0.9
    assert np.median(fan[:, 2] - fan[:, 0], axis=0).max() < 2.2  # 1.3 is the noise alone
    mark = np.full(N, 72 * TIB)
    way = runway(learnt, mark_bytes=mark, horizon_days=730)
    came = (used[:, DAYS:] >= 72).argmax(axis=1) + 1
    assert (came < way.early_days).mean() <= 0.13
    assert (came <= way.late_days).mean() >= 0.7
    assert np.median(way.likely_days - came) == pytest.approx(0, abs=8)
