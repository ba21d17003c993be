"""One workload asked about: margins as the hurdles have them, how many fit, and no date moved."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.placement.answer import answer, runways_with
from keelmark.core.placement.ground import SpaceColumns
from keelmark.core.placement.hurdles import Check, hurdles_of
from keelmark.core.placement.ranking import Weights, groups_of
from keelmark.core.placement.workloads import KEPT_APART, Apart, DiskAsked
from keelmark.core.units import GIB, TIB
from tests.core.grounds import HORIZON, drawn_workload, ground_of, workload_of
from tests.core.outlooks import make_outlook

seeds = st.integers(0, 10_000)


def told(seed, *, apart=Apart.ANYHOW, **facts):
    workload = replace(drawn_workload(seed), apart=apart, **facts)
    ground = ground_of(seed)
    return ground, workload, answer(ground, workload, weights=Weights(), horizon_days=HORIZON)


@given(seed=seeds)
def test_places_that_take_all_of_it_come_first_and_every_test_is_told(seed):
    ground, workload, found = told(seed)
    whole = hurdles_of(ground, [replace(workload, apart=Apart.TOGETHER)], horizon_days=HORIZON)
    clears = whole.clears()[0]
    ranks = [one.rank for one in found.candidates]
    n = int(clears.sum())
    assert ranks == [*range(1, n + 1), *[None] * (len(clears) - n)]
    for one in found.candidates:
        assert (one.rank is not None) == bool(clears[one.place])
        assert (one.rank is not None) == all(margin.is_cleared for margin in one.margins)
        assert len({margin.check for margin in one.margins}) == len(one.margins)
    missed = [sum(not m.is_cleared for m in one.margins) for one in found.candidates[n:]]
    assert missed == sorted(missed)


@given(seed=seeds, apart=st.sampled_from(KEPT_APART), n_vms=st.integers(1, 8))
def test_kept_apart_a_place_is_asked_for_one_and_no_two_lie_together(seed, apart, n_vms):
    ground, workload, found = told(seed, apart=apart, n_vms=n_vms)
    one = answer(
        ground, replace(workload, n_vms=1, apart=Apart.TOGETHER), weights=Weights(),
        horizon_days=HORIZON,
    )  # fmt: skip
    assert [(a.place, a.rank, a.margins) for a in found.candidates] == [
        (b.place, b.rank, b.margins) for b in one.candidates
    ]
    assert all(a.n_fit <= 1 for a in found.candidates)
    placed = found.spread.placed
    groups = groups_of(ground)[KEPT_APART.index(apart)][placed.place]
    assert placed.n_units.tolist() == [1] * len(set(groups.tolist()))


@given(seed=seeds, apart=st.sampled_from(Apart))
def test_what_goes_over_several_places_is_never_more_than_fits_in_all(seed, apart):
    _, workload, found = told(seed, apart=apart)
    n_placed = int(found.spread.placed.n_units.sum())
    assert n_placed <= min(workload.n_vms, found.n_fit)
    assert found.n_fit <= sum(one.n_fit for one in found.candidates)
    assert found.n_fit >= max((one.n_fit for one in found.candidates), default=0)


@given(seed=seeds)
def test_one_more_than_fits_does_not_fit_whole(seed):
    ground, workload, found = told(seed)
    one = max(found.candidates, key=lambda told: told.n_fit)
    if not 1 <= one.n_fit < 5_000:
        return
    for n, is_taken in ((one.n_fit, True), (one.n_fit + 1, False)):
        asked = answer(ground, replace(workload, n_vms=n), weights=Weights(), horizon_days=HORIZON)
        again = next(told for told in asked.candidates if told.place == one.place)
        assert (again.rank is not None) == is_taken


@given(growth=st.floats(0, 0.2), age=st.integers(0, 9), used=st.integers(1, 95))
def test_a_workload_of_nothing_moves_no_date(growth, age, used):
    ground = ground_of(3, n_pools=1)
    n_bytes = np.array([used * TIB], dtype=np.int64)
    pools = replace(
        ground.pools, used_bytes=n_bytes, limit_bytes=np.array([90 * TIB]),
        age_days=np.array([age]),
        outlook=make_outlook(n_bytes.astype(np.float64), growth=growth * TIB, spread=0.1 * TIB),
    )  # fmt: skip
    nothing = workload_of(disks=(DiskAsked(size_bytes=TIB, written_percent=0),))
    before, after = runways_with(
        replace(ground, pools=pools), nothing, pools=np.array([0]), horizon_days=HORIZON
    )
    np.testing.assert_array_equal(before.early_days, after.early_days)
    np.testing.assert_array_equal(before.likely_days, after.likely_days)
    if used >= 90:
        assert before.early_days[0] == 0
    elif age == 0:  # else it may have come there since it was read
        assert before.early_days[0] > 0


def test_what_a_plan_brings_is_taken_and_what_it_makes_room_for_is_given():
    plain = ground_of(7)
    by = {}
    for planned in (0.0, 5.0 * TIB, -5.0 * TIB):
        pools = replace(plain.pools, planned_bytes=planned)
        by[planned] = replace(plain, pools=pools, worked={}).space_left(
            "pool", until_day=90, horizon_days=HORIZON
        )
    np.testing.assert_array_equal(by[5.0 * TIB], by[0.0] - 5 * TIB)
    np.testing.assert_array_equal(by[-5.0 * TIB], by[0.0] + 5 * TIB)


def test_a_datastore_is_bound_by_itself_and_promises_no_more_of_its_pool():
    plain = ground_of(11)
    n = len(plain.pool)
    used = np.array([TIB], dtype=np.int64)
    stores = SpaceColumns(
        used_bytes=used, reserved_bytes=np.array([0]), limit_bytes=np.array([3 * TIB]),
        is_read=np.array([True]), age_days=np.array([0]),
        outlook=make_outlook(used.astype(np.float64), growth=0.0),
    )  # fmt: skip
    ground = replace(plain, store=np.where(np.arange(n) == 0, 0, -1), stores=stores)
    asked = workload_of(n_vms=1, disks=(DiskAsked(size_bytes=100 * GIB),))
    found = answer(ground, asked, weights=Weights(), horizon_days=HORIZON)
    one = next(told for told in found.candidates if told.place == 0)
    by_check = {margin.check: margin for margin in one.margins}
    assert by_check[Check.DATASTORE].amount == pytest.approx(2 * TIB - 100 * GIB, rel=0.01)
    assert not by_check[Check.OVERCOMMIT].is_asked
    assert one.n_fit <= 20


@given(
    n_vms=st.integers(1, 40), used=st.integers(0, 4), limit_percent=st.sampled_from([70, 85, 100]),
    room=st.integers(0, 12), is_read=st.booleans(),
)  # fmt: skip
def test_a_datastore_that_is_short_takes_it_extended_where_its_pool_may_promise_that(
    n_vms, used, limit_percent, room, is_read
):
    plain = ground_of(11)
    used_bytes = np.array([used * TIB], dtype=np.int64)
    stores = SpaceColumns(
        used_bytes=used_bytes, reserved_bytes=np.array([0]), is_read=np.array([is_read]),
        limit_bytes=np.array([5 * TIB * limit_percent // 100]), age_days=np.array([0]),
        outlook=make_outlook(used_bytes.astype(np.float64), growth=0.0),
        limit_percent=np.array([limit_percent]),
    )  # fmt: skip
    pools = plain.pools
    promised = pools.usable_bytes * pools.overcommit_limit_percent // 100 - room * TIB
    ground = replace(
        plain, store=np.where(np.arange(len(plain.pool)) == 0, 0, -1), stores=stores,
        pools=replace(pools, promised_bytes=promised),
    )  # fmt: skip
    asked = workload_of(n_vms=n_vms, disks=(DiskAsked(size_bytes=200 * GIB),))
    found = answer(ground, asked, weights=Weights(), horizon_days=HORIZON)
    one = next(told for told in found.candidates if told.place == 0)
    by_check = {margin.check: margin for margin in one.margins}
    if not one.extends_bytes:
        if one.rank is not None:  # as it is
            assert by_check[Check.DATASTORE].amount >= 0
        return
    assert is_read
    assert one.rank is not None
    most = GIB * limit_percent / 100 + 50 * TIB / 4_000
    assert 0 <= by_check[Check.DATASTORE].amount < most
    assert by_check[Check.OVERCOMMIT].amount == room * TIB - one.extends_bytes
    # Extended before by as much, it takes all of it as it is.
    grown = replace(
        stores, limit_bytes=stores.limit_bytes + one.extends_bytes * limit_percent // 100
    )
    again = answer(
        replace(ground, stores=grown, worked={}), asked, weights=Weights(), horizon_days=HORIZON
    )
    then = next(told for told in again.candidates if told.place == 0)
    assert (then.rank is not None, then.extends_bytes) == (True, 0)
