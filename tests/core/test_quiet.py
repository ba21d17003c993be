"""When a week is quietest, beside a plain loop."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from keelmark.core.errors import RangeError
from keelmark.core.performance.quiet import HOURS_A_WEEK, quietest

weeks = st.integers(HOURS_A_WEEK, 400).flatmap(
    lambda n: arrays(np.float64, n, elements=st.floats(0, 1e6))
)


@given(weeks, st.integers(1, 24))
def test_no_other_hours_in_a_row_are_quieter(done, n_hours):
    told = quietest(done, n_hours=n_hours)
    hours = [np.mean(done[at::HOURS_A_WEEK]) for at in range(HOURS_A_WEEK)]
    means = [
        np.mean([hours[(at + more) % HOURS_A_WEEK] for more in range(n_hours)])
        for at in range(HOURS_A_WEEK)
    ]
    assert told.mean == pytest.approx(min(means), abs=1e-6)
    assert means[told.begins_at] == pytest.approx(min(means), abs=1e-6)
    assert told.mean <= told.usual + 1e-6


@given(weeks, st.integers(0, HOURS_A_WEEK - 1), st.integers(1, 8))
def test_the_same_week_begun_later_is_quiet_at_the_same_hours(done, later, n_hours):
    week = done[:HOURS_A_WEEK]
    first, second = (
        quietest(week, n_hours=n_hours),
        quietest(np.roll(week, -later), n_hours=n_hours),
    )
    assert second.mean == pytest.approx(first.mean, abs=1e-6)


def test_an_hour_that_was_never_read_is_not_quiet():
    done = np.ones(2 * HOURS_A_WEEK)
    done[5] = np.nan
    assert quietest(done, n_hours=4) is not None  # the week after tells
    done[5 + HOURS_A_WEEK] = np.nan
    assert quietest(done, n_hours=4) is None
    assert quietest(np.zeros(0), n_hours=4) is None
    assert quietest(np.ones(HOURS_A_WEEK - 1), n_hours=4) is None


@pytest.mark.parametrize("n_hours", [0, HOURS_A_WEEK + 1])
def test_a_week_has_so_many_hours(n_hours):
    with pytest.raises(RangeError):
        quietest(np.ones(HOURS_A_WEEK), n_hours=n_hours)
