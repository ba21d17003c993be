"""The least that keeps every limit: held against all ways tried, and never below its bound."""

from itertools import product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from keelmark.core.errors import RangeError
from keelmark.core.scenario import least
from keelmark.core.scenario.least import Least, Wanting, least_that_keeps
from keelmark.core.scenario.standing import MOST_GROWTH, growth_that_is_stood
from keelmark.core.units import TIB
from tests.core.outlooks import make_outlook


def wanting(seed: int, *, times: int = 1, crowd: int = 1) -> Wanting:
    """Two groups of pools, some short; a few volumes on those that are, or so many times more."""
    rng = np.random.default_rng(seed)
    n_pools, n_volumes = int(rng.integers(1, 5)) * times, int(rng.integers(0, 5)) * times * crowd
    left = rng.integers(-30, 40, n_pools).astype(np.float64) * TIB
    left[rng.random(n_pools) < 0.1] = np.nan
    return Wanting(
        left_bytes=left, group=rng.integers(0, 2, n_pools),
        limit_percent=rng.choice([80, 90], n_pools),
        volume_pool=rng.integers(0, n_pools, n_volumes),
        volume_bytes=rng.integers(0, 30, n_volumes).astype(np.float64) * TIB / crowd,
    )  # fmt: skip


def added_and_moved(told: Wanting, goes: tuple[int, ...]) -> tuple[float, float] | None:
    """What must be added and is moved where each volume goes to a pool, −1 stays; None: not so."""
    left = np.where(np.isnan(told.left_bytes), 0.0, told.left_bytes)
    moved = 0.0
    for volume, to in enumerate(goes):
        pool, size = int(told.volume_pool[volume]), told.volume_bytes[volume]
        if to < 0:
            continue
        if told.group[to] != told.group[pool] or told.left_bytes[pool] >= 0:
            return None
        left[pool] += size
        left[to] -= size
        moved += size
        if not told.left_bytes[to] > 0 or left[to] < 0:
            return None
    wants = np.maximum(-left, 0.0) / (told.limit_percent / 100)
    return float(wants.sum()), moved


@settings(max_examples=200)
@given(seed=st.integers(0, 100_000))
def test_no_way_adds_less_and_of_those_that_add_as_little_none_moves_less(seed):
    told = wanting(seed)
    found = least_that_keeps(told)
    n_pools, n_volumes = len(told.left_bytes), len(told.volume_bytes)
    ways = [
        one
        for goes in product(range(-1, n_pools), repeat=n_volumes)
        if (one := added_and_moved(told, goes)) is not None
    ]
    least = min(added for added, _ in ways)
    assert found.is_exact
    assert found.added_bytes.sum() == pytest.approx(least, abs=4)
    fewest = min(moved for added, moved in ways if added <= least + 1)
    assert found.moved_bytes == pytest.approx(fewest, abs=4)
    assert found.bound_bytes <= found.added_bytes.sum() + 4


def left_after(told: Wanting, found: Least) -> NDArray[np.float64]:
    left = told.left_bytes + found.added_bytes * told.limit_percent / 100
    for volume, to in zip(found.volume.tolist(), found.target.tolist(), strict=True):
        assert told.group[to] == told.group[told.volume_pool[volume]]
        left[told.volume_pool[volume]] += told.volume_bytes[volume]
        left[to] -= told.volume_bytes[volume]
    return left


@given(seed=st.integers(0, 3_000), times=st.integers(1, 12), crowd=st.integers(1, 20))
def test_what_is_told_keeps_every_limit(seed, times, crowd):
    told = wanting(seed, times=times, crowd=crowd)
    found = least_that_keeps(told, gap_share=0.01)
    assert np.nanmin(left_after(told, found), initial=0.0) >= -4
    assert len(set(found.volume.tolist())) == len(found.volume)


@given(seed=st.integers(0, 3_000), times=st.integers(4, 20))
def test_where_not_all_ways_are_weighed_limits_hold_and_less_may_be_there(seed, times):
    told = wanting(seed, times=times)
    best = least_that_keeps(told, gap_share=0.01)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(least, "MOST_WAYS", 12)
        patch.setattr(least, "MOST_MOVED", 3)
        found = least_that_keeps(told, gap_share=0.01)
    assert np.nanmin(left_after(told, found), initial=0.0) >= -4
    assert found.bound_bytes == best.bound_bytes
    assert found.added_bytes.sum() >= best.bound_bytes - 4
    if found.is_exact:
        assert found.added_bytes.sum() == pytest.approx(best.added_bytes.sum(), abs=4)
        assert found.moved_bytes <= best.moved_bytes + 4


@given(growth=st.floats(0.01, 0.4), until=st.integers(30, 300), limit=st.integers(12, 400))
def test_growth_may_exceed_its_forecast_until_a_limit_is_reached(growth, until, limit):
    of = make_outlook(np.array([10.0 * TIB]), growth=growth * TIB)
    told = growth_that_is_stood(
        of, mark_bytes=np.array([limit * TIB]), planned_bytes=np.zeros((1, 400)),
        until_days=np.array([until]),
    )  # fmt: skip
    by_hand = (limit - 10) / (growth * until)
    assert (told.first == 0) == (told.times < MOST_GROWTH)
    if told.times == 0.0:
        assert by_hand <= 1.02
    elif told.times == MOST_GROWTH:
        assert by_hand >= MOST_GROWTH * 0.98
    else:
        assert told.times == pytest.approx(by_hand, rel=0.05)


def test_a_day_beyond_what_is_planned_is_refused():
    with pytest.raises(RangeError):
        growth_that_is_stood(
            make_outlook(np.array([1.0]), growth=0.0), mark_bytes=np.array([9]),
            planned_bytes=np.zeros((1, 5)), until_days=np.array([6]),
        )  # fmt: skip
