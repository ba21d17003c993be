from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.forecast import Fan, Outlook, Rhythm, runway
from keelmark.core.forecast.mix import KNOTS_DAYS
from keelmark.core.placement import Hurdle, Pools, Workload, place
from keelmark.core.units import EIB, TIB

N_DAYS = 100


def make_outlook(used: np.ndarray, *, growth: float, spread: float = 0.0) -> Outlook:
    """Straight lines; the edge of the band so many times the root of the days off."""
    n_pools, knots = len(used), np.array(KNOTS_DAYS, dtype=np.float64)
    middle = used[:, None] + growth * knots
    zero = np.zeros(n_pools)
    return Outlook(
        last_bytes=used, level_bytes=used, growth_bytes_per_day=zero + growth,
        fan=Fan(
            low=middle - spread * np.sqrt(knots), middle=middle,
            high=middle + spread * np.sqrt(knots),
            noise_variance=zero, memory=np.zeros(n_pools, dtype=np.int64),
        ),
        rhythm=Rhythm(
            by_weekday=np.zeros((n_pools, 7)), by_month_slot=np.zeros((n_pools, 31)),
            last_day=np.zeros(n_pools, dtype=np.int64),
        ),
        ceiling_bytes=zero + np.inf, is_judged=zero == 0,
    )  # fmt: skip


def make_pools(
    *, used_tib=(20.0,), usable_tib=100, growth_tib=0.1, spread_tib=0.0, **facts
) -> Pools:
    n_pools = len(used_tib)
    used = np.array(used_tib) * TIB
    whole = np.ones(n_pools, dtype=np.int64)
    known = {
        "service_classes": ("Swift",) * n_pools,
        "usable_bytes": whole * usable_tib * TIB,
        "used_bytes": used.astype(np.int64),
        "reserved_bytes": whole * 0,
        "provisioned_bytes": whole * 120 * TIB,
        "is_provisioned_known": whole == 1,
        "limit_bytes": whole * usable_tib * TIB * 9 // 10,
        "overcommit_limit_percent": whole * 200,
        "is_read": whole == 1,
        "outlook": make_outlook(used, growth=growth_tib * TIB, spread=spread_tib * TIB),
        "age_days": whole * 0,
    }
    return Pools(**(known | facts))


def make_workload(**facts) -> Workload:
    known = {
        "n_copies": 10,
        "size_bytes": 2 * TIB,
        "written_percent": 50,
        "growth_bytes_per_day": 0,
        "last_day": N_DAYS,
    }
    return Workload(**(known | facts))


def margin(verdict, hurdle):
    return next(m for m in verdict.margins if m.hurdle is hurdle)


def test_space_is_what_the_limit_leaves_on_the_tightest_day():
    verdict = place(make_pools(), workload=make_workload(), horizon_days=730)[0]
    # 90 − 20 − 0.1·100 − 10·1 = 50 TiB on the last day
    assert verdict.left_bytes == pytest.approx(50 * TIB, abs=2)
    assert margin(verdict, Hurdle.SPACE).tightest_day == N_DAYS
    assert margin(verdict, Hurdle.OVERCOMMIT).margin_bytes == (200 - 120 - 20) * TIB
    assert verdict.overcommit_percent == 140
    assert verdict.rank == 1


