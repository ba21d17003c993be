import numpy as np
import pytest

from keelmark.core.forecast.passage import first_passage_days


def passage(distance, per_day, wander, drift, horizon_days=2000):
    return first_passage_days(
        np.array([distance]),
        per_day=np.array([per_day]),
        wander_variance=np.array([wander]),
        drift_variance=np.array([drift]),
        horizon_days=horizon_days,
    ).days[:, 0]


def test_without_wander_it_is_distance_over_pace():
    assert passage(50.0, 0.5, 0.0, 0.0) == pytest.approx([100, 100, 100], rel=0.02)


def test_quantiles_agree_with_a_plain_simulation():
    rng = np.random.default_rng(5)
    n_paths, n_days, substeps = 4000, 400, 8
    pace = 0.3 + rng.normal(0, 0.08, n_paths)
    steps = rng.normal(0, 0.8 / np.sqrt(substeps), (n_paths, n_days * substeps))
    level = np.cumsum(steps + pace[:, None] / substeps, axis=1)
    reached = level >= 30
    day = np.where(reached.any(axis=1), (reached.argmax(axis=1) + 1) / substeps, np.inf)
    wanted = np.quantile(day, (0.1, 0.5, 0.9))
    assert passage(30.0, 0.3, 0.64, 0.0064) == pytest.approx(wanted, rel=0.06)


def test_a_receding_level_does_not_arrive():
    assert np.isinf(passage(50.0, -0.5, 0.01, 0.0)).all()


def test_nothing_arrives_beyond_the_horizon():
    assert np.isinf(passage(50.0, 0.5, 0.0, 0.0, horizon_days=90)).all()


def test_the_chance_within_the_horizon_is_that_of_a_plain_simulation():
    rng = np.random.default_rng(6)
    level = np.cumsum(rng.normal(0.05, 0.5, (6000, 200 * 4)) / np.array(2.0), axis=1)
    # four sub-steps a day: mean 0.1 and variance 0.25 a day
    wanted = (level >= 30).any(axis=1).mean()
    told = first_passage_days(
        np.array([30.0]), per_day=np.array([0.1]), wander_variance=np.array([0.25]),
        drift_variance=np.array([0.0]), horizon_days=200,
    )  # fmt: skip
    assert told.chance_within[0] == pytest.approx(wanted, abs=0.03)


def test_a_mark_that_does_not_move_is_the_same_looked_at_day_by_day():
    law = {
        "per_day": np.array([0.3]), "wander_variance": np.array([0.3]),
        "drift_variance": np.array([0.003]),
    }  # fmt: skip
    still = first_passage_days(np.array([30.0]), horizon_days=300, **law)
    daily = first_passage_days(np.full((1, 300), 30.0), horizon_days=300, **law)
    assert np.abs(still.days - daily.days).max() <= 1
    assert daily.chance_within == pytest.approx(still.chance_within)


def test_a_step_on_a_known_day_is_when_it_arrives():
    distance = np.full((1, 300), 30.0)
    distance[0, 40:] = -1.0  # on day 41 the mark is passed whatever happens
    told = first_passage_days(
        distance, per_day=np.array([0.0]), wander_variance=np.array([1e-4]),
        drift_variance=np.array([0.0]), horizon_days=300,
    )  # fmt: skip
    assert told.days[:, 0].tolist() == [41.0, 41.0, 41.0]
