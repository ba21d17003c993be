"""Moves: what bars them, what they do to every layer, and that nothing is lost or counted twice."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keelmark.core.estate.columns import Amounts
from keelmark.core.estate.reading import read
from keelmark.core.scenario.compiling import Compiled, Dated, compiled
from keelmark.core.scenario.draft import Draft
from keelmark.core.scenario.effects import Born, Course
from keelmark.core.scenario.moves import MOVES, MoveFieldError, move_of, told_of
from keelmark.core.scenario.outcome import (
    changes_of,
    ended,
    exposed,
    past_limit,
    room_with,
)
from keelmark.core.scenario.plan import Plan, read_with
from keelmark.core.units import GIB, TIB
from tests.core.estates import TODAY, make_estate
from tests.core.test_plan import assert_same, books_of, outlooks_of

POOLS, VOLUMES, STORES, DISKS, VMS = (
    (20, 21, 22),
    (30, 31, 32),
    (50, 51, 52),
    (90, 91, 92),
    (80, 81),
)
LATER = TODAY + 40
PACE = 0.02 * TIB  # a day, of everything here


def layered():
    """Disks on datastores on volumes of three pools, two of one array; the last pool is empty."""
    made = make_estate(
        pairs={
            "extents": [(50, 30), (51, 31), (52, 32)], "replicas": [(32, 33)],
            "backings": [(23, 34), (23, 35)],
        },
        site=[{"id": 1, "name": "Skerry"}],
        array=[{"id": 10, "site": 1, "name": "heron-1"}, {"id": 11, "site": 1, "name": "avocet-2"}],
        pool=[
            {"id": 20, "array": 10, "site": 1, "name": "swift-1", "size": 40 * TIB,
             "used": 20 * TIB, "promised": 30 * TIB, "class": "Swift"},
            {"id": 21, "array": 11, "site": 1, "name": "steady-1", "size": 60 * TIB,
             "used": 10 * TIB, "promised": 20 * TIB, "class": "Steady"},
            {"id": 22, "array": 10, "site": 1, "name": "deep-1", "size": 80 * TIB, "used": 0,
             "promised": 0},
            {"id": 23, "site": 1, "name": "shared", "size": 4 * TIB, "used": TIB,
             "promised": TIB, "sides": 2},
        ],
        volume=[
            {"id": 30, "pool": 20, "array": 10, "name": "v1", "size": 9 * TIB, "used": 5 * TIB,
             "snapshots": TIB},
            {"id": 31, "pool": 20, "array": 10, "name": "v2", "size": 9 * TIB, "used": 4 * TIB},
            {"id": 32, "pool": 21, "array": 11, "name": "v3", "size": 9 * TIB, "used": 2 * TIB,
             "thickness": "thick"},
            {"id": 33, "pool": 20, "array": 10, "name": "v3-mirror", "size": 9 * TIB,
             "used": 2 * TIB},
            {"id": 34, "pool": 20, "array": 10, "name": "side-a", "size": 4 * TIB, "used": TIB,
             "side": "a"},
            {"id": 35, "pool": 21, "array": 11, "name": "side-b", "size": 4 * TIB, "used": TIB,
             "side": "b", "backs_tier": "warm"},
        ],
        cluster=[{"id": 40, "site": 1, "name": "kelp"}],
        host=[{"id": 41 + at, "cluster": 40, "cpus": 32, "memory": 512 * GIB} for at in range(2)],
        datastore=[{"id": pk, "cluster": 40, "name": f"store-{pk}", "size": 9 * TIB,
                    "used": 4 * TIB, "promised": 6 * TIB} for pk in STORES],
        tenant=[{"id": 70, "name": "Tide Gauges", "quota": 9 * TIB}],
        vm=[{"id": pk, "cluster": 40, "tenant": 70, "power": "off", "cpus": 4,
             "memory": 16 * GIB} for pk in VMS],
        disk=[
            {"id": 90, "vm": 80, "tenant": 70, "datastore": 50, "size": 2 * TIB, "used": TIB},
            {"id": 91, "vm": 80, "tenant": 70, "datastore": 51, "size": 2 * TIB, "used": TIB},
            {"id": 92, "vm": 81, "tenant": 70, "datastore": 52, "size": TIB, "used": 300 * GIB},
        ],
        snapshot=[{"id": 95, "vm": 80, "used": 100 * GIB}],
        file=[{"id": 97, "datastore": 50, "size": 50 * GIB}],
        account=[{"id": 98, "name": "satellite", "quota": 6 * TIB}],
        bucket=[{"id": 99, "account": 98, "name": "passes", "used": 2 * TIB, "hot": TIB,
                 "warm": TIB}],
    )  # fmt: skip
    kinds = ("pool", "volume", "datastore", "disk", "bucket")
    return replace(
        made, outlooks={kind: outlooks_of(made.table(kind).amounts("used")) for kind in kinds}
    )


ESTATE = layered()
DISK = {"size_bytes": TIB, "written_percent": 50, "bytes_a_week": 7 * GIB}
FIELDS: dict[str, dict[str, Any]] = {
    "free": {"what": [80]},
    "migrate": {"what": [90], "to": 52},
    "place": {"name": "sonar", "n_vms": 3, "disks": [DISK], "to": 22, "cluster": 40},
    "clone": {"vm": 81, "n_copies": 4, "sharing": "sharing"},
    "change_growth": {"thing": 21, "bytes_a_week": 70 * GIB},
    "new_datastore": {"pool": 22, "cluster": 40, "name": "deep-new", "size_bytes": 4 * TIB},
    "extend_datastore": {"datastore": 50, "added_bytes": TIB},
    "extend_pool": {"pool": 20, "added_bytes": 8 * TIB, "cost": 900},
    "new_pool": {"array": 11, "name": "swift-9", "usable_bytes": 30 * TIB},
    "add_hosts": {"cluster": 40, "n_hosts": 2, "n_cpus": 64, "memory_bytes": TIB, "cost": 5},
    "remove_hosts": {"hosts": [41]},
    "retire": {"place": 22},
    "set_quota": {"of": 70, "quota_bytes": 20 * TIB},
    "clone_volume": {"volume": 30, "n_copies": 36, "name": "golden", "diverges_percent": 5},
    "resize": {"what": [80, 92], "size_percent": 150},
    "take_snapshots": {"what": [30, 52], "every_hours": 6, "kept_days": 4},
    "move_side": {"pool": 23, "side": "b", "to": 22},
    "allot": {"pool": 20, "tenant": 70, "allotted_bytes": 3 * TIB, "min_iops": 500},
    "mirror": {"what": [30, 31], "to": 21},
    "end_mirror": {"what": [32]},
    "revise_tier": {"tier": "Neap", "min_iops": 100, "max_iops": 3_000},
    "set_limits": {"what": [30, 32], "max_iops": 3_000},
    "name_tier": {"what": [90, 80], "tier": "Slack"},
    "promise_policy": {"what": [30, 80], "policy": "Twice-kept"},
    "place_objects": {"bucket": 99, "tier": "hot", "first_bytes": TIB, "bytes_a_week": 7 * GIB},
}


def dated(kind: str, *, number: int = 1, day: int = TODAY + 7, is_off: bool = False, **fields):
    told = {**FIELDS[kind], **fields}
    return Dated(number=number, day=day, move=move_of(kind, told), is_off=is_off)


def after(*moves: Dated) -> Compiled:
    told = compiled(ESTATE, moves)
    assert not told.is_barred, [one.faults for one in told.told]
    return told


def reading(told: Compiled, day: int = LATER):
    return read_with(told.estate, told.plan, day=day)


def used(books, kind: str, place: int) -> int:
    return int(books.books[kind].used.values[place])


def more(told: Compiled, kind: str, place: int, *, day: int = LATER) -> int:
    """By how many bytes a thing holds more than without the moves."""
    return used(reading(told, day), kind, place) - used(read(ESTATE, day=day), kind, place)


def test_every_move_is_tried_here():
    assert set(FIELDS) == set(MOVES)


@pytest.mark.parametrize("kind", FIELDS)
def test_a_move_tells_its_fields_and_is_read_again(kind):
    move = move_of(kind, FIELDS[kind])
    kept = told_of(move)
    assert move_of(kind, kept) == move
    assert {ask.name for ask in move.asks if not ask.is_optional} <= set(kept)


@pytest.mark.parametrize("kind", FIELDS)
def test_a_move_can_be_and_says_what_it_does(kind):
    told = after(dated(kind)).told[0]
    assert isinstance(told.title[0], str)
    assert told.title[0]
    assert "?" not in str(told.title)
    assert all(isinstance(part, str | int) for part in (*told.title, *told.detail))


@pytest.mark.parametrize("kind", FIELDS)
def test_what_a_move_wrote_is_undone_in_reverse(kind):
    told = after(dated(kind))
    draft = Draft(told.estate)
    backwards = []
    for effect in told.plan.effects:
        if not isinstance(effect, Born):
            backwards.append(effect.undone(draft.done()))
        effect.write(draft)
    for effect in reversed(backwards):
        effect.write(draft)
    left = Plan(effects=tuple(one for one in told.plan.effects if isinstance(one, Born)))
    assert_same(draft.done(), left.on(told.estate, day=LATER))


@pytest.mark.parametrize("kind", FIELDS)
@pytest.mark.parametrize("how", ["off", "past"])
def test_a_move_that_is_off_or_of_a_day_that_has_been_does_nothing(kind, how):
    one = dated(kind, is_off=how == "off", day=TODAY - 1 if how == "past" else TODAY + 7)
    told = compiled(ESTATE, [one])
    assert told.is_barred == (how == "past")
    assert told.plan.effects == ()
    assert told.spends == 0


@pytest.mark.parametrize(
    ("kind", "fields", "field"),
    [
        pytest.param("free", {"what": [777]}, "what", id="not-there"),
        pytest.param("free", {"what": [20]}, "what", id="of-another-kind"),
        pytest.param("free", {"what": [50]}, "what", id="a-datastore-that-holds-disks"),
        pytest.param("free", {"what": [30]}, "what", id="a-volume-under-a-datastore"),
        pytest.param("migrate", {"what": [90], "to": 50}, "what", id="lies-there-already"),
        pytest.param("migrate", {"what": [30], "to": 52}, "to", id="volume-to-a-datastore"),
        pytest.param("place", {"to": 22, "cluster": None}, "cluster", id="nobody-runs-it"),
        pytest.param("place", {"to": 50, "n_vms": 40}, "to", id="no-room"),
        pytest.param("clone", {"n_copies": 90_000}, "n_copies", id="copies-without-room"),
        pytest.param("new_pool", {"array": 10, "name": "deep-1"}, "name", id="name-taken"),
        pytest.param("new_datastore", {"name": "store-50"}, "name", id="store-name-taken"),
        pytest.param("remove_hosts", {"hosts": [41, 42]}, "hosts", id="no-host-left"),
        pytest.param("retire", {"place": 20}, "place", id="holds-volumes"),
        pytest.param("retire", {"place": 11}, "place", id="an-array-whose-pools-hold-volumes"),
    ],
)
def test_a_move_that_cannot_be_is_barred_at_its_field(kind, fields, field):
    told = compiled(ESTATE, [dated(kind, **fields)])
    bars = [one for one in told.told[0].faults if one.is_bar]
    assert field in {one.field for one in bars}
    assert told.plan.effects == ()


@pytest.mark.parametrize(
    ("kind", "fields", "field"),
    [
        pytest.param("place", {"n_vms": 0}, "n_vms", id="none"),
        pytest.param("place", {"disks": []}, "disks", id="no-disk"),
        pytest.param("place", {"disks": [{"size_bytes": 1, "colour": 2}]}, "disks", id="unknown"),
        pytest.param("place", {"disks": [{"size_bytes": -1}]}, "disks", id="negative"),
        pytest.param("extend_pool", {"added_bytes": "much"}, "added_bytes", id="text"),
        pytest.param("extend_pool", {"added_bytes": True}, "added_bytes", id="truth"),
        pytest.param("extend_pool", {"depth": 3}, "depth", id="no-such-field"),
        pytest.param("clone", {"sharing": "maybe"}, "sharing", id="no-such-choice"),
        pytest.param("free", {"what": [1] * 6_000}, "what", id="too-many"),
        pytest.param("new_pool", {"name": "x" * 300}, "name", id="too-long"),
    ],
)
def test_a_wrong_field_is_named(kind, fields, field):
    with pytest.raises(MoveFieldError) as told:
        move_of(kind, {**FIELDS[kind], **fields})
    assert told.value.field == field


def test_what_is_freed_leaves_every_layer_below():
    told = after(dated("free"))
    grown = 40 * PACE
    held = TIB + grown
    for kind, place in (("datastore", 0), ("datastore", 1), ("volume", 0), ("volume", 1)):
        # Disk 90 and its snapshot on the first, disk 91 on the second.
        snapshot = 100 * GIB if place == 0 else 0
        assert more(told, kind, place) == pytest.approx(-held - snapshot, rel=0.01)
    assert more(told, "pool", 0) == pytest.approx(-2 * held - 100 * GIB, rel=0.01)
    assert more(told, "pool", 1) == 0
    is_there = reading(told).is_there
    assert is_there["vm"].tolist() == [False, True]
    assert is_there["disk"].tolist() == [False, False, True]


@given(
    what=st.lists(st.sampled_from([*DISKS, *VMS]), min_size=1, max_size=3, unique=True),
    to=st.sampled_from(STORES), n_days=st.integers(0, 20),
)  # fmt: skip
def test_a_migration_conserves_bytes_and_both_ends_hold_them_meanwhile(what, to, n_days):
    told = compiled(ESTATE, [dated("migrate", what=what, to=to, n_days=n_days)])
    if told.is_barred:
        return
    for kind in ("datastore", "volume", "pool"):
        is_there = read(ESTATE, day=LATER).is_there[kind]
        rows = range(len(is_there))
        assert abs(sum(more(told, kind, at) for at in rows)) <= len(what) * 4
        meanwhile = TODAY + 7 + n_days - 1
        if n_days and kind == "datastore":
            assert sum(more(told, kind, at, day=meanwhile) for at in rows) > 0


def test_a_datastore_migrates_with_its_volumes_and_their_snapshots():
    told = after(dated("migrate", what=[50], to=22, n_days=0))
    grown = 33 * PACE
    moved = 5 * TIB + TIB + 7 * PACE
    assert more(told, "pool", 2) == pytest.approx(moved + grown, rel=0.02)
    assert more(told, "pool", 0) == -more(told, "pool", 2)
    books = reading(told).books["pool"].promised
    assert books.values[:3].tolist() == [21 * TIB, 20 * TIB, 9 * TIB]
    volumes = told.plan.on(told.estate, day=LATER).table("volume").links
    assert volumes["pool"].tolist()[0] == 2
    assert volumes["array"].tolist()[0] == 0


def test_vms_on_a_pool_come_with_a_datastore_of_their_own():
    told = after(dated("place"))
    made = reading(told)
    store, volume = made.estate.table("datastore"), made.estate.table("volume")
    assert store.names[-1] == "sonar"
    assert int(made.books["datastore"].size.values[-1]) == 3414 * GIB  # 3 TiB at 90 %
    assert volume.links["pool"][-1] == 2
    weeks = (LATER - TODAY - 7) / 7
    written = 3 * (TIB // 2 + weeks * 7 * GIB)
    for kind, place in (("datastore", -1), ("volume", -1), ("pool", 2), ("tenant", 0)):
        if kind != "tenant":
            found = used(made, kind, place) - (40 * PACE if kind == "pool" else 0)
            assert found == pytest.approx(written, rel=0.01)
    assert int(made.is_there["vm"].sum()) == 5
    assert int(made.books["pool"].promised.values[2]) == 3414 * GIB


def test_a_later_move_names_what_an_earlier_one_brings():
    new = dated("new_datastore")
    into = dated("migrate", number=2, what=[90], to=-1, day=TODAY + 9, n_days=0)
    told = after(new, into)
    assert more_of_born(told) > TIB
    assert compiled(ESTATE, [into]).is_barred
    early = replace(into, day=TODAY + 2)
    assert [one.is_barred for one in compiled(ESTATE, [new, early]).told] == [False, True]


def more_of_born(told: Compiled) -> int:
    return used(reading(told), "datastore", -1)


def test_sharing_copies_take_only_what_they_change():
    full = after(dated("clone", sharing="full"))
    sharing = after(dated("clone", sharing="sharing", diverges_percent=25))
    at = TODAY + 7
    assert more(full, "datastore", 2, day=at) == pytest.approx(
        4 * more(sharing, "datastore", 2, day=at), rel=1e-9
    )
    assert int(reading(full).is_there["vm"].sum()) == 6


moves = st.builds(
    lambda kind, day, what: (kind, day, what),
    st.sampled_from(sorted(FIELDS)), st.integers(TODAY, TODAY + 50),
    st.sampled_from([{}, {}, {"is_off": True}]),
)  # fmt: skip


def scenario(some) -> list[Dated]:
    return [dated(kind, number=at, day=day, **what) for at, (kind, day, what) in enumerate(some, 1)]


@given(some=st.lists(moves, max_size=6), day=st.integers(TODAY, TODAY + 90))
def test_sizes_and_courses_by_day_are_those_of_the_estate_on_that_day(some, day):
    told = compiled(ESTATE, scenario(some))
    on, now = read_with(told.estate, told.plan, day=day), read(ESTATE, day=TODAY)
    plain = read_with(told.estate, Plan(), day=day)
    for kind in ("pool", "datastore"):
        change = changes_of(told, now=now, kind=kind, horizon_days=90)
        books, there = on.books[kind], on.is_there[kind][change.rows]
        sizes = books.size.values[change.rows]
        assert sizes[there].tolist() == change.sizes[there, day - TODAY].tolist()
        before = plain.books[kind].used.values[change.rows]
        held = books.held.values[change.rows]  # what is allotted is not used, and comes too
        expected = np.maximum(before + change.added[:, day - TODAY] - held, 0)
        assert np.abs(books.used.values[change.rows] - expected)[there].max(initial=0) <= 8


@given(some=st.lists(moves, max_size=5), day=st.integers(TODAY, TODAY + 90))
def test_moves_that_are_barred_or_off_change_nothing(some, day):
    told = compiled(ESTATE, scenario(some))
    counts = {
        one.number
        for one, tells in zip(scenario(some), told.told, strict=True)
        if not one.is_off and not tells.is_barred
    }
    alone = compiled(ESTATE, [one for one in scenario(some) if one.number in counts])
    for kind in ("pool", "datastore", "volume", "disk"):
        n = len(ESTATE.table(kind))
        one, other = (reading(each, day).books[kind].used for each in (told, alone))
        assert one.values[:n].tolist() == other.values[:n].tolist()


@given(days=st.permutations([TODAY + 3, TODAY + 9]))
def test_moves_that_do_not_touch_come_in_any_order(days):
    one = dated("extend_pool", pool=21, day=days[0])
    other = dated("free", number=2, what=[80], day=days[1])
    forth, back = compiled(ESTATE, [one, other]), compiled(ESTATE, [other, one])
    assert books_of(reading(forth)) == books_of(reading(back))


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


def test_each_side_of_a_mirror_takes_all_of_it():
    mirrored = make_estate(
        pairs={"extents": [(50, 33)], "backings": [(22, 30), (22, 31)]},
        pool=[{"id": 20, "size": 90 * TIB, "used": TIB}, {"id": 21, "size": 90 * TIB, "used": TIB},
              {"id": 22, "size": 9 * TIB, "used": TIB}],
        volume=[{"id": 30, "pool": 20, "size": 9 * TIB, "used": TIB},
                {"id": 31, "pool": 21, "size": 9 * TIB, "used": TIB},
                {"id": 33, "pool": 22, "size": 4 * TIB, "used": 0}],
        cluster=[{"id": 40}],
        datastore=[{"id": 50, "cluster": 40, "size": 4 * TIB, "used": 0, "promised": 0}],
    )  # fmt: skip
    pools = mirrored.table("pool")
    sides = Amounts(values=np.array([0, 0, 2]), is_known=np.ones(3, dtype=np.bool_))
    told = replace(
        mirrored,
        tables={**mirrored.tables,
                "pool": replace(pools, columns={**pools.columns, "sides": sides})},
    )  # fmt: skip
    put = dated("place", to=50, cluster=None, n_vms=1,
                disks=[{"size_bytes": TIB, "written_percent": 100}])  # fmt: skip
    plan = compiled(told, [put])
    assert not plan.is_barred
    added = plan.plan.added_on(TODAY + 7, plan.estate)
    assert added["pool"].tolist() == [TIB, TIB, TIB]
    assert added["volume"][:3].tolist() == [TIB, TIB, TIB]


def test_exposure_and_what_is_past_its_limit_are_told_of_the_day():
    told = after(dated("new_datastore", size_bytes=100 * TIB))
    assert exposed(read(ESTATE, day=LATER)) == 0
    assert exposed(reading(told)) == 20 * TIB
    grown = after(dated("change_growth", bytes_a_week=50 * TIB))
    assert past_limit(reading(grown), kind="pool").tolist() == [False, True, False, False]