def test_new_dates_count_the_workload_in():
    workload = make_workload(growth_bytes_per_day=TIB // 100)
    verdict = place(make_pools(), workload=workload, horizon_days=2000)[0]
    # starts at 30 TiB, 60 to the limit, 0.1 + 10·0.01 a day until all 20 are written (day 100),
    # then 40 left at 0.1 a day
    assert verdict.likely_days == pytest.approx(500, rel=0.04)


def test_what_is_promised_thick_is_taken_once_and_moves_no_date():
    plain, thick = (
        place(
            make_pools(reserved_bytes=np.array([reserved * TIB])),
            workload=make_workload(),
            horizon_days=2000,
        )[0]
        for reserved in (0, 15)
    )
    # used + reserved 35 TiB are taken; growth writes 10 of them within the time
    assert plain.left_bytes - thick.left_bytes == pytest.approx(5 * TIB, abs=2)
    assert thick.likely_days == plain.likely_days


def nothing(**facts) -> Workload:
    return make_workload(n_copies=1, size_bytes=1, written_percent=0, **facts)


@given(st.floats(0, 89), st.floats(0, 0.4), st.floats(0.001, 2), st.integers(0, 9))
def test_a_workload_of_nothing_moves_no_date_by_a_day(used_tib, growth, spread, age):
    pools = make_pools(
        used_tib=(used_tib,), growth_tib=growth, spread_tib=spread, age_days=np.array([age])
    )
    tried = place(pools, workload=nothing(), horizon_days=730)[0]
    way = runway(pools.outlook, mark_bytes=pools.limit_bytes, horizon_days=730)
    for name in ("early_days", "likely_days", "late_days"):
        told, stands = getattr(tried, name), max(0.0, getattr(way, name)[0] - age)
        assert told == stands or abs(told - stands) <= 1 or min(told, stands) > 720


@given(st.floats(0, 120), st.floats(-0.1, 0.4), st.floats(0.001, 2))
def test_nothing_past_its_limit_and_nothing_that_may_be_there_in_time_fits(
    used_tib, growth, spread
):
    pools = make_pools(used_tib=(used_tib,), growth_tib=growth, spread_tib=spread)
    for workload in (nothing(), make_workload(n_copies=1)):
        verdict = place(pools, workload=workload, horizon_days=730)[0]
        if used_tib >= 90 or verdict.early_days <= N_DAYS:
            assert not verdict.fits


def test_what_may_stand_at_its_limit_in_time_says_from_when():
    pools = make_pools(used_tib=(75.0,), growth_tib=0.0, spread_tib=0.9)
    verdict = place(pools, workload=make_workload(n_copies=5), horizon_days=730)[0]
    missed = [m for m in verdict.margins if not m.is_cleared]
    # 10 TiB are left, the edge is 9 off after 100 days; walks that come back were higher before
    assert [m.hurdle for m in missed] == [Hurdle.DATE]
    assert missed[0].tightest_day == verdict.early_days < N_DAYS


def test_promises_past_64_bits_are_short_and_never_fit():
    pools = make_pools(provisioned_bytes=np.array([3 * EIB]))
    workload = make_workload(n_copies=7, size_bytes=EIB, written_percent=0)
    verdict = place(pools, workload=workload, horizon_days=730)[0]
    assert margin(verdict, Hurdle.OVERCOMMIT).margin_bytes < -7 * EIB
    assert not verdict.fits


@pytest.mark.parametrize(
    ("facts", "hurdle", "missed_bytes"),
    [
        (
            {"provisioned_bytes": np.array([190 * TIB])},
            Hurdle.OVERCOMMIT,
            -10 * TIB,
        ),
        ({"service_classes": ("Deep",)}, Hurdle.SERVICE_CLASS, None),
        ({"is_read": np.array([False])}, Hurdle.READ, None),
        ({"is_provisioned_known": np.array([False])}, Hurdle.OVERCOMMIT, None),
    ],
    ids=["overcommit", "class", "unread", "promises-unknown"],
)
def test_what_does_not_fit_says_at_which_hurdle_and_by_how_much(facts, hurdle, missed_bytes):
    workload = make_workload(service_class="Swift")
    verdict = place(make_pools(**facts), workload=workload, horizon_days=730)[0]
    missed = [m for m in verdict.margins if not m.is_cleared]
    assert [m.hurdle for m in missed] == [hurdle]
    assert verdict.rank is None
    if missed_bytes is None:
        assert missed[0].margin_bytes is None
    else:
        assert missed[0].margin_bytes == pytest.approx(missed_bytes, abs=2)


def test_what_is_short_says_by_how_much_and_when_it_stands_at_its_limit():
    verdict = place(make_pools(used_tib=(75.0,)), workload=make_workload(), horizon_days=730)[0]
    missed = {m.hurdle: m for m in verdict.margins if not m.is_cleared}
    assert set(missed) == {Hurdle.SPACE, Hurdle.DATE}
    assert missed[Hurdle.SPACE].margin_bytes == pytest.approx(-5 * TIB, abs=2)
    assert missed[Hurdle.DATE].tightest_day == pytest.approx(50, abs=2)


def test_a_pool_that_cannot_be_judged_is_rejected_without_a_figure():
    pools = make_pools()
    unknown = replace(pools.outlook, is_judged=np.array([False]))
    verdict = place(make_pools(outlook=unknown), workload=make_workload(), horizon_days=730)[0]
    assert not verdict.fits
    assert verdict.left_bytes is None
    assert verdict.likely_days is None


def test_the_pool_that_keeps_the_longest_runway_comes_first():
    verdicts = place(
        make_pools(used_tib=(40.0, 10.0, 85.0, 25.0)), workload=make_workload(), horizon_days=2000
    )
    assert [v.pool_index for v in verdicts] == [1, 3, 0, 2]
    assert [v.rank for v in verdicts] == [1, 2, 3, None]


def test_rejected_pools_of_the_wanted_class_come_before_the_others():
    pools = make_pools(used_tib=(10.0, 85.0), service_classes=("Deep", "Swift"))
    verdicts = place(pools, workload=make_workload(service_class="Swift"), horizon_days=730)
    assert [v.pool_index for v in verdicts] == [1, 0]


@given(st.integers(1, 60), st.floats(0, 80))
def test_more_copies_never_leave_more(n_copies, used_tib):
    pools = make_pools(used_tib=(used_tib,))
    one, two = (
        place(pools, workload=make_workload(n_copies=n), horizon_days=730)[0]
        for n in (n_copies, n_copies + 1)
    )
    assert two.left_bytes < one.left_bytes
    assert two.early_days <= one.early_days


@given(st.integers(0, 100), st.integers(0, TIB))
def test_demand_rises_to_the_promise_and_no_further(written_percent, growth):
    workload = make_workload(written_percent=written_percent, growth_bytes_per_day=growth)
    demand = workload.demand_bytes()
    assert (np.diff(demand) >= 0).all()
    assert demand[0] == workload.first_bytes
    assert demand[-1] <= workload.promised_bytes


@pytest.mark.parametrize(
    "facts",
    [
        {"n_copies": 0},
        {"size_bytes": 0},
        {"size_bytes": -1},
        {"written_percent": 101},
        {"last_day": 0},
        {"n_copies": 2**40, "size_bytes": 2**40},
    ],
    ids=["no-copies", "no-size", "negative", "past-full", "no-day", "past-int64"],
)
def test_a_workload_that_cannot_be_is_refused_by_field(facts):
    with pytest.raises(RangeError, match=next(iter(facts))):
        make_workload(**facts)


def test_there_must_be_an_outlook_a_pool():
    with pytest.raises(ShapeError, match="outlook"):
        place(
            make_pools(outlook=make_outlook(np.zeros(2), growth=0.0)),
            workload=make_workload(),
            horizon_days=730,
        )
