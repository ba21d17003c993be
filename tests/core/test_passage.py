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
    )[:, 0]


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
