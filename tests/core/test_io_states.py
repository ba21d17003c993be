import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import ShapeError
from keelmark.core.performance import PARTS
from keelmark.core.qos import STATE_STEPS, IoState, io_states, io_states_at

NOT = np.nan


def disk(iops, *, qos=(0, 0, 0), queue=(0, 0, 0)):
    steps = np.full((1, len(PARTS), STATE_STEPS), np.nan)
    steps[0, 0], steps[0, 1] = iops, np.where(np.isnan(iops), np.nan, 0)
    steps[0, PARTS.index("qos_latency_ms")] = qos
    steps[0, PARTS.index("queue_latency_ms")] = queue
    return steps


def state(steps, *, least=NOT, most=NOT, is_tiered=True):
    codes = io_states(
        steps, min_iops=np.array([least]), max_iops=np.array([most]),
        is_tiered=np.array([is_tiered]),
    )  # fmt: skip
    return list(IoState)[codes[0]]


@pytest.mark.parametrize(
    ("steps", "bounds", "wanted"),
    [
        (disk([100, 100, 100]), {"most": 300}, "within"),
        (disk([291, 291, 100]), {"most": 300}, "held"),
        (disk([290, 290, 290]), {"most": 300}, "within"),
        (disk([100, 100, 100], qos=(0, 4, 4)), {"most": 300}, "held"),
        (disk([100, 100, 100], qos=(0, 0, 4)), {"most": 300}, "within"),
        (disk([10, 10, 10], queue=(100, 100, 100)), {"least": 50}, "starved"),
        (disk([10, 10, 10], queue=(99, 99, 100)), {"least": 50}, "within"),
        (disk([50, 50, 50], queue=(100, 100, 100)), {"least": 50}, "within"),
        (disk([10, 10, 10], qos=(4, 4, 4), queue=(100, 100, 100)), {"least": 50}, "starved"),
        (disk([100, 100, 100]), {"is_tiered": False}, "untiered"),
        (disk([100, 100, 100], qos=(4, 4, 4)), {"is_tiered": False}, "held"),
        (disk([NOT, NOT, NOT]), {"most": 300}, "unread"),
        (disk([NOT, NOT, 299]), {"most": 300}, "within"),
        (disk([NOT, 299, 299]), {"most": 300}, "held"),
        (disk([100, 100, 100], qos=(NOT, NOT, NOT)), {}, "within"),
    ],
)
def test_how_a_disk_stands(steps, bounds, wanted):
    assert state(steps, **bounds) == wanted


@given(
    st.lists(st.floats(0, 1e5), min_size=3, max_size=3), st.floats(1, 1e5), st.floats(1, 10),
)  # fmt: skip
def test_a_higher_maximum_never_holds_more(iops, most, factor):
    if state(disk(iops), most=most * factor) == "held":
        assert state(disk(iops), most=most) == "held"


@given(st.integers(0, 8))
def test_disks_are_judged_each_for_itself(n):
    steps = np.concatenate([disk([100 * at] * 3) for at in range(n + 1)])
    bounds = np.full(n + 1, 300.0)
    many = io_states(
        steps, min_iops=bounds * np.nan, max_iops=bounds, is_tiered=np.ones(n + 1, bool)
    )
    assert [list(IoState)[code] for code in many] == [state(one[None], most=300) for one in steps]


def test_steps_of_another_number_are_refused():
    with pytest.raises(ShapeError):
        io_states(
            np.zeros((1, len(PARTS), 2)), min_iops=np.zeros(1), max_iops=np.zeros(1),
            is_tiered=np.ones(1, bool),
        )  # fmt: skip


def at_limits(steps, asked, *, least=NOT, most=NOT, is_tiered=True):
    codes = io_states_at(
        steps, np.array([asked], dtype=np.float64), min_iops=np.array([least]),
        max_iops=np.array([most]), is_tiered=np.array([is_tiered]),
    )  # fmt: skip
    return list(IoState)[codes[0]]


@pytest.mark.parametrize(
    ("steps", "asked", "bounds", "wanted"),
    [
        (disk([300, 300, 300], qos=(4, 4, 4)), [500, 500, 500], {"most": 1500}, "within"),
        (disk([300, 300, 300], qos=(4, 4, 4)), [500, 500, 500], {"most": 400}, "held"),
        (disk([100, 100, 100]), [100, 100, 20], {"most": 100}, "held"),
        (disk([100, 100, 100]), [100, 20, 20], {"most": 100}, "within"),
        (disk([10, 10, 10], queue=(100, 100, 100)), [11, 11, 11], {"least": 50}, "starved"),
        (disk([10, 10, 10], queue=(100, 100, 100)), [11, 11, 11], {"least": 50, "most": 5},
         "starved"),
        (disk([NOT, NOT, NOT]), [0, 0, 0], {"most": 1}, "unread"),
        (disk([90, 90, 90]), [90, 90, 90], {"is_tiered": False}, "untiered"),
    ],
    ids=["raised", "raised too little", "lowered", "once", "waits for others", "starved first",
         "unread", "of none"],
)  # fmt: skip
def test_how_a_disk_would_stand_at_other_limits(steps, asked, bounds, wanted):
    assert at_limits(steps, asked, **bounds) == wanted


@given(
    st.lists(st.floats(0, 1e5), min_size=3, max_size=3), st.floats(1, 1e5), st.floats(0, 1e4),
)  # fmt: skip
def test_at_the_limits_that_are_nothing_stands_otherwise(iops, most, least):
    steps = disk(iops)  # nothing waits, so what was done was asked for
    plain = state(steps, least=least, most=most)
    assert at_limits(steps, iops, least=least, most=most) == plain


def test_what_was_asked_for_is_of_the_same_steps():
    with pytest.raises(ShapeError):
        at_limits(disk([1, 1, 1]), [1, 1])
