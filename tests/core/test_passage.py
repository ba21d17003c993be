import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.forecast import Fan, forecast, paths, runway
from keelmark.core.forecast.mix import KNOTS_DAYS
from keelmark.core.forecast.noise import MEMORIES, noise_of
from keelmark.core.forecast.passage import Walks, blocks_of
from keelmark.core.units import TIB

HORIZON = 400
ENDS = blocks_of(HORIZON)
N_KNOWN, N_AHEAD, N_SERIES = 400, 730, 300


def passage(needed, *, noise=0.0, persistence=0.5, memory=0):
    row = np.broadcast_to(np.asarray(needed, dtype=np.float64), (1, 1, len(ENDS)))
    walks = Walks(
        noise_share=np.full((1, len(ENDS)), noise), persistence=np.array([persistence]),
        memory=np.array([memory]), horizon_days=HORIZON,
    )  # fmt: skip
    return walks.first_passages(row)[0]


def test_a_walk_arrives_as_reflection_says():
    # of a walk of one a day a mark 15 up: P(by t) = 2 P(W_t > 15)
    told = passage(15.0 / np.sqrt(ENDS))
    assert told.days[0, 0] == pytest.approx((15 / 1.645) ** 2, rel=0.15)
    assert told.days[1, 0] == np.inf
    assert told.chance_within[0] == pytest.approx(2 * (1 - 0.7734), abs=0.04)


def test_a_line_whose_pace_is_not_known_crosses_as_its_fan_does():
    # 30 up at 0.1 ± 0.1 a day: a tenth needs 0.2282 a day
    told = passage((30.0 - 0.1 * ENDS) / (0.1 * ENDS), persistence=1.0)
    assert told.days[0, 0] == pytest.approx(30 / 0.2282, rel=0.06)
    assert told.days[1, 0] == pytest.approx(300, rel=0.06)


def test_noise_that_comes_back_tries_again_every_day():
    # 1 − 0.97725^t: a tenth by day 4.6, half by day 30
    told = passage(2.0, noise=1.0)
    assert told.days[:2, 0] == pytest.approx([4.6, 30.1], rel=0.3)
    assert told.chance_within[0] == 1.0
    slower = passage(2.0, noise=1.0, memory=len(MEMORIES) - 1)
    assert slower.days[1, 0] > 1.5 * told.days[1, 0]


def test_what_is_reached_on_a_known_day_arrives_then():
    needed = np.where(ENDS < 41, np.inf, -np.inf)
    first = int(ENDS[ENDS >= 41][0])
    assert passage(needed).days[:, 0].max() <= first
    assert passage(np.full(len(ENDS), np.inf)).chance_within[0] == 0.0


@given(st.floats(-1, 4), st.floats(0, 1), st.floats(0.25, 1))
def test_a_higher_mark_never_comes_sooner(needed, higher, persistence):
    low, high = (passage(x, persistence=persistence, noise=0.3) for x in (needed, needed + higher))
    assert (low.days <= high.days).all()
    assert low.chance_within[0] >= high.chance_within[0]


def autocorrelated(rng, *, keeps, spread):
    noise, state = np.empty((N_SERIES, N_KNOWN + N_AHEAD)), rng.normal(0, 1, N_SERIES)
    for day in range(noise.shape[1]):
        state = keeps * state + np.sqrt(1 - keeps**2) * rng.normal(0, 1, N_SERIES)
        noise[:, day] = spread * state
    return noise


def histories(kind: str) -> tuple[np.ndarray, np.ndarray]:
    """Used and marks, in TiB, of series whose law is known."""
    rng = np.random.default_rng(3)
    days = np.arange(N_KNOWN + N_AHEAD)
    shape = (N_SERIES, len(days))
    match kind:
        case "noise":
            used = 80 + rng.normal(0, 1, shape)
        case "noise that remembers":
            used = 80 + autocorrelated(rng, keeps=0.7, spread=1.0)
        case "walk":
            used = 80 + np.cumsum(rng.normal(0, 0.3, shape), axis=1)
        case "walk with noise":
            used = 60 + np.cumsum(rng.normal(0.01, 0.15, shape), axis=1) + rng.normal(0, 0.5, shape)
        case _:
            used = 60 + 0.02 * days + rng.normal(0, 0.5, shape)
    if kind.startswith("noise"):
        return used, np.full(N_SERIES, 82.0)
    return used, used[:, N_KNOWN - 1] + rng.uniform(2, 6, N_SERIES)


