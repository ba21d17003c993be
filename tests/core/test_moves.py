"""Moves: what bars them, what they do to every layer, and that nothing is lost or counted twice."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.estate.columns import Amounts
from keelmark.core.estate.reading import read
from keelmark.core.scenario.changes import changes_of
from keelmark.core.scenario.compiling import Compiled, compiled
from keelmark.core.scenario.draft import Draft
from keelmark.core.scenario.effects import Born
from keelmark.core.scenario.moves import MOVES, MoveFieldError, move_of, told_of
from keelmark.core.scenario.plan import Plan, read_with
from keelmark.core.units import GIB, TIB
from tests.core.estates import TODAY, make_estate
from tests.core.layered import (
    DISKS,
    ESTATE,
    FIELDS,
    LATER,
    PACE,
    STORES,
    VMS,
    after,
    dated,
    more,
    moves,
    reading,
    scenario,
    used,
)
from tests.core.test_plan import assert_same, books_of


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
        pytest.param("free", {"what": [34]}, "what", id="a-volume-under-a-shared-pool"),
        pytest.param("migrate", {"what": [90], "to": 50}, "what", id="lies-there-already"),
        pytest.param("migrate", {"what": [30], "to": 52}, "to", id="volume-to-a-datastore"),
        pytest.param("place", {"to": 22, "cluster": None}, "cluster", id="nobody-runs-it"),
        pytest.param("place", {"to": 50, "n_vms": 40}, "to", id="no-room"),
        pytest.param("clone", {"n_copies": 90_000}, "n_copies", id="copies-without-room"),
        pytest.param("new_pool", {"array": 10, "name": "deep-1"}, "name", id="name-taken"),
        pytest.param("new_array", {"name": "heron-1"}, "name", id="array-taken"),
        pytest.param("new_datastore", {"name": "store-50"}, "name", id="store-name-taken"),
        pytest.param("mount", {"datastore": 50, "cluster": 40}, "cluster", id="all-see-it"),
        pytest.param("place", {"to": 50, "cluster": 45}, "cluster", id="its-hosts-do-not-see-it"),
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
        pytest.param(
            "place", {"n_vms": 100_000, "disks": [{"size_bytes": 1}] * 11}, "n_vms", id="too-much"
        ),
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
    for told in (full, sharing):  # whose VM it is holds its copies, too
        added = more(told, "datastore", 2, day=at)
        assert more(told, "tenant", 0, day=at) == pytest.approx(added, abs=8)
        assert int(reading(told).is_there["disk"].sum()) == 7


def test_disks_of_more_copies_than_a_move_may_bring_count_with_their_vms(monkeypatch):
    monkeypatch.setattr("keelmark.core.scenario.moves.place.MOST_BORN", 3)
    many, few = after(dated("clone")), after(dated("clone", n_copies=3))
    assert [int(reading(told).is_there["disk"].sum()) for told in (many, few)] == [3, 6]
    assert more(many, "datastore", 2) * 3 == pytest.approx(more(few, "datastore", 2) * 4, rel=1e-6)


def test_copies_of_what_a_plan_brings_are_counted_without_their_disks():
    told = after(dated("place", n_vms=1, to=52, cluster=None), dated("clone", number=2, vm=-1))
    assert int(reading(told).is_there["vm"].sum()) == 7
    assert int(reading(told).is_there["disk"].sum()) == 4


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
