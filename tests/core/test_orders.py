"""Steps of work orders: all that a plan changes is done by one, with its exact values, in order."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keelmark.core.scenario.compiling import compiled
from keelmark.core.scenario.effects import AddAmount, Born, Retire, SetLink
from keelmark.core.scenario.orders import steps_of
from keelmark.core.scenario.steps import StepKind
from keelmark.core.units import TIB
from tests.core.estates import TODAY
from tests.core.layered import ESTATE, FIELDS, after, dated, moves, scenario


def steps(*some):
    return steps_of(after(*some))


@pytest.mark.parametrize(
    ("kind", "wanted"),
    [
        ("free", ["remove"]), ("migrate", ["move disk"]),
        ("place", ["create volume", "map volume", "make datastore", "deploy VMs"]),
        ("clone", ["deploy VMs"]), ("change_growth", []),
        ("new_datastore", ["create volume", "map volume", "make datastore"]),
        ("extend_datastore", ["extend volume", "extend datastore"]),
        ("mount", ["map volume", "mount datastore"]),
        ("extend_pool", ["extend pool"]), ("new_pool", ["add pool"]),
        ("new_array", ["add array"]),
        ("add_hosts", ["add hosts"]), ("remove_hosts", ["remove"]), ("retire", ["remove"]),
        ("set_quota", ["set quota"]), ("allot", ["allot"]),
        ("resize", ["resize disks"]), ("clone_volume", ["clone volume"]),
        ("take_snapshots", ["set snapshots"]),
        ("move_side", ["move volume"]), ("revise_tier", ["revise tier"]),
        ("set_limits", ["set limits", "set limits"]), ("name_tier", ["name tier"]),
        ("promise_policy", ["promise policy"]),
        ("mirror", ["create volume", "create volume", "start mirror", "start mirror"]),
        ("end_mirror", ["end mirror", "remove"]), ("place_objects", ["put objects"]),
    ],
)  # fmt: skip
def test_each_move_has_its_steps(kind, wanted):
    assert [one.kind.value for one in steps(dated(kind))] == wanted


def test_every_move_is_asked_here():
    asked = test_each_move_has_its_steps.pytestmark[0].args[1]
    assert {kind for kind, _ in asked} == set(FIELDS)


def test_values_are_exact_and_name_where_it_is():
    volume, mapped, store, vms = steps(dated("place"))
    assert volume.values == {
        "name": "sonar-v1", "array": "heron-1", "pool": "deep-1", "pool_id": 22,
        "size_bytes": store.values["size_bytes"], "thickness": "thin",
    }  # fmt: skip
    assert (mapped.values["cluster"], mapped.values["cluster_id"]) == ("kelp", 40)
    assert (vms.values["n"], vms.values["disks"]) == (3, [str(TIB)])
    assert vms.values["names"] == ["sonar-1", "sonar-2", "sonar-3"]
    assert {one.subject for one in (volume, mapped, store, vms)} == {None}


def test_what_a_plan_brings_is_named_and_has_no_id_yet():
    told = steps(
        dated("new_array", day=TODAY + 1),
        dated("new_pool", number=2, array=-1, day=TODAY + 2),
        dated("extend_pool", number=3, pool=-2, day=TODAY + 3),
        dated("new_datastore", number=4, pool=-2, day=TODAY + 4),
        dated("place", number=5, to=-4, cluster=None, day=TODAY + 5),
    )
    kinds = [one.kind.value for one in told]
    assert kinds == ["add array", "add pool", "extend pool", "create volume", "map volume",
                     "make datastore", "deploy VMs"]  # fmt: skip
    assert {one.subject for one in told} == {None}
    array, pool, more, volume, _, _, vms = (one.values for one in told)
    assert (array["name"], array["site"], array["site_id"]) == ("curlew-1", "Skerry", 1)
    assert (array["sustains"], array["ports"]) == (50_000, 8)
    assert (pool["array"], more["name"], volume["pool"]) == ("curlew-1", "swift-9", "swift-9")
    assert vms["datastore"] == "deep-new"
    missing = {"array_id", "pool_id", "datastore_id"}
    assert not missing & {name for one in told for name in one.values}


def test_a_datastore_is_mounted_once_its_volumes_are_mapped_made_by_the_plan_or_not():
    mapped, mounted = steps(dated("mount"))
    assert (mapped.subject_kind, mapped.subject, mounted.subject) == ("volume", 31, 51)
    assert mapped.values == mounted.values == {"cluster": "wrack", "cluster_id": 45}
    *_, mapped, mounted = steps(
        dated("new_datastore"), dated("mount", number=2, datastore=-1, day=TODAY + 9)
    )
    assert (mapped.values["name"], mapped.values["pool_id"]) == ("deep-new-v1", 22)
    assert (mapped.subject, mounted.values["name"]) == (None, "deep-new")


def test_sizes_add_up_over_moves():
    first, second = steps(dated("extend_pool"), dated("extend_pool", number=2))
    assert (first.values["was_bytes"], first.values["size_bytes"]) == (40 * TIB, 48 * TIB)
    assert (second.values["was_bytes"], second.values["size_bytes"]) == (48 * TIB, 56 * TIB)
    assert second.title[-1] == 56 * TIB


def test_what_lies_on_another_is_removed_before_it_and_what_is_lost_is_named():
    told = steps(dated("free", what=[50, 90]), dated("free", number=2, what=[80]))
    kinds = [one.subject_kind for one in told]
    assert kinds == ["disk", "datastore", "volume", "vm"]
    assert set(told[-1].loses) == {"vm-80", "disk-91", "snapshot-95"}


@given(some=st.lists(moves, max_size=6))
def test_whatever_a_plan_changes_is_done_by_a_step_and_nothing_else_is(some):
    told = compiled(ESTATE, scenario(some))
    done = steps_of(told)
    assert [one.day for one in done] == sorted(one.day for one in done)
    by_move = {one.move for one in done}
    for one in told.told:
        does = [
            x for x in one.effects
            if isinstance(x, Born | Retire | SetLink)
            or (isinstance(x, AddAmount) and x.column == "size")
        ]  # fmt: skip
        if one.is_barred or not one.effects:
            assert one.number not in by_move
        elif does:
            assert one.number in by_move
    made = sum(isinstance(x, Born) and x.kind == "volume" for x in told.plan.effects)
    assert sum(one.kind is StepKind.CREATE_VOLUME for one in done) == made
    assert all(one.day >= TODAY for one in done)