@pytest.mark.parametrize(
    ("kind", "least"),
    [("noise", 0.07), ("noise that remembers", 0.07), ("walk", 0.07), ("walk with noise", 0.07),
     # A line that never bends is surer than anything that was simulated: early comes too soon.
     ("trend", 0.0)],
)  # fmt: skip
def test_a_tenth_crosses_before_early(kind, least):
    used, mark = histories(kind)
    learnt = forecast(used[:, :N_KNOWN] * TIB)
    marks = (mark * TIB).astype(np.int64)
    way = runway(learnt, mark_bytes=marks, horizon_days=N_AHEAD)
    is_there = used[:, N_KNOWN:] >= mark[:, None]
    came = np.where(is_there.any(axis=1), is_there.argmax(axis=1) + 1.0, np.inf)
    assert least <= (came < way.early_days).mean() <= 0.13
    assert (came <= way.late_days).mean() >= 0.55
    # and never after the fan's own edge stands at the mark
    high = paths(learnt, horizon_days=N_AHEAD, quantiles=(0.9,))[:, 0]
    of_fan = high >= marks[:, None]
    edge = np.where(of_fan.any(axis=1), of_fan.argmax(axis=1) + 1.0, np.inf)
    widest = np.diff(blocks_of(N_AHEAD)).max()
    assert (way.early_days <= edge + widest).all()


def test_noise_is_told_from_what_adds_up():
    rng = np.random.default_rng(2)
    noise = noise_of(rng.normal(0, 1, (200, 300)))
    assert np.median(noise.variance) == pytest.approx(1, rel=0.1)
    assert (noise.memory == 0).mean() > 0.9
    walk = noise_of(np.cumsum(rng.normal(0, 1, (200, 300)), axis=1))
    assert np.median(walk.variance) < 2  # of a variance that is 120 in the same days
    remembering = noise_of(np.cumsum(rng.normal(0, 0.02, (200, 300)), axis=1)
                           + autocorrelated(rng, keeps=0.6, spread=1.0)[:200, :300])  # fmt: skip
    assert np.median(remembering.memory) == 1


def fan_of(**facts) -> Fan:
    knots = np.array(KNOTS_DAYS, dtype=np.float64)[None, :]
    known = {
        "low": 10 + 0.1 * knots - np.sqrt(knots), "middle": 10 + 0.1 * knots,
        "high": 10 + 0.1 * knots + 2 * np.sqrt(knots), "noise_variance": np.array([0.5]),
        "memory": np.array([1]),
    }  # fmt: skip
    return Fan(**(known | facts))


def test_a_fan_is_kept_as_it_was():
    fan = fan_of()
    kept = Fan.kept(np.array([fan.told(0)]), noise_variance=fan.noise_variance, memory=fan.memory)
    days = np.array([1, 2, 30, 100, 900])
    np.testing.assert_array_equal(kept.on(days), fan.on(days))
    np.testing.assert_allclose(kept.on(days)[0, 1], 10 + 0.1 * days)
    assert kept.persistence()[0] == pytest.approx(0.5, abs=0.02)


@given(st.floats(0.5, 4))
def test_what_grows_faster_leaves_its_level_faster_and_is_as_wide_as_time_that_runs(times):
    fan, level = fan_of(), np.array([10.0])
    grown = fan.grown(times, level=level)
    np.testing.assert_allclose(grown.middle - 10, times * (fan.middle - 10))
    np.testing.assert_allclose(grown.high - grown.middle, np.sqrt(times) * (fan.high - fan.middle))
    np.testing.assert_allclose(fan.grown(1.0, level=level).low, fan.low)
