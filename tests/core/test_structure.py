import numpy as np
import pytest

from keelmark.core.forecast.structure import pace_changes

N_DAYS = 400
DAY = np.arange(N_DAYS)
RNG = np.random.default_rng(11)
BEGIN = RNG.bit_generator.state


@pytest.fixture(autouse=True)
def _same_draws() -> None:
    """Whatever ran before in this process, a test draws the same."""
    RNG.bit_generator.state = BEGIN


def found(level: np.ndarray):
    return pace_changes(level, first_column=np.zeros(len(level), dtype=np.int64))


def noise(n_series: int, size: float) -> np.ndarray:
    shocks: np.ndarray = RNG.normal(0, size, (n_series, N_DAYS))
    for day in range(1, N_DAYS):
        shocks[:, day] += 0.4 * shocks[:, day - 1]
    return shocks


@pytest.mark.parametrize(
    "level",
    [
        0.4 + 0.001 * DAY + noise(2000, 0.003),
        0.4 + np.cumsum(RNG.normal(0.001, 0.003, (2000, N_DAYS)), axis=1),
        0.4 + np.cumsum(0.001 + 0.002 * RNG.standard_t(4, (2000, N_DAYS)), axis=1),
    ],
    ids=["noise-about-a-line", "random-walk", "heavy-tails"],
)
def test_a_pace_that_never_changed_is_told_of_in_fewer_than_two_of_a_hundred(level):
    assert (found(level).newest_column >= 0).mean() < 0.02


@pytest.mark.parametrize("day", [60, 200, 340])
@pytest.mark.parametrize("after", [0.0, 0.002])
def test_a_change_is_found_near_its_day_with_both_paces(day, after):
    pace = np.where(day > DAY, 0.0005, after)
    changes = found(0.4 + np.cumsum(pace) + noise(300, 0.001))
    is_found = changes.newest_column >= 0
    assert is_found.mean() > 0.9
    assert np.median(np.abs(changes.newest_column[is_found] - day)) <= 6
    assert np.median(changes.before[is_found, 0]) == pytest.approx(0.0005, rel=0.2)
    assert np.median(changes.after[is_found, 0]) == pytest.approx(after, abs=2e-4)


def test_the_newest_of_two_changes_comes_first():
    pace = np.select([DAY < 120, DAY < 280], [0.0005, 0.003], 0.0002)
    changes = found(0.4 + np.cumsum(pace) + noise(100, 0.001))
    both = (changes.column[:, 1] >= 0).mean()
    assert both > 0.9
    assert np.median(changes.column[:, 0]) == pytest.approx(280, abs=6)
    assert np.median(changes.column[:, 1]) == pytest.approx(120, abs=8)


def test_a_young_series_is_not_judged():
    level = np.full((1, N_DAYS), np.nan)
    level[0, -30:] = np.where(np.arange(30) < 15, 1.0, 2.0)
    changes = pace_changes(level, first_column=np.array([N_DAYS - 30]))
    assert changes.newest_column[0] == -1
