import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import ShapeError
from keelmark.core.rates import STEP_US, first_samples, rates

SECOND = 1_000_000


def samples(*pairs):
    """Feed (second, value) one after the other; return the told steps as {second: rate}."""
    told = {}
    state = None
    n_resets = 0
    for second, value in pairs:
        at_us = np.array([second * SECOND])
        counted = np.array([float(value)])
        if state is None:
            state = first_samples(at_us=at_us, value=counted)
            continue
        made = rates(state, at_us=at_us, value=counted)
        told |= dict(zip((made.at_us // SECOND).tolist(), made.per_second.tolist(), strict=True))
        state = made.after
        n_resets += made.n_resets
    return told, n_resets


def test_an_even_counter_gives_its_rate_in_every_whole_step():
    told, _ = samples(*[(s, 7 * s) for s in range(0, 1500, 60)])
    assert told == pytest.approx({0: 7, 300: 7, 600: 7, 900: 7})


def test_a_step_that_was_not_seen_from_its_beginning_is_not_told():
    told, _ = samples((100, 0), (400, 300), (700, 600))
    assert told == pytest.approx({300: 1})


def test_bytes_are_kept_whatever_the_rhythm_of_samples():
    told, _ = samples((0, 0), (250, 500), (320, 900), (610, 900), (905, 1200))
    assert sum(told.values()) * 300 == pytest.approx(900 + 300 * 290 / 295)


def test_a_reset_leaves_out_the_steps_it_touches_and_nothing_more():
    told, n_resets = samples((0, 0), (300, 300), (450, 10), (600, 160), (900, 460), (1200, 760))
    assert n_resets == 1
    assert told == pytest.approx({0: 1, 600: 1, 900: 1})


def test_a_long_silence_stays_a_gap():
    told, _ = samples((0, 0), (300, 300), (3000, 3000), (3300, 3300))
    assert told == pytest.approx({0: 1, 3000: 1})


def test_an_old_or_repeated_sample_changes_nothing():
    plain, _ = samples((0, 0), (300, 300), (600, 600))
    twice, _ = samples((0, 0), (300, 300), (300, 300), (200, 9), (600, 600))
    assert plain == twice


@given(st.lists(st.integers(1, 400), min_size=2, max_size=30), st.integers(1, 50))
def test_rates_add_up_to_what_was_counted_between_boundaries(gaps, per_second):
    seconds = np.cumsum([0, *gaps]).tolist()
    told, _ = samples(*[(s, per_second * s) for s in seconds])
    assert all(rate == pytest.approx(per_second) for rate in told.values())
    assert list(told) == list(range(0, seconds[-1] // 300 * 300, 300))


def test_series_do_not_touch_each_other():
    state = first_samples(at_us=np.array([0, 0]), value=np.array([0.0, 50.0]))
    made = rates(state, at_us=np.array([STEP_US, STEP_US]), value=np.array([300.0, 1.0]))
    assert (made.series.tolist(), made.per_second.tolist()) == ([0], [1.0])


def test_columns_of_unequal_length_are_refused():
    state = first_samples(at_us=np.array([0]), value=np.array([0.0]))
    with pytest.raises(ShapeError, match="value"):
        rates(state, at_us=np.array([1]), value=np.array([1.0, 2.0]))
