"""More of what there is: kin by name, family and disks; what they teach is nobody's exception."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import ShapeError
from keelmark.core.placement.kin import Kin, kin_of, learnt, paces, stem_of
from keelmark.core.units import GIB

NAN = np.nan


def kin(size, used, growth=None, busiest=None, least=None):
    size = np.array(size, dtype=float)
    blank = np.full(size.shape, NAN)
    told = [used, growth, busiest, least]
    return Kin(size=size, **dict(zip(
        ("used", "growth", "busiest", "least"),
        [blank if one is None else np.array(one, dtype=float) for one in told], strict=True,
    )))  # fmt: skip


@pytest.mark.parametrize(
    ("name", "stem"),
    [("sonar-2", "sonar-"), ("sonar-d0003", "sonar-d"), ("mail", "mail"), ("42", "42"), ("", "")],
)
def test_a_name_without_its_number(name, stem):
    assert stem_of(name) == stem


def test_kin_bear_its_name_are_of_its_family_and_have_as_many_disks():
    names = ["sonar-1", "sonar-2", "sonar-3", "chart-1", "sonar-4"]
    rows = kin_of(
        "sonar-2", names=names, family=np.array([7, 7, 8, 7, 7]),
        n_disks=np.array([2, 2, 2, 2, 1]), at=1,
    )  # fmt: skip
    assert rows.tolist() == [1, 0]


def test_what_the_kin_teach():
    told = learnt(
        kin(
            [[100 * GIB], [50 * GIB], [200 * GIB]], [[10 * GIB], [20 * GIB], [30 * GIB]],
            growth=[[GIB], [3 * GIB], [-GIB]], busiest=[[100], [200], [1000]],
            least=[[50], [NAN], [900]],
        )
    )  # fmt: skip
    (one,) = told
    assert (one.size_bytes, one.written_percent) == (100 * GIB, 15)
    assert (one.bytes_a_week, one.min_iops, one.busy_iops) == (7 * GIB, 50, 840)
    assert (one.n_used, one.n_growth, one.n_busy) == (3, 3, 3)


def test_where_nobody_knows_it_is_taken_for_full_still_and_idle():
    (one,) = learnt(kin([[GIB]], None))
    assert (one.written_percent, one.bytes_a_week, one.busy_iops, one.min_iops) == (100, 0, 0, 0)
    assert (one.n_used, one.n_growth, one.n_busy) == (0, 0, 0)


AMOUNTS = st.lists(st.floats(1, 1e15), min_size=1, max_size=9)


@given(sizes=AMOUNTS, shares=st.lists(st.floats(0, 3), min_size=9, max_size=9))
def test_what_is_learnt_can_be_asked_for_and_lies_among_the_kin(sizes, shares):
    used = [[size * share] for size, share in zip(sizes, shares, strict=False)]
    (one,) = learnt(kin([[size] for size in sizes], used))
    filled = [100 * share for share in shares[: len(sizes)]]
    assert 0 <= one.written_percent <= 100
    assert min(min(filled), 100) - 1e-6 <= one.written_percent <= min(max(filled) + 1, 100)
    assert one.size_bytes == round(sizes[0])


@given(pace=st.floats(-1e9, 1e9), first=st.floats(1e12, 1e14), n_days=st.integers(6, 90))
def test_a_straight_course_has_its_own_pace(pace, first, n_days):
    days = np.arange(n_days)
    told = paces((first + pace * days)[None])
    assert told[0] == pytest.approx(pace, rel=1e-3, abs=50)


def test_one_odd_day_and_days_unread_move_no_pace():
    days = np.arange(60)
    used = np.tile(1e12 + 1e9 * days, (3, 1))
    used[1, 5] = 9e15
    used[2, ::2] = NAN
    assert paces(used) == pytest.approx([1e9] * 3, rel=0.05)


def test_too_little_read_has_no_pace():
    used = np.full((2, 30), NAN)
    used[0, :12] = 1.0
    assert np.isnan(paces(used)).all()
    assert np.isnan(paces(np.ones((1, 2)))).all()


def test_what_does_not_fit_together_is_refused():
    with pytest.raises(ShapeError, match="used"):
        kin([[1.0, 2.0]], [[1.0]])
