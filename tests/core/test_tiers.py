import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from keelmark.core.errors import ShapeError
from keelmark.core.qos import Tier, effective, faults_of, offer
from keelmark.core.qos.tiers import BOUND_BY, is_oversold, shares_of_minimum

NOT = np.nan
STEADY = Tier(name="Neap", min_iops=400, max_iops=1_500)
TOGETHER = Tier(name="Tiles", min_iops=1_000, max_iops=6_000, is_together=True)


@pytest.mark.parametrize(
    ("told", "field"),
    [
        ({"min_iops": 400, "max_iops": 300}, "min_iops"),
        ({"min_iops": -1, "max_iops": 300}, "min_iops"),
        ({"min_iops": 0, "max_iops": 0}, "max_iops"),
        ({"min_iops": 0, "max_iops": 10, "burst": 0.5}, "burst"),
        ({"min_iops": 0, "max_iops": 10, "burst": 11.0}, "burst"),
        ({"min_iops": 0, "max_iops": 10, "max_bytes_per_second": 0}, "max_bytes_per_second"),
        ({"min_iops": 0, "max_iops": 10, "latency_ms": 0.0}, "latency_ms"),
        ({"min_iops": 10, "max_iops": 10, "burst": 1.0, "latency_ms": 2.0}, None),
    ],
)
def test_what_is_wrong_with_a_tier_is_told_with_its_field(told, field):
    found = [one.field for one in faults_of(Tier(name="a", **told))]
    assert found == ([field] if field else [])


@given(st.lists(st.tuples(st.integers(-1, 1), st.integers(-1, 3)), max_size=30))
def test_sums_equal_their_parts(disks):
    tier = np.array([one for one, _ in disks], dtype=np.int64)
    place = np.array([one for _, one in disks], dtype=np.int64)
    told = offer([STEADY, TOGETHER], tier=tier, place=place, n_places=4)
    for at in range(4):
        each = sum(one == (0, at) for one in disks)
        shared = (1, at) in disks
        assert told.min_iops[at] == 400 * each + 1_000 * shared
        assert told.max_iops[at] == 1_500 * each + 6_000 * shared
        assert told.n_disks[at] == sum(t >= 0 and p == at for t, p in disks)


def test_without_tiers_nothing_must_be_offered():
    told = offer([], tier=np.array([-1, -1]), place=np.array([0, 1]), n_places=2)
    assert not told.max_iops.any()
    assert not told.n_disks.any()
    with pytest.raises(ShapeError):
        offer([], tier=np.array([-1]), place=np.array([0, 1]), n_places=2)


@given(
    arrays(np.float64, (8,), elements=st.one_of(st.just(NOT), st.floats(0, 1e4))),
    arrays(np.int64, (8,), elements=st.integers(-1, 2)),
    arrays(np.float64, (3,), elements=st.one_of(st.just(NOT), st.floats(0, 2e4))),
)
def test_a_minimum_is_split_in_proportion_and_never_raised(wanted, place, configured):
    told = shares_of_minimum(wanted, place=place, configured=configured)
    plain = np.nan_to_num(wanted)
    assert (told <= plain * (1 + 1e-9)).all()
    for at in range(3):
        mine = place == at
        if np.isnan(configured[at]):
            assert np.array_equal(told[mine], plain[mine])
        else:
            total = min(configured[at], plain[mine].sum())
            assert told[mine].sum() == pytest.approx(total, rel=1e-9, abs=1e-9)


def test_the_least_amounts_that_there_are_do_no_harm():
    told = shares_of_minimum(np.array([5e-324]), place=np.array([0]), configured=np.array([2e4]))
    assert told.tolist() == [5e-324]


@pytest.mark.parametrize(
    ("limits", "least", "by"),
    [
        ((300, 400, 900, NOT), 300, "tier"),
        ((300, 200, 900, NOT), 200, "disk"),
        ((NOT, NOT, 900, 500), 500, "pool"),
        ((300, 300, 300, 300), 300, "tier"),
        ((NOT, NOT, NOT, NOT), NOT, "none"),
    ],
)
def test_the_least_limit_bears(limits, least, by):
    told, which = effective([np.array([one], dtype=np.float64) for one in limits])
    assert np.array_equal(told, [least], equal_nan=True)
    assert BOUND_BY[which[0]] == by


def test_minimums_above_what_is_sustained_are_oversold():
    told = is_oversold(np.array([10.0, 10.0, 10.0]), sustains=np.array([9.0, 10.0, NOT]))
    assert told.tolist() == [True, False, False]
