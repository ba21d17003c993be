"""What was learnt: the shipped file says what it said, and training can make another."""

import json
from pathlib import Path

import numpy as np
import pytest

from bench.forecast.train import train
from keelmark.core.errors import ShapeError
from keelmark.core.forecast import forecast
from keelmark.core.forecast.inputs import N_INPUTS, NAMES
from keelmark.core.forecast.learnt import corrected, learnt, read_learnt
from keelmark.core.forecast.mix import KNOTS_DAYS
from keelmark.core.units import TIB

ANSWERS = Path(__file__).with_name("learnt_answers.json")
DAYS = np.arange(400)


def histories() -> dict[str, np.ndarray]:
    rng = np.random.default_rng(12)
    steps = rng.normal(0, 0.05, 400)
    return {
        "steady": 10 + 0.02 * DAYS + steps,
        "migrated": 10 + 0.005 * DAYS + 6 * (DAYS >= 340) + steps,
        "cleaned up": 10 + 0.04 * (DAYS % 90) + 0.002 * DAYS + steps,
        "batches": 10 + 1.2 * (DAYS // 35) + steps,
        "walk": 20 + np.cumsum(3 * steps),
        "year": 20 + 2 * np.sin(2 * np.pi * DAYS / 365.25) + steps,
    }


def told() -> dict[str, list[list[float]]]:
    used = np.array(list(histories().values())) * TIB
    fan = forecast(used, first_day=20_000).fan.on(np.array([7, 30, 90, 365]))
    return {
        name: (np.round(row / TIB, 4)).tolist() for name, row in zip(histories(), fan, strict=True)
    }


def test_the_shipped_file_answers_as_it_did():
    stored = json.loads(ANSWERS.read_text())
    for name, fan in told().items():
        np.testing.assert_allclose(fan, stored[name], atol=2e-3, err_msg=name)


def test_a_tiny_one_is_learnt_and_forecasts(tmp_path):
    path = tmp_path / "learnt.npz"
    train(path, n_thousands=2, n_epochs=1, n_histories=60)
    tiny = read_learnt(path.read_bytes())
    used = np.array(list(histories().values())) * TIB
    fan = forecast(used, by=tiny).fan
    assert np.isfinite(fan.high).all()
    assert (fan.low <= fan.middle).all()
    assert (fan.middle <= fan.high).all()
    # and on what it never saw it keeps what it scored
    with np.load(path) as kept:
        assert kept["loss"].shape == (len(KNOTS_DAYS),)
        assert int(kept["n_histories"]) > 50


def test_what_was_learnt_from_other_inputs_is_refused(tmp_path):
    path = tmp_path / "other.npz"
    np.savez(path, middle=np.zeros(7))
    with pytest.raises(ShapeError, match="learnt"):
        read_learnt(path.read_bytes())


def test_a_history_unlike_all_others_gets_the_ways_alone():
    far = np.full((2, len(KNOTS_DAYS), N_INPUTS), 6.0)
    far[0] = learnt().middle
    told = corrected(far, by=learnt())
    assert told.is_unlike.tolist() == [False, True]
    np.testing.assert_array_equal(told.shift[1], 0.0)
    np.testing.assert_allclose(told.up[1], learnt().high)


def test_every_input_has_its_own_name():
    assert len(set(NAMES)) == N_INPUTS
