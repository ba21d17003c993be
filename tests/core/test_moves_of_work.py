"""Moves of work that is there: disks resized, volumes cloned, snapshots, a shared pool's side."""

from dataclasses import replace

import pytest

from keelmark.core.estate.columns import words
from keelmark.core.estate.reading import read
from keelmark.core.scenario.compiling import compiled
from keelmark.core.scenario.effects import Course
from keelmark.core.units import TIB
from tests.core.estates import TODAY
from tests.core.layered import ESTATE, LATER, after, dated, more, reading


@pytest.mark.parametrize("percent", [70, 100, 150])
def test_resized_disks_promise_more_or_less_and_hold_what_they_hold(percent):
    told = after(dated("resize", what=[80], size_percent=percent))
    then, now = reading(told), read(ESTATE, day=LATER)
    wanted = 2 * TIB * percent // 100 - 2 * TIB
    for kind, place, column in (
        ("disk", 0, "size"),
        ("disk", 1, "size"),
        ("datastore", 0, "promised"),
        ("datastore", 1, "promised"),
    ):
        was, comes = (getattr(one.books[kind], column).values[place] for one in (now, then))
        assert comes - was == wanted
    assert [more(told, kind, 0) for kind in ("disk", "datastore", "pool")] == [0, 0, 0]


def test_a_thick_disk_takes_its_new_size_of_all_below_it():
    table = ESTATE.table("disk")
    thick = replace(table, columns={**table.columns, "thickness": words(["thick"] * 3)})
    estate = replace(ESTATE, tables={**ESTATE.tables, "disk": thick})
    told = compiled(estate, [dated("resize", what=[92], size_percent=150)])
    added = {(one.kind, one.row): one.first_bytes for one in told.plan.effects
             if isinstance(one, Course)}  # fmt: skip
    assert added == {("disk", 2): TIB // 2, ("datastore", 2): TIB // 2, ("volume", 2): TIB // 2,
                     ("pool", 1): TIB // 2}  # fmt: skip


def test_no_disk_is_shrunk_below_what_it_holds():
    told = compiled(ESTATE, [dated("resize", size_percent=10)])
    assert {one.field for one in told.told[0].faults if one.is_bar} == {"size_percent"}


def test_all_that_another_move_places_is_resized():
    moves = [dated("place"), dated("resize", number=2, what=[-1], size_percent=200, day=TODAY + 9)]
    sizes = reading(after(*moves)).books["disk"].size.values
    assert sizes[-3:].tolist() == [2 * TIB] * 3


def test_snapshots_come_to_hold_what_is_rewritten_while_they_are_kept():
    told = after(dated("take_snapshots", what=[30], kept_days=4, changes_percent=10, day=TODAY))
    a_day = 5 * TIB // 10
    for days, wanted in ((0, 0), (1, a_day), (3, 3 * a_day), (4, 4 * a_day), (30, 4 * a_day)):
        assert abs(more(told, "pool", 0, day=TODAY + days) - wanted) <= 8
    assert more(told, "volume", 0) == 0


def test_a_side_moves_alone_and_the_other_stays():
    told = after(dated("move_side", n_days=0))
    pool = reading(told).link("volume", "pool")
    assert pool[-2:].tolist() == [0, 2]
    assert more(told, "pool", 1) < 0 < more(told, "pool", 2)


@pytest.mark.parametrize(
    ("fields", "field", "says"),
    [
        ({"side": "c"}, "side", "one of a, b"),
        ({"side": ""}, "side", "name one of them"),
        ({"side": "", "tier": "cold"}, "tier", "one of warm"),
        ({"pool": 20}, "pool", "migrate its volumes"),
    ],
    ids=["no such side", "nothing named", "no such tier", "no shared pool"],
)
def test_a_side_that_is_not_there_cannot_move(fields, field, says):
    (told,) = compiled(ESTATE, [dated("move_side", **fields)]).told
    assert [(one.field, says in one.would_be) for one in told.faults if one.is_bar] == [
        (field, True)
    ]


def test_both_sides_on_one_array_are_minded():
    (told,) = compiled(ESTATE, [dated("move_side", side="b", to=22)]).told
    assert ["heron-1 would hold side a too" in str(one.says) for one in told.faults] == [True]
    (other,) = compiled(ESTATE, [dated("move_side", side="a", to=22)]).told
    assert other.faults == ()


def test_clones_share_what_they_do_not_change_and_promise_all_of_it():
    told = after(dated("clone_volume", day=TODAY))
    then, now = reading(told, TODAY), read(ESTATE, day=TODAY)
    assert more(told, "pool", 0, day=TODAY) == 36 * (5 * TIB * 5 // 100)
    promised = [int(one.books["pool"].promised.values[0]) for one in (now, then)]
    assert promised[1] - promised[0] == 36 * 9 * TIB
    assert told.estate.table("volume").names[-1] == "golden-36"
    twice = [dated("clone_volume"), dated("clone_volume", number=2)]
    taken = compiled(ESTATE, twice).told[1]
    assert [one.field for one in taken.faults if one.is_bar] == ["name"]
