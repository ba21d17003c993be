"""The estate as columns says of many things at once what the ledger says of one."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import CoreError, RangeError, ShapeError
from keelmark.core.estate.books import Books, added_up, exact_sum, folded, nearest_marks, total
from keelmark.core.estate.columns import NOWHERE, Table, amounts, words
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.figures import figure, order_of
from keelmark.core.estate.reach import pulled, way_between
from keelmark.core.estate.reading import LIKELY, When, grown, read
from keelmark.core.ledger import Ledger
from keelmark.core.marks import DEFAULT_MARKS, Marks, marks_in_order
from tests.core.estates import TODAY, estates, make_estate, past_of

SIZES = st.integers(0, 2**56)


@given(st.lists(st.tuples(SIZES, SIZES, st.none() | SIZES, SIZES), min_size=1, max_size=6))
def test_books_agree_with_the_ledger_of_each(rows: list[tuple[int, int, int | None, int]]):
    size, used, promised, reserved = zip(*rows, strict=True)
    marks = Marks()
    limit = np.full(len(rows), marks.limit_percent, dtype=np.int64)
    caution = np.full(len(rows), marks.caution_percent, dtype=np.int64)
    books = Books(
        size=amounts(size), used=amounts(used), promised=amounts(promised),
        reserved=amounts(reserved), held=amounts([0] * len(rows)),
    )  # fmt: skip
    for at, row in enumerate(rows):
        one = Ledger(
            usable_bytes=row[0], used_bytes=row[1], provisioned_bytes=row[2],
            reserved_bytes=row[3], marks=marks,
        )  # fmt: skip
        assert books.free.told(at) == one.free_bytes
        assert books.exposure.told(at) == one.exposure_bytes
        assert books.plannable(limit).told(at) == one.plannable_bytes
        overcommit = books.overcommit_percent[at]
        if one.overcommit_percent is None:
            assert np.isnan(overcommit)
        else:
            assert overcommit == pytest.approx(one.overcommit_percent)
        is_filled = one.used_bytes > 0 or one.usable_bytes > 0
        assert books.past(caution)[at] == (is_filled and one.used_bytes >= one.caution_bytes)


@given(st.lists(st.none() | st.integers(0, 2**62), max_size=12))
def test_a_total_is_exact_and_counts_what_nobody_read(told: list[int | None]):
    known = [one for one in told if one is not None]
    found = total(amounts(told))
    assert (found.known_bytes, found.n_known) == (sum(known), len(known))
    assert found.n_unread == len(told) - len(known)


@given(st.lists(st.integers(-(2**63), 2**63 - 1), max_size=30))
def test_sums_do_not_wrap(told: list[int]):
    assert exact_sum(np.array(told, dtype=np.int64)) == sum(told)


_LEVEL = st.fixed_dictionaries(
    {
        "caution_percent": st.none() | st.integers(1, 98),
        "limit_percent": st.none() | st.integers(2, 100),
        "overcommit_caution_percent": st.none() | st.integers(1, 500),
        "overcommit_limit_percent": st.none() | st.integers(2, 600),
        "lead_time_days": st.none() | st.integers(0, 200),
    }
)


@given(st.lists(_LEVEL, max_size=3))
def test_nearest_marks_are_those_of_one_thing(levels: list[dict[str, int | None]]):
    held: dict[str, int] = {}
    for level in reversed(levels):
        held |= {name: mark for name, mark in level.items() if mark is not None}
    one = marks_in_order(**held)
    many = nearest_marks(
        *(tuple(amounts([level[name]]) for name in DEFAULT_MARKS) for level in levels), n=1
    )
    assert {name: int(getattr(many, name)[0]) for name in DEFAULT_MARKS} == {
        name: getattr(one, name) for name in DEFAULT_MARKS
    }


@given(st.lists(st.tuples(st.none() | st.integers(0, 2**50), st.integers(-1, 3)), max_size=20))
def test_folding_is_adding_up_by_whole(parts: list[tuple[int | None, int]]):
    onto = np.array([whole for _, whole in parts], dtype=np.int64)
    sums, n_unread = folded(amounts([amount for amount, _ in parts]), onto=onto, n=4)
    few = np.array([amount or 0 for amount, _ in parts], dtype=np.int64)
    added = added_up(few, onto=onto, n=4)
    for whole in range(4):
        own = [amount for amount, at in parts if at == whole]
        known = [amount for amount in own if amount is not None]
        assert sums.told(whole) == (sum(known) if known else None)
        assert n_unread[whole] == len(own) - len(known)
        assert added[whole] == sum(known)


@given(estates())
def test_wholes_hold_what_their_parts_hold(estate: Estate):
    now = read(estate, day=TODAY)
    assert now.when is When.NOW
    disks, vms = estate.table("disk"), estate.table("vm")
    for row in range(len(vms)):
        own = [
            now.books["disk"].used.told(disk)
            for disk in range(len(disks))
            if disks.links["vm"][disk] == row
        ]
        known = [amount for amount in own if amount is not None]
        assert now.books["vm"].used.told(row) == (sum(known) if known else None)
        assert now.n_unread["vm"][row] == len(own) - len(known)
    pools, arrays = estate.table("pool"), estate.table("array")
    held = [
        now.books["pool"].used.told(pool) or 0
        for pool in range(len(pools))
        if pools.links["array"][pool] != NOWHERE
    ]
    assert sum(now.books["array"].used.told(row) or 0 for row in range(len(arrays))) == sum(held)


# Pairs of kinds between which only one way leads, so that a plain walk has nothing to choose.
_PAIRED = (
    ("vm", "pool"), ("pool", "vm"), ("array", "vm"), ("vm", "array"), ("project", "datastore"),
    ("datastore", "project"), ("volume", "vm"), ("volume", "array"), ("array", "volume"),
    ("host", "pool"), ("disk", "array"), ("array", "project"),
)  # fmt: skip


def _under(estate: Estate) -> dict[tuple[str, int], set[tuple[str, int]]]:
    """What each thing lies on or belongs to, itself with it, by walking link after link."""
    links: dict[tuple[str, int], set[tuple[str, int]]] = {}
    wanted = {
        "disk": ("vm", "datastore"), "vm": ("host", "project"), "volume": ("pool",),
        "pool": ("array",),
    }  # fmt: skip
    for kind, table in estate.tables.items():
        for row in range(len(table)):
            links[kind, row] = {
                (name, int(table.links[name][row]))
                for name in wanted.get(kind, ())
                if table.links[name][row] != NOWHERE
            }
    for left, right in zip(
        estate.pairs["extents"].left.tolist(), estate.pairs["extents"].right.tolist(), strict=True
    ):
        links["datastore", left].add(("volume", right))
    under = {}
    for start in links:
        reached, front = {start}, [start]
        while front:
            following = links[front.pop()] - reached
            reached |= following
            front += following
        under[start] = reached
    return under


@given(estates(), st.sampled_from(_PAIRED), st.data())
def test_things_are_related_by_the_bytes_they_share(
    estate: Estate, pair: tuple[str, str], data: st.DataObject
):
    kind, other = pair
    n = len(estate.table(other))
    mask = np.array(data.draw(st.lists(st.booleans(), min_size=n, max_size=n)), dtype=np.bool_)
    under = _under(estate)
    found = pulled(read(estate, day=TODAY), mask, kind=kind, other=other)
    for row in range(len(estate.table(kind))):
        is_related = any(
            (kind, row) in stands
            and any((other, at) in stands for at in np.flatnonzero(mask).tolist())
            for stands in under.values()
        )
        assert found[row] == is_related, (kind, row)


@pytest.mark.parametrize(("kind", "other"), [("site", "bucket"), ("drive", "vm"), ("port", "vm")])
def test_no_way_leads_over_a_common_place(kind: str, other: str):
    way = way_between(kind, other)
    assert way is None or all(step.name != "site" for step in way[1:])


def test_a_shared_pool_stands_where_the_pools_under_it_do():
    estate = make_estate(
        array=[{"id": 1}, {"id": 2}], pool=[{"id": 3, "array": 1}, {"id": 4}],
        volume=[{"id": 5, "pool": 3}, {"id": 6, "pool": 4}],
        datastore=[{"id": 7}], vm=[{"id": 8}], disk=[{"id": 9, "vm": 8, "datastore": 7}],
        pairs={"backings": [(4, 5)], "extents": [(7, 6)]},
    )  # fmt: skip
    now = read(estate, day=TODAY)
    first = np.array([True, False])
    assert pulled(now, first, kind="vm", other="array").tolist() == [True]
    assert pulled(now, first, kind="pool", other="array").tolist() == [True, True]
    assert pulled(now, np.array([True]), kind="array", other="vm").tolist() == [True, False]


def test_a_day_that_was_counts_who_was_there_with_what_was_read():
    estate = make_estate(
        cluster=[{"id": 9}],
        vm=[{"id": 1, "seen": TODAY - 9, "cluster": 9}, {"id": 2, "retired": TODAY - 3}],
        datastore=[{"id": 3}, {"id": 4}],
        disk=[
            {"id": 5, "vm": 1, "datastore": 3, "used": 70, "size": 100, "seen": TODAY - 9},
            {"id": 6, "vm": 2, "datastore": 4, "used": 40, "size": 50, "retired": TODAY - 3},
        ],
    )
    day = TODAY - 5
    then = read(estate, day=day, past=past_of(estate, day=day, disk=[30, 40]))
    assert then.is_there["vm"].tolist() == [True, True]
    assert (then.total_used("vm").known_bytes, then.when) == (70, When.PAST)
    now = read(estate, day=TODAY)
    assert now.is_there["vm"].tolist() == [True, False]
    assert grown(now, since=then, kind="vm").told(0) == 40
    before = read(estate, day=TODAY - 20, past=past_of(estate, day=TODAY - 20, disk=[None, 10]))
    assert grown(now, since=before, kind="vm").told(0) == 70  # it was not there: all is new


def test_what_came_with_its_place_did_not_grow_from_nothing():
    estate = make_estate(
        array=[{"id": 1, "seen": TODAY - 3}],
        pool=[{"id": 2, "seen": TODAY - 3, "array": 1, "used": 10, "size": 20}],
    )
    before = read(estate, day=TODAY - 9, past=past_of(estate, day=TODAY - 9))
    assert grown(read(estate, day=TODAY), since=before, kind="pool").told(0) is None
    told_late = read(estate, day=TODAY - 9, past=past_of(estate, day=TODAY - 9, pool=[4]))
    assert told_late.is_there["array"].tolist() == [True]  # it was read, so it was there
    assert grown(read(estate, day=TODAY), since=told_late, kind="pool").told(0) == 6


def test_what_was_there_and_unread_has_no_growth():
    estate = make_estate(pool=[{"id": 1, "used": 10, "size": 20}])
    before = read(estate, day=TODAY - 1, past=past_of(estate, day=TODAY - 1))
    assert grown(read(estate, day=TODAY), since=before, kind="pool").told(0) is None


@pytest.mark.parametrize(
    "wrong",
    [
        lambda estate: read(estate, day=TODAY - 1),
        lambda estate: read(estate, day=TODAY - 1, past=past_of(estate, day=TODAY - 2)),
        lambda estate: read(estate, day=TODAY + 4000),
    ],
    ids=["no-past", "another-day", "beyond-the-horizon"],
)
def test_a_day_that_cannot_be_read_is_refused(wrong):
    with pytest.raises(RangeError):
        wrong(make_estate(pool=[{"id": 1}]))


def test_a_column_of_another_length_is_refused():
    with pytest.raises(ShapeError, match=r"pool.used"):
        Table(
            kind="pool", ids=np.array([1]), names=("a",), columns={"used": amounts([1, 2])}
        )  # fmt: skip
    assert issubclass(ShapeError, CoreError)


def test_what_is_not_known_sorts_below_all_and_words_as_they_read():
    rows = np.arange(4)
    told = amounts([5, None, 0, 9])
    assert np.argsort(order_of(told, rows=rows), kind="stable").tolist() == [1, 2, 0, 3]
    spoken = words(["beta", None, "Alpha", "gamma"])
    assert np.argsort(order_of(spoken, rows=rows), kind="stable").tolist() == [1, 2, 0, 3]


def test_a_figure_that_is_not_kept_of_then_is_not_told_of_then():
    estate = make_estate(pool=[{"id": 1, "used": 5, "size": 10, "runway": TODAY + 9}])
    now = read(estate, day=TODAY)
    then = read(estate, day=TODAY - 1, past=past_of(estate, day=TODAY - 1, pool=[4]))
    assert figure(now, kind="pool", name="runway").told(0) == TODAY + 9
    assert figure(then, kind="pool", name="runway").told(0) is None
    assert figure(then, kind="pool", name="fill").told(0) == pytest.approx(40)
    assert figure(then, kind="pool", name="plannable").told(0) is None  # what was reserved then?
    assert now.quantile == LIKELY
