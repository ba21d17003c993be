"""What moves do to dates: of what they touch, of wholes, and what may come besides."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keelmark.core.estate.columns import Amounts
from keelmark.core.estate.reading import read
from keelmark.core.scenario.changes import changes_in, changes_of
from keelmark.core.scenario.compiling import Dated, compiled
from keelmark.core.scenario.effects import Course
from keelmark.core.scenario.outcome import ended, exposed, past_limit, room_with
from keelmark.core.scenario.plan import Plan, read_with
from keelmark.core.units import TIB
from tests.core.estates import TODAY
from tests.core.layered import ESTATE, LATER, after, dated, moves, reading, scenario
from tests.core.test_plan import outlooks_of


def test_a_scenario_of_nothing_moves_no_date():
    told = compiled(ESTATE, [])
    ends = ended(told, now=read(ESTATE, day=TODAY))[1]["pool"]
    assert not ends.is_touched.any()
    np.testing.assert_array_equal(ends.after.likely_days, ends.before.likely_days)


def ends(*moves: Dated):
    return ended(after(*moves), now=read(ESTATE, day=TODAY))[1]["pool"]


def test_an_extended_pool_ends_later_and_one_that_takes_more_sooner():
    fast = dated("change_growth", thing=20, bytes_a_week=TIB)
    plain, faster = ends(fast), ends(fast, dated("place", number=2, to=20))
    extended = ends(fast, dated("extend_pool", number=2))
    assert extended.is_touched.tolist() == [True, False, False, False]
    days = [one.after.likely_days[0] for one in (faster, plain, extended)]
    assert days == sorted(set(days))
    assert np.isfinite(days).all()
    assert plain.order_days[0] == plain.after.early_days[0] - 45


def test_what_is_retired_ends_never():
    told = ends(dated("change_growth", thing=22, bytes_a_week=9 * TIB), dated("retire", number=2))
    assert told.after.likely_days[2] == np.inf


@settings(max_examples=20)  # each looks for many first passages
@given(some=st.lists(moves, max_size=4), first=st.integers(1, 60), until=st.integers(90, 500))
def test_what_may_come_beside_a_plan_keeps_the_limit_and_hardly_more_does(some, first, until):
    told, now = compiled(ESTATE, scenario(some)), read(ESTATE, day=TODAY)
    change = changes_of(told, now=now, kind="pool")
    room = room_with(told.estate, change, first_day=first, last_day=until)

    def early_with(row: int, more: float) -> float:
        """The early day to the limit from the first day on, with so much beside."""
        low = -int(200 * TIB)  # before it nothing counts
        effects = [
            Course(day=TODAY, kind="pool", row=row, first_bytes=-low, most_bytes=-low,
                   is_less=True),
            Course(day=TODAY + first, kind="pool", row=row, first_bytes=int(more) - low,
                   most_bytes=int(more) - low),
        ]  # fmt: skip
        tried = replace(told, plan=Plan(effects=(*told.plan.effects, *effects)))
        return float(ended(tried, now=now)[1]["pool"].after.early_days[row])

    for row, left in zip(change.rows.tolist(), room.tolist(), strict=True):
        size = changes_of(told, now=now, kind="pool").sizes.max()
        if 0 < left < 100 * TIB:
            assert early_with(row, left) > until
            assert early_with(row, left + 0.01 * size) <= until + 2


def test_wholes_end_later_where_their_parts_are_extended_and_take_what_comes_onto_them():
    used = Amounts(values=np.array([20 * TIB, 10 * TIB]), is_known=np.array([True, True]))
    outlooks = {**ESTATE.outlooks, "array": outlooks_of(used)}
    estate = replace(ESTATE, outlooks=outlooks)
    now = read(estate, day=TODAY)

    def of_array(*some: Dated):
        told, kinds = ended(compiled(estate, some), now=now)
        return told.estate.table("array").amounts("runway"), kinds["array"]

    fast = dated("change_growth", thing=21, bytes_a_week=2 * TIB)
    ends_on, ends = of_array(fast)
    assert ends.is_touched.tolist() == [False, True]
    # 54 TiB is the limit of what holds 10: two a week, and what it grows by itself.
    days = 44 / (2 / 7 + 0.02)
    assert ends.after.likely_days[1] == pytest.approx(days, rel=0.06)
    assert ends_on.told(1) == TODAY + int(ends.after.likely_days[1])
    _, later = of_array(fast, dated("extend_pool", number=2, pool=21, added_bytes=20 * TIB))
    assert later.after.likely_days[1] > ends.after.likely_days[1]
    _, moved = of_array(dated("migrate", what=[32], to=22))
    assert moved.is_touched.all()


def of_tenants():
    """The layered estate, its only tenant with a future of its own."""
    used = Amounts(values=np.array([int(2.3 * TIB)]), is_known=np.array([True]))
    outlooks = {**ESTATE.outlooks, "tenant": outlooks_of(used)}
    return replace(ESTATE, outlooks=outlooks)


@given(some=st.lists(moves, max_size=5), day=st.integers(TODAY, TODAY + 300))
def test_wholes_of_disks_hold_and_end_by_what_comes_and_goes_with_these(some, day):
    estate = of_tenants()
    told, now = compiled(estate, scenario(some)), read(estate, day=TODAY)
    change = changes_in(told, now=now)["tenant"]
    with_it = read_with(told.estate, told.plan, day=day).books["tenant"].used
    alone = read(estate, day=day).books["tenant"].used
    if day > TODAY and len(change.rows):
        wanted = max(0.0, float(alone.values[0] + change.added[0, day - TODAY]))
        assert abs(int(with_it.values[0]) - wanted) <= 200
    elif day > TODAY:
        assert with_it.values[0] == alone.values[0]


def test_a_tenant_ends_sooner_by_what_comes_and_later_by_what_goes():
    estate = of_tenants()
    now = read(estate, day=TODAY)

    def likely(*some: Dated) -> float:
        ends = ended(compiled(estate, some), now=now)[1]["tenant"]
        return float(ends.moved.likely_days[0])

    other = dated("set_quota", quota_bytes=9 * TIB)  # as it is
    come, gone = dated("place", number=2, tenant=70), dated("free", number=2, what=[80])
    assert likely(other, come) < likely(other) < likely(other, gone)
    moved = ended(compiled(estate, [dated("migrate")]), now=now)[1]["tenant"]
    assert not moved.is_touched.any()


def test_exposure_and_what_is_past_its_limit_are_told_of_the_day():
    told = after(dated("new_datastore", size_bytes=100 * TIB))
    assert exposed(read(ESTATE, day=LATER)) == 0
    assert exposed(reading(told)) == 20 * TIB
    grown = after(dated("change_growth", bytes_a_week=50 * TIB))
    assert past_limit(reading(grown), kind="pool").tolist() == [False, True, False, False]
