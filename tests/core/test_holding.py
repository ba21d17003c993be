"""What accepted scenarios hold: what they bring and make no room for, once, until it came."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import words
from keelmark.core.estate.holds import Hold, corners_of
from keelmark.core.estate.reading import read
from keelmark.core.scenario.changes import changes_of, marks_by_day
from keelmark.core.scenario.compiling import compiled
from keelmark.core.scenario.holding import HELD_KINDS, holds_of, with_holds
from keelmark.core.scenario.outcome import ended
from keelmark.core.scenario.plan import read_with
from keelmark.core.units import TIB
from tests.core.estates import TODAY
from tests.core.layered import DISK, ESTATE, dated, moves, scenario

NOW = read(ESTATE, day=TODAY)
WORK = {"n_vms": 4, "disks": [{**DISK, "size_bytes": 2 * TIB, "min_iops": 50, "busy_iops": 400}]}


def accepted(*some, owner=1):
    told = compiled(ESTATE, some)
    return tuple(holds_of(told, now=NOW, owner=owner))


def holding(*some, estate=ESTATE):
    return with_holds(estate, accepted(*some), held="1")


@given(course=st.lists(st.integers(-50, 900), min_size=1, max_size=40), day=st.integers(0, 99))
def test_corners_tell_a_course_to_the_byte(course, day):
    told = np.maximum(np.array(course, dtype=np.int64), 0)
    days, amounts = corners_of(day, told)
    if not told.any():
        assert (days, amounts) == ((), ())
        return
    hold = Hold(kind="pool", row=0, owner=1, days=days, amounts=amounts)
    on = hold.on(np.arange(day, day + len(told)))
    assert np.abs(on - told).max() <= len(told)  # a bend of a byte a day is none
    assert hold.bytes_on(day - 1) == 0
    assert hold.bytes_on(day + 900) == told[-1]


@pytest.mark.parametrize(
    "wrong",
    [{"days": (3, 3), "amounts": (1, 2)}, {"days": (), "amounts": ()},
     {"days": (1,), "amounts": (-1,)}, {"days": (1, 2), "amounts": (1,)}],
    ids=["not-ascending", "none", "below-nought", "uneven"],
)  # fmt: skip
def test_corners_that_are_none_are_refused(wrong):
    with pytest.raises(RangeError):
        Hold(kind="pool", row=0, owner=1, **wrong)


@given(some=st.lists(moves, max_size=5), day=st.integers(TODAY, TODAY + 300))
def test_what_is_held_is_what_is_brought_less_the_room_that_is_made(some, day):
    told = compiled(ESTATE, scenario(some))
    held = holds_of(told, now=NOW, owner=1)
    for kind in HELD_KINDS:
        change = changes_of(told, now=NOW, kind=kind)
        marks = marks_by_day(told.estate, change)
        at = day - TODAY
        net = np.round(change.added[:, at]) - (marks[:, at] - marks[:, 0])
        by_row = dict(zip(change.rows.tolist(), net, strict=True))
        n_read = len(ESTATE.table(kind))
        wanted = {row: max(0, more) for row, more in by_row.items() if row < n_read and more > 0}
        found = {
            one.row: one.bytes_on(day) for one in held if one.kind == kind and one.bytes_on(day)
        }
        assert found.keys() == wanted.keys()
        assert all(abs(found[row] - wanted[row]) <= 800 for row in wanted)


@given(some=st.lists(moves, max_size=4), day=st.integers(TODAY, TODAY + 90))
def test_a_scenario_is_read_the_same_without_its_own_holds(some, day):
    told = compiled(ESTATE, scenario(some))
    held = holding(*scenario(some))
    again = compiled(replace(held, holds=()), scenario(some))
    one, other = (read_with(x.estate, x.plan, day=day) for x in (told, again))
    for kind in HELD_KINDS:
        for name in ("used", "size", "promised", "reserved"):
            mine, theirs = (getattr(x.books[kind], name).values for x in (one, other))
            np.testing.assert_array_equal(mine, theirs)


@given(some=st.lists(moves, max_size=3), more=st.integers(0, 60))
def test_dates_with_what_another_holds_are_those_of_both_plans_in_one(some, more):
    """Bytes that are held move a date as bytes that come do."""
    work = dated("place", number=9, day=TODAY + more, **WORK)
    both = [*scenario(some), work]
    barred = any(one.is_barred for one in compiled(ESTATE, both).told)
    held = holding(work)
    alone = compiled(held, scenario(some))
    if barred or any(one.is_barred for one in alone.told):
        return
    _, ends = ended(alone, now=read(held, day=TODAY))
    _, wanted = ended(compiled(ESTATE, both), now=NOW)
    n = len(ESTATE.table("pool"))
    for name in ("early_days", "likely_days"):
        mine, theirs = (getattr(x["pool"].after, name)[:n] for x in (ends, wanted))
        np.testing.assert_array_equal(mine, theirs)


def test_what_is_held_stands_in_the_books_of_its_days_and_of_all_above():
    held = holding(dated("place", **WORK))
    before, then = (read(held, day=TODAY + at).books for at in (6, 7))
    amount = 4 * TIB
    for kind, row in (("pool", 2), ("array", 0), ("site", 0)):
        assert then[kind].held.values[row] - before[kind].held.values[row] == amount
        assert then[kind].reserved.values[row] - before[kind].reserved.values[row] == amount
    assert read(held, day=TODAY + 7).books["pool"].promised.values[2] > 8 * TIB
    assert (held.holds[0].min_iops, held.holds[0].busy_iops) == (200, 1600)
    assert before["pool"].held.values.tolist() == [0, 0, 0, 0]


def test_a_place_is_past_its_mark_by_what_is_used_and_held():
    work = dated("place", to=20, day=TODAY, **{**WORK, "n_vms": 17})
    held = holding(work)
    mark = held.marks["pool"].limit_percent
    assert read(held, day=TODAY).books["pool"].past(mark).tolist() == [True, False, False, False]
    assert not NOW.books["pool"].past(mark).any()


def test_states_tell_of_what_is_held_and_are_never_lighter():
    pool = ESTATE.table("pool")
    stood = replace(
        pool, columns={**pool.columns, "state": words(["clear", "urgent", "unread", "clear"])}
    )
    estate = replace(ESTATE, tables={**ESTATE.tables, "pool": stood})
    full = [dated("place", number=at, to=to, **{**WORK, "n_vms": 18}) for at, to in ((1, 20),)]
    told = with_holds(estate, accepted(*full), held="1").table("pool").columns["state"]
    assert [told.told(row) for row in range(3)] == ["urgent", "urgent", "unread"]


def test_what_came_is_held_no_longer_and_a_move_finds_what_others_hold():
    (hold,) = accepted(dated("place", **WORK))
    assert hold.less(TIB).bytes_on(TODAY + 7) == hold.bytes_on(TODAY + 7) - TIB
    assert hold.less(hold.most_bytes).most_bytes == 0
    estate = with_holds(ESTATE, accepted(dated("place", **{**WORK, "n_vms": 70})), held="1")
    told = compiled(estate, [dated("place", day=TODAY + 8, **{**WORK, "n_vms": 12})])
    says = told.told[0].faults[0].says
    assert told.is_barred
    assert any("accepted scenarios hold" in str(part) for part in says)


def test_operations_are_held_from_the_day_of_the_work_though_it_makes_its_own_room():
    (hold,) = accepted(
        dated("extend_pool", pool=22, added_bytes=90 * TIB), dated("place", number=2, **WORK)
    )
    assert (hold.most_bytes, hold.first_day, hold.busy_iops) == (0, TODAY + 7, 1600)


def test_nothing_held_changes_nothing():
    assert with_holds(ESTATE, (), held="") is ESTATE
    assert accepted(dated("extend_pool"), dated("free", number=2)) == ()
