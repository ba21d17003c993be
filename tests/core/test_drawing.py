"""Work out of an allotment: it takes what is held for its tenant, and nothing besides."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.estate.holds import Hold
from keelmark.core.estate.reading import read
from keelmark.core.scenario.compiling import compiled
from keelmark.core.scenario.effects import Asks, Draws
from keelmark.core.scenario.holding import holds_of
from keelmark.core.scenario.orders import steps_of
from keelmark.core.scenario.plan import read_with
from keelmark.core.units import GIB, TIB
from tests.core.estates import TODAY
from tests.core.layered import DISK, ESTATE, LATER, after, dated, reading

NOW = read(ESTATE, day=TODAY)
POOL, TENANT = 20, 70
ROW = 0  # of the pool
DAY = TODAY + 3
ALLOT = dated("allot", number=1, day=DAY, allotted_bytes=8 * TIB, min_iops=500)


def made(number: int = 2, day: int = DAY + 4, **fields):
    told = {"pool": POOL, "size_bytes": 4 * TIB, "name": "gauges", "out_of": TENANT, **fields}
    return dated("new_datastore", number=number, day=day, **told)


def placed(number: int = 3, to: int = -2, **fields):
    return dated("place", number=number, day=DAY + 6, to=to, name="tide", **fields)


def taken(told, *, day: int) -> tuple[int, ...]:
    """What its pool has used, held and promised of it on a day."""
    books = reading(told, day).books["pool"]
    return tuple(
        int(one.values[ROW]) for one in (books.used, books.held, books.promised)
    )  # fmt: skip


@given(
    size=st.integers(1, 8), written=st.integers(0, 100), n_vms=st.integers(1, 6),
    day=st.integers(DAY, TODAY + 200), thickness=st.sampled_from(["thin", "thick"]),
)  # fmt: skip
def test_what_comes_out_of_an_allotment_is_held_of_its_pool_already(
    size, written, n_vms, day, thickness
):
    disk = {**DISK, "size_bytes": size * TIB // (2 * n_vms), "written_percent": written}
    work = [made(size_bytes=size * TIB, thickness=thickness), placed(disks=[disk], n_vms=n_vms)]
    with_it, alone = after(ALLOT, *work), after(ALLOT)
    assert taken(with_it, day=day) == taken(alone, day=day)
    at = len(ESTATE.table("datastore"))
    store = int(reading(with_it, day).books["datastore"].used.values[at])
    assert (store > 0) == (day >= DAY + 6 and (written > 0 or day > DAY + 6))
    assert holds_of(with_it, now=NOW, owner=1) == holds_of(alone, now=NOW, owner=1)


@pytest.mark.parametrize(
    ("moves", "field"),
    [
        ([made()], "out_of"),
        ([made(day=DAY - 1), ALLOT], "out_of"),
        ([ALLOT, made(pool=21)], "out_of"),
        ([ALLOT, made(size_bytes=9 * TIB)], "size_bytes"),
        ([ALLOT, made(size_bytes=5 * TIB), made(number=3, name="b")], "size_bytes"),
        ([ALLOT, placed(to=POOL, out_of=TENANT, cluster=40, n_vms=9)], "n_vms"),
        ([ALLOT, placed(to=50, out_of=TENANT, cluster=None)], "out_of"),
        ([ALLOT, made(size_bytes=5 * TIB),
          dated("extend_datastore", number=4, day=DAY + 9, datastore=-2, added_bytes=4 * TIB)],
         "added_bytes"),
    ],
    ids=["nothing-allotted", "before-it", "of-another-pool", "too-large", "twice", "too-many",
         "no-pool", "extended-too-far"],
)  # fmt: skip
def test_never_more_is_taken_than_is_allotted(moves, field):
    told = compiled(ESTATE, moves)
    (barred,) = [one for one in told.told if one.is_barred]
    assert [one.field for one in barred.faults if one.is_bar] == [field]


def test_what_is_freed_may_be_provisioned_again():
    gone = dated("free", number=3, day=DAY + 8, what=[-2])
    again = made(number=4, day=DAY + 9, size_bytes=8 * TIB, name="all of it")
    told = after(ALLOT, made(size_bytes=5 * TIB), gone, again)
    assert taken(told, day=LATER) == taken(after(ALLOT), day=LATER)
    assert compiled(ESTATE, [ALLOT, made(size_bytes=5 * TIB), again]).is_barred


@given(sizes=st.lists(st.integers(1, 2), min_size=1, max_size=4))
def test_what_is_left_of_it_is_less_by_what_a_plan_takes_and_comes_back(sizes):
    work = [made(number=at, size_bytes=size * TIB, name=f"s{at}")
            for at, size in enumerate(sizes, start=2)]  # fmt: skip
    told = after(ALLOT, *work)
    (held,) = reading(told).estate.holds
    assert held.promised_bytes - held.asked_bytes == (8 - sum(sizes)) * TIB
    estate = told.plan.on(told.estate, day=LATER)
    back = [one.undone(told.estate) for one in told.plan.effects if isinstance(one, Draws)]
    (restored,) = replace(told.plan, effects=tuple(back)).on(estate, day=LATER).holds
    assert restored.asked_bytes == 0


def test_least_io_is_allotted_and_what_is_beyond_or_when_busy_is_asked_of_the_pool():
    disk = {**DISK, "size_bytes": 512 * GIB, "min_iops": 100, "busy_iops": 300}
    told = after(ALLOT, made(), placed(disks=[disk], n_vms=4), placed(
        number=4, disks=[disk], n_vms=2))  # fmt: skip
    asked = [one for one in told.plan.effects if isinstance(one, Asks)]
    assert [(one.row, one.min_iops, one.busy_iops) for one in asked] == [
        (ROW, 0, 1200), (ROW, 100, 600),
    ]  # fmt: skip


def test_what_was_drawn_before_takes_nothing_more_of_its_pool_either():
    hold = Hold(
        kind="pool", row=ROW, owner=-1, days=(TODAY,), amounts=(3 * TIB,), promised_bytes=0,
        tenant=0, volumes=(0,),
    )  # fmt: skip
    estate = replace(ESTATE, holds=(hold,))
    work = dated("place", number=1, to=50, cluster=None, n_vms=1)  # on the volume of that row
    told = compiled(estate, [work])
    assert not told.is_barred
    with_it = read_with(told.estate, told.plan, day=LATER).books
    alone = read(estate, day=LATER).books
    assert with_it["pool"].used.values[ROW] == alone["pool"].used.values[ROW]
    assert with_it["datastore"].used.values[0] > alone["datastore"].used.values[0]


def test_a_step_tells_out_of_whose_allotment_a_volume_comes():
    step = next(one for one in steps_of(after(ALLOT, made())) if one.kind.value == "create volume")
    assert (step.values["allotted_to"], step.values["allotted_to_id"]) == ("Tide Gauges", TENANT)
    assert step.values["drawn_as"] == "gauges"


def test_what_others_are_being_given_is_not_given_twice():
    hold = Hold(
        kind="pool", row=ROW, owner=-1, days=(TODAY,), amounts=(8 * TIB,), promised_bytes=8 * TIB,
        tenant=0, asked_bytes=5 * TIB,
    )  # fmt: skip
    told = compiled(replace(ESTATE, holds=(hold,)), [made()])
    assert [one.says[1] for one in told.told[0].faults if one.is_bar] == [TIB]
