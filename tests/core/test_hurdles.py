"""Tests of a placement: what clears them stays under its limit, what misses them would not."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keelmark.core.errors import RangeError
from keelmark.core.forecast import paths, runway
from keelmark.core.placement.ground import AllottedColumns, early_after, space_left
from keelmark.core.placement.hurdles import Check, hurdles_of
from keelmark.core.placement.ranking import Aim, Weights, left_by, place_together, ranked, scores
from keelmark.core.placement.workloads import MOST_VMS, Apart, DiskAsked, demands_of
from keelmark.core.policy.judging import Policy
from keelmark.core.scenario.moves import Place, move_of
from keelmark.core.units import GIB, TIB
from tests.core.grounds import HORIZON, drawn_workload, ground_of, workload_of

seeds = st.integers(0, 2**32 - 1)
TWICE = Policy(name="Twice-kept", rules=())


def limit(hurdles, test):
    return next(one for one in hurdles.limits if one.name == test)


def gate(hurdles, test):
    return next(one for one in hurdles.gates if one.check is test)


def course(workload, n_days):
    """What all VMs of a workload have written by each day from tomorrow on."""
    return workload.n_units * workload.written_on(np.arange(1, n_days + 1))


@settings(max_examples=25)
@given(seed=seeds, of=seeds)
def test_what_is_accepted_stays_under_the_limit_on_the_bad_case_until_its_last_day(seed, of):
    ground = ground_of(seed)
    workload = replace(drawn_workload(of), apart=Apart.TOGETHER)
    clears = hurdles_of(ground, [workload], horizon_days=HORIZON).clears()[0]
    pools = ground.pools
    for place in np.flatnonzero(clears).tolist():
        pool = int(ground.pool[place])
        age = int(pools.age_days[pool])
        row = slice(pool, pool + 1)
        n_days = workload.last_day + age
        added = np.zeros((1, n_days))
        added[0, age:] = course(workload, workload.last_day)
        outlook = pools.outlook
        one = type(outlook)(
            last_bytes=outlook.last_bytes[row], level_bytes=outlook.level_bytes[row],
            growth_bytes_per_day=outlook.growth_bytes_per_day[row],
            fan=outlook.fan.of_rows(np.array([pool])),
            rhythm=outlook.rhythm.of_rows(np.array([pool])),
            ceiling_bytes=outlook.ceiling_bytes[row], is_judged=outlook.is_judged[row],
        )  # fmt: skip
        way = runway(one, mark_bytes=pools.limit_bytes[row], horizon_days=n_days, added_bytes=added)
        assert way.early_days[0] > n_days
        bad = paths(one, horizon_days=n_days, quantiles=(0.9,))[0, 0] + added[0]
        assert bad.max() < pools.limit_bytes[pool]


@settings(max_examples=25)
@given(seed=seeds)
def test_room_is_what_may_be_added_and_hardly_less(seed):
    pools = ground_of(seed).pools
    left = space_left(pools, until_day=90, horizon_days=HORIZON)
    taken = pools.used_bytes + pools.reserved_bytes

    def early_with(added):
        way = runway(
            pools.outlook, mark_bytes=pools.limit_bytes, horizon_days=HORIZON,
            added_bytes=np.repeat(np.asarray(added)[:, None], HORIZON, axis=1),
        )  # fmt: skip
        return way.early_days - pools.age_days

    known = ~np.isnan(left)
    assert (known == pools.is_read).all()
    some = known & (left > 0)
    told = np.where(some, left, 0)
    assert (early_with(told)[some] > 90).all()
    by_books = pools.limit_bytes - taken
    assert (left[known] <= by_books[known]).all()
    more = np.where(some, left + pools.limit_bytes / 1_500, 0)
    assert ((early_with(more) <= 90) | (left >= by_books - 1))[some].all()


@settings(max_examples=25)
@given(seed=seeds, of=seeds)
def test_a_margin_is_by_how_much_it_is_cleared_or_missed(seed, of):
    ground, workload = ground_of(seed), drawn_workload(of)
    hurdles = hurdles_of(ground, [workload], horizon_days=HORIZON)
    clears, n_fit = hurdles.clears()[0], hurdles.units_that_fit()[0][0]
    assert ((n_fit > 0) == clears).all()
    told = {one.name: hurdles.margins(one)[0] for one in hurdles.limits}
    for place in range(len(ground.pool)):
        is_open = all(one.is_open[0, place] for one in hurdles.gates)
        margins = [one[place] for one in told.values()]
        assert clears[place] == (is_open and all(one >= 0 for one in margins))
    space, n = limit(hurdles, Check.SPACE), workload.vms_a_unit
    on_last = sum(float(disk.written_on(np.array([workload.last_day - workload.first_day]))[0])
                  for disk in workload.disks)  # fmt: skip
    np.testing.assert_allclose(
        told[Check.SPACE], space.room[ground.pool] - n * on_last, equal_nan=True
    )


@settings(max_examples=25)
@given(seed=seeds, of=seeds)
def test_so_many_fit_and_one_more_would_miss_what_stops_it(seed, of):
    ground, workload = ground_of(seed), drawn_workload(of)
    hurdles = hurdles_of(ground, [workload], horizon_days=HORIZON)
    (n_fit,), (stops,) = hurdles.units_that_fit()
    for place in range(len(ground.pool)):
        n = int(n_fit[place])
        left = {
            at: np.append(one.room, np.inf)[one.rows(1, len(ground.pool))[0, place]]
            for at, one in enumerate(hurdles.limits)
            if one.demand[0] > 0
        }
        takes = {at: hurdles.limits[at].demand[0] for at in left}
        assert n == 0 or all(n * takes[at] <= room * (1 + 1e-12) for at, room in left.items())
        by = int(stops[place])
        if by == -1:
            assert n == MOST_VMS or not all(one.is_open[0, place] for one in hurdles.gates)
        else:
            assert not (n + 1) * takes[by] <= left[by]


@given(seed=seeds, of=seeds)
def test_together_takes_what_all_its_parts_take(seed, of):
    workload = drawn_workload(of)
    whole, parts = (
        demands_of([replace(workload, apart=apart)]) for apart in (Apart.TOGETHER, Apart.ANYHOW)
    )
    for name in ("written_bytes", "promised_bytes", "min_iops", "busy_iops", "cpus",
                 "memory_bytes"):  # fmt: skip
        assert getattr(whole, name)[0] == workload.n_vms * getattr(parts, name)[0]
    assert (whole.units[0], parts.units[0]) == (1, workload.n_vms)


@pytest.mark.parametrize(
    ("change", "test"),
    [
        ({"service_class": "Deep"}, Check.CLASS),
        ({"sites": frozenset({"Marram"})}, Check.SITE),
        ({"clusters": frozenset({"kelp"})}, Check.CLUSTER),
        ({"policy": TWICE}, Check.POLICY),
    ],
)
def test_a_gate_is_open_where_a_place_is_what_is_asked(change, test):
    ground = ground_of(5, n_pools=6)
    plain = hurdles_of(ground, [workload_of()], horizon_days=HORIZON)
    asked = hurdles_of(ground, [workload_of(**change)], horizon_days=HORIZON)
    assert gate(plain, test).is_open.all()
    told = gate(asked, test).is_open[0]
    wanted = {
        Check.CLASS: np.array(ground.pools.service_class)[ground.pool] == "Deep",
        Check.SITE: ground.site == 1,
        Check.CLUSTER: ground.cluster == 0,
        Check.POLICY: ground.rejects["Twice-kept"] == 0,
    }[test]
    assert 0 < told.sum() < len(told)
    assert (told == wanted).all()


@pytest.mark.parametrize("name", ["min_iops", "busy_iops", "busy_bytes_per_second"])
def test_what_nobody_tells_is_not_cleared_by_who_asks_for_it(name):
    ground = ground_of(1, n_pools=5)
    unknown = {one: np.full(2, np.nan) for one in ("minimums_left", "iops_left",
                                                   "bytes_per_second_left")}  # fmt: skip
    ground = replace(ground, arrays=replace(ground.arrays, **unknown))
    plain = DiskAsked(size_bytes=GIB)
    asks = replace(plain, **{name: 1})
    told = [
        hurdles_of(ground, [workload_of(disks=(one,))], horizon_days=HORIZON).clears().sum()
        for one in (plain, asks)
    ]
    assert told[0] > 0
    assert told[1] == 0


@settings(max_examples=20)
@given(seed=seeds, of=st.lists(seeds, min_size=1, max_size=4))
def test_all_together_keep_every_limit_and_never_pass_the_bound(seed, of):
    ground = ground_of(seed, n_pools=3)
    workloads = [replace(drawn_workload(one), name=str(at)) for at, one in enumerate(of)]
    hurdles, told = place_together(ground, workloads, weights=Weights(), horizon_days=HORIZON)
    placed = told.placed
    assert placed.worth <= told.bound * (1 + 1e-9)
    assert (hurdles.clears()[placed.workload, placed.place]).all()
    for one in hurdles.limits:
        taken = np.zeros(len(one.room))
        rows = one.rows(len(workloads), len(ground.pool))[placed.workload, placed.place]
        at = rows >= 0
        np.add.at(taken, rows[at], (placed.n_units * one.demand[placed.workload])[at])
        assert (taken[taken > 0] <= one.room[taken > 0] * (1 + 1e-9) + 1e-6).all()


@settings(max_examples=25)
@given(seed=seeds, of=seeds)
def test_a_higher_weight_never_ranks_what_keeps_less_of_it_before(seed, of):
    ground, workload = ground_of(seed), drawn_workload(of)
    hurdles = hurdles_of(ground, [workload], horizon_days=HORIZON)
    left = left_by(ground, hurdles, horizon_days=HORIZON)
    clears = hurdles.clears()
    for name, kept in (("runway", left.early_days), ("balance", left.space_share),
                       ("performance", left.iops_share)):  # fmt: skip
        alone = Weights(**{**dict.fromkeys(Aim, 0), name: 1})
        (order,) = ranked(clears, scores(left, alone, horizon_days=HORIZON))
        told = np.clip(np.nan_to_num(kept[0][order], nan=0.0, posinf=HORIZON), 0, None)
        limit_at = HORIZON if name == "runway" else 1
        assert (np.diff(np.minimum(told, limit_at)) <= 1e-9).all()
        assert set(order.tolist()) == set(np.flatnonzero(clears[0]).tolist())


def test_more_on_a_pool_never_makes_its_date_later():
    pools = ground_of(3, n_pools=5).pools
    told = early_after(pools, horizon_days=HORIZON)
    assert (np.diff(told.early_days, axis=0) <= 0).all()
    more = np.linspace(0, 200 * TIB, 40)[:, None] * np.ones(5)
    assert (np.diff(told.early_after(more), axis=0) <= 0).all()
    assert (told.early_after(more)[-1] == 0).all()


@pytest.mark.parametrize(
    "change",
    [
        {"n_vms": 0}, {"disks": ()}, {"first_day": 0}, {"first_day": 101}, {"n_cpus": -1},
        {"n_vms": 90_000, "disks": (DiskAsked(size_bytes=100 * TIB),)},
    ],
)  # fmt: skip
def test_what_cannot_be_asked_for_is_refused(change):
    with pytest.raises(RangeError):
        workload_of(**change)


@pytest.mark.parametrize("change", [{"size_bytes": 0}, {"written_percent": 101}, {"busy_iops": -1}])
def test_a_disk_that_cannot_be_is_refused(change):
    with pytest.raises(RangeError):
        DiskAsked(**({"size_bytes": GIB} | change))


@pytest.mark.parametrize("change", [{"runway": -1}, {"cost": -1}, dict.fromkeys(Aim, 0)])
def test_weights_by_which_nothing_is_ranked_are_refused(change):
    with pytest.raises(RangeError):
        Weights(**change)


@settings(max_examples=25)
def moved(workload) -> Place:
    """The move that the work is planned as."""
    disks = [{"size_bytes": one.size_bytes, "written_percent": one.written_percent,
              "bytes_a_week": 0} for one in workload.disks]  # fmt: skip
    told = {"name": "w", "n_vms": workload.n_vms, "disks": disks, "to": 1, "cluster": None}
    made = move_of("place", told)
    assert isinstance(made, Place)
    return made


@given(seed=seeds, of=seeds)
def test_a_new_datastore_is_promised_as_large_as_it_is_planned(seed, of):
    ground, workload = ground_of(seed), replace(drawn_workload(of), apart=Apart.TOGETHER)
    told = hurdles_of(ground, [workload], horizon_days=HORIZON)
    assert limit(told, Check.OVERCOMMIT).demand.tolist() == [moved(workload).store_bytes]


@given(seed=seeds, of=seeds, left=st.integers(0, 60))
def test_out_of_an_allotment_is_taken_what_is_left_of_it_and_nothing_else_of_its_pool(
    seed, of, left
):
    plain = ground_of(seed)
    bytes_left = np.where(np.arange(4) == 1, left * TIB, np.nan)
    its = AllottedColumns(bytes_left=bytes_left, iops_left=np.where(bytes_left >= 0, 900, np.nan))
    ground = replace(plain, allotted={"Tide Gauges": its})
    workload = replace(
        drawn_workload(of), tenant="Tide Gauges", is_from_allotment=True, apart=Apart.TOGETHER
    )
    told = hurdles_of(ground, [workload], horizon_days=HORIZON)
    assert gate(told, Check.ALLOTMENT).is_open[0].tolist() == (ground.pool == 1).tolist()
    for test in (Check.SPACE, Check.OVERCOMMIT, Check.MINIMUMS):
        assert limit(told, test).demand.tolist() == [0]
    margins = told.margins(limit(told, Check.ALLOTMENT))[0, ground.pool == 1]
    assert (margins == left * TIB - moved(workload).store_bytes).all()
    iops = workload.n_vms * sum(one.min_iops for one in workload.disks)
    if iops:
        assert (
            told.margins(limit(told, Check.ALLOTTED_IOPS))[0, ground.pool == 1] == 900 - iops
        ).all()
    # Nobody else is asked, and whoever has none goes nowhere.
    other = hurdles_of(ground, [replace(workload, is_from_allotment=False)], horizon_days=HORIZON)
    assert Check.ALLOTMENT not in {one.check for one in other.gates}
    nobody = hurdles_of(plain, [workload], horizon_days=HORIZON)
    assert not nobody.clears().any()


@settings(max_examples=25)
@given(seed=seeds, of=seeds, most=st.integers(0, 90))
def test_no_more_is_promised_than_may_be_missing(seed, of, most):
    ground, workload = ground_of(seed), replace(drawn_workload(of), apart=Apart.TOGETHER)
    told = hurdles_of(
        ground, [replace(workload, most_exposure_bytes=most * TIB)], horizon_days=HORIZON
    )
    promised = workload.n_vms * sum(one.size_bytes for one in workload.disks)
    pools = ground.pools
    missing = pools.promised_bytes + promised - pools.usable_bytes
    clears = told.margins(limit(told, Check.EXPOSURE))[0] >= 0
    wanted = pools.is_promise_known & (missing <= most * TIB)
    assert clears.tolist() == wanted[ground.pool].tolist()


@pytest.mark.parametrize(
    "told", [{"is_from_allotment": True}, {"most_exposure_bytes": -1}], ids=["nobody's", "below 0"]
)
def test_what_may_not_be_asked_of_exposure_or_allotments_is_refused(told):
    with pytest.raises(RangeError):
        workload_of(**told)
