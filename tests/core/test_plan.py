"""An estate with a plan: nothing planned changes nothing, what is undone restores, bytes add up."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import NOWHERE, Amounts, Pairs, Words
from keelmark.core.estate.estate import Estate, Outlooks
from keelmark.core.estate.reading import read
from keelmark.core.scenario.draft import Draft, words_of
from keelmark.core.scenario.effects import (
    AddAmount,
    Born,
    Course,
    Retire,
    SetAmount,
    SetLink,
    SetPair,
    SetWord,
)
from keelmark.core.scenario.plan import Plan, plan_of, read_with
from keelmark.core.units import GIB, TIB
from tests.core.estates import TODAY, make_estate
from tests.core.outlooks import make_outlook

N_POOLS, N_STORES = 4, 3


def estate() -> Estate:
    """Four pools on two arrays, the second of which has an outlook of its own."""
    made = make_estate(
        pairs={"extents": [(50, 30), (51, 31)]},
        site=[{"id": 1, "name": "Skerry"}],
        array=[{"id": 10, "site": 1}, {"id": 11, "site": 1}],
        pool=[
            {"id": 20 + at, "array": 10 + at % 2, "site": 1, "class": "Swift", "size": 100 * TIB,
             "used": (10 + at) * TIB, "promised": 40 * TIB}
            for at in range(N_POOLS)
        ],
        volume=[{"id": 30 + at, "pool": 20 + at, "size": TIB, "used": GIB} for at in range(3)],
        cluster=[{"id": 40}],
        datastore=[{"id": 50 + at, "cluster": 40, "size": 8 * TIB, "used": 2 * TIB}
                   for at in range(N_STORES)],
        tenant=[{"id": 70, "quota": 9 * TIB}],
        vm=[{"id": 80, "cluster": 40}],
        disk=[{"id": 90 + at, "vm": 80, "tenant": 70, "datastore": 50 + at, "size": TIB,
               "used": 500 * GIB} for at in range(2)],
    )  # fmt: skip
    outlooks = {
        kind: outlooks_of(made.table(kind).amounts("used"))
        for kind in ("pool", "datastore", "disk")
    }
    outlooks["array"] = outlooks_of(
        Amounts(values=np.array([0, 24 * TIB]), is_known=np.array([False, True]))
    )
    return replace(made, outlooks=outlooks)


def outlooks_of(used: Amounts) -> Outlooks:
    last = np.where(used.is_known, used.values, 0).astype(np.float64)
    of = make_outlook(last, growth=0.02 * TIB, spread=0.01 * TIB)
    as_of = np.full(len(last), TODAY)
    return Outlooks(of=replace(of, is_judged=used.is_known.copy()), as_of=as_of)


ESTATE = estate()
days = st.integers(TODAY, TODAY + 900)
rows = st.integers(0, N_POOLS - 1)
amounts = st.integers(0, 300 * TIB)
effects = st.one_of(
    st.builds(SetAmount, day=days, kind=st.just("pool"), row=rows,
              column=st.sampled_from(["size", "reserved", "promised"]),
              amount=st.none() | amounts),
    st.builds(AddAmount, day=days, kind=st.just("pool"), row=rows,
              column=st.sampled_from(["size", "reserved"]), amount=st.integers(-TIB, TIB)),
    st.builds(SetWord, day=days, kind=st.just("pool"), row=rows, column=st.just("class"),
              word=st.sampled_from([None, "Swift", "Deep"])),
    st.builds(SetLink, day=days, kind=st.just("pool"), row=rows, link=st.just("array"),
              to=st.integers(NOWHERE, 1)),
    st.builds(SetPair, day=days, kind=st.just("extents"), left=st.integers(0, 2),
              right=st.integers(0, 2), is_there=st.booleans()),
    st.builds(Retire, day=days, kind=st.just("pool"), row=rows),
)  # fmt: skip
courses = st.builds(
    lambda day, row, first, more, pace: Course(
        day=day, kind="pool", row=row, first_bytes=first, most_bytes=first + more,
        bytes_per_day=pace,
    ),
    days, rows, st.integers(0, TIB), st.integers(0, TIB), st.floats(0, 20 * GIB),
)  # fmt: skip
quantiles = st.sampled_from([0.1, 0.5, 0.9])


def with_effect(told: Estate, effect) -> Estate:
    draft = Draft(told)
    effect.write(draft)
    return draft.done()


def assert_same(one: Estate, other: Estate):
    for kind, table in one.tables.items():
        beside = other.table(kind)
        for name, rows in table.links.items():
            np.testing.assert_array_equal(rows, beside.links[name])
        for name, column in table.columns.items():
            # A column that there is not is one in which nobody tells anything.
            told = words_of(beside, name) if isinstance(column, Words) else beside.columns[name]
            assert [column.told(at) for at in range(len(table))] == [
                told.told(at) for at in range(len(table))
            ], (kind, name)
    for name, pairs in one.pairs.items():
        assert _sorted(pairs) == _sorted(other.pairs[name])


def _sorted(pairs: Pairs):
    return sorted(zip(pairs.left.tolist(), pairs.right.tolist(), strict=True))


def books_of(reading):
    return {
        (kind, name): (getattr(books, name).values.tolist(), getattr(books, name).is_known.tolist())
        for kind, books in reading.books.items()
        for name in ("size", "used", "promised", "reserved")
    }


@given(day=days, quantile=quantiles)
def test_a_plan_of_nothing_changes_nothing(day, quantile):
    plain = read(ESTATE, day=day, quantile=quantile)
    planned = read_with(ESTATE, Plan(), day=day, quantile=quantile)
    assert books_of(planned) == books_of(plain)
    assert planned.total_used("pool") == plain.total_used("pool")


@given(some=st.lists(effects, max_size=8), before=st.integers(1, 400))
def test_what_comes_later_has_not_come_yet(some, before):
    later = [replace(one, day=one.day + before) for one in some]
    told = plan_of(ESTATE, later).on(ESTATE, day=TODAY + before - 1)
    assert_same(told, ESTATE)


@given(before=st.lists(effects, max_size=4), effect=effects)
def test_what_is_undone_restores_what_was(before, effect):
    told = plan_of(ESTATE, before).on(ESTATE, day=TODAY + 900)
    undone = with_effect(with_effect(told, effect), effect.undone(told))
    assert_same(undone, told)


@given(some=st.lists(effects, max_size=6, unique_by=lambda one: (type(one), getattr(
    one, "row", getattr(one, "left", None)), getattr(one, "column", getattr(one, "right", None)))),
    seed=st.integers(0, 999))  # fmt: skip
def test_effects_that_do_not_touch_may_come_in_any_order(some, seed):
    touched = [
        (one.kind, getattr(one, "row", None), getattr(one, "column", getattr(one, "link", None)))
        for one in some
    ]
    if len(set(touched)) < len(touched):
        some = some[:1]
    order = np.random.default_rng(seed).permutation(len(some))
    one_day = [replace(one, day=TODAY) for one in some]
    told = [
        plan_of(ESTATE, each).on(ESTATE, day=TODAY + 1)
        for each in (one_day, [one_day[at] for at in order])
    ]
    assert_same(*told)


@given(some=st.lists(courses, max_size=5), day=days, quantile=quantiles)
def test_bytes_that_come_are_counted_once_in_every_whole(some, day, quantile):
    plan = plan_of(ESTATE, some)
    plain = read(ESTATE, day=day, quantile=quantile)
    planned = read_with(ESTATE, plan, day=day, quantile=quantile)
    added = plan.added_on(day, ESTATE).get("pool", np.zeros(N_POOLS, dtype=np.int64))
    used = [one.books["pool"].used.values for one in (planned, plain)]
    assert (used[0] - used[1] == added).all()
    arrays = [one.books["array"].used.values for one in (planned, plain)]
    by_array = np.bincount(ESTATE.table("pool").links["array"], weights=added, minlength=2)
    np.testing.assert_allclose(arrays[0] - arrays[1], by_array, atol=2)
    sites = [one.books["site"].used.values for one in (planned, plain)]
    np.testing.assert_allclose(sites[0] - sites[1], [added.sum()], atol=4)


@given(day=days, first=st.integers(0, 4 * TIB), pace=st.floats(0, 4 * GIB), move=days)
def test_a_migration_conserves_every_byte(day, first, pace, move):
    course = Course(day=move, kind="pool", row=2, first_bytes=first, bytes_per_day=pace,
                    most_bytes=8 * TIB)  # fmt: skip
    plan = plan_of(ESTATE, [course, replace(course, row=0, is_less=True)])
    totals = [one.total_used("pool").known_bytes for one in (
        read(ESTATE, day=day), read_with(ESTATE, plan, day=day))]  # fmt: skip
    assert totals[0] == totals[1]


def test_what_is_born_is_there_from_its_day_and_holds_what_is_placed_on_it():
    born = Born(day=TODAY + 30, kind="pool", row=N_POOLS, born_id=2**52, name="swift-9",
                amounts={"size": 50 * TIB, "promised": 0}, words={"class": "Deep"},
                links={"array": 0, "site": 0})  # fmt: skip
    course = Course(day=TODAY + 40, kind="pool", row=N_POOLS, first_bytes=TIB,
                    bytes_per_day=GIB, most_bytes=2 * TIB)  # fmt: skip
    plan = plan_of(ESTATE, [course, born])
    before, on, later, full = (read_with(ESTATE, plan, day=TODAY + n) for n in (29, 30, 50, 1_200))
    assert [bool(one.is_there["pool"][N_POOLS]) for one in (before, on)] == [False, True]
    used = [one.books["pool"].used.told(N_POOLS) for one in (on, later, full)]
    assert used == [0, TIB + 10 * GIB, 2 * TIB]
    assert on.books["array"].size.told(0) == 250 * TIB
    assert before.books["array"].size.told(0) == 200 * TIB
    assert later.estate.table("pool").columns["class"].told(N_POOLS) == "Deep"
    limit = on.estate.marks["pool"].limit_percent
    assert limit[N_POOLS] == limit[0]


def test_what_is_retired_is_counted_no_more():
    plan = plan_of(ESTATE, [Retire(day=TODAY + 5, kind="pool", row=0)])
    told = [read_with(ESTATE, plan, day=TODAY + n).total_used("pool").n_known for n in (4, 5)]
    assert told == [N_POOLS, N_POOLS - 1]


@pytest.mark.parametrize(
    "wrong",
    [
        lambda: plan_of(ESTATE, [Retire(day=TODAY - 1, kind="pool", row=0)]),
        lambda: plan_of(ESTATE, [Born(day=TODAY, kind="pool", row=0, born_id=2**52, name="x")]),
        lambda: read_with(ESTATE, Plan(), day=TODAY - 1),
        lambda: Course(day=TODAY, kind="pool", row=0, first_bytes=2, most_bytes=1),
        lambda: Course(day=TODAY, kind="pool", row=0, first_bytes=0, most_bytes=1,
                       bytes_per_day=-1),
        lambda: Born(day=TODAY, kind="pool", row=4, born_id=2**52, name="x").undone(ESTATE),
    ],
)  # fmt: skip
def test_what_cannot_be_planned_is_refused(wrong):
    with pytest.raises(RangeError):
        wrong()
