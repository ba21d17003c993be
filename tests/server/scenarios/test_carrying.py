"""Work orders carried out at an array: step by step, once, resumed, stopped, and the way back."""

from datetime import timedelta

import pytest

from keelmark.access.clock import now, utc_today
from keelmark.access.models import AuditEntry
from keelmark.bearings.packs.building import build_revision
from keelmark.core.units import GIB
from keelmark.estate.documents import (
    ClusterDocument,
    DatastoreDocument,
    HostDocument,
    VirtualDiskDocument,
    VirtualMachineDocument,
)
from keelmark.estate.models import Entity, Reservation, Volume
from keelmark.feeds.changes.asking import queue_left
from keelmark.feeds.changes.carrying import carry_out as carry_changes
from keelmark.feeds.models import Change
from keelmark.scenarios.services.carrying import go_on_all
from tests.server.cluster import tell
from tests.server.conftest import NOW, for_a_module
from tests.server.scenarios.collecting import collect, forget_volumes, go
from tests.server.scenarios.planning import drawn_up
from tests.server.scenarios.test_accepting import accept

NAME = "sonar-new"


@pytest.fixture(scope="module")
def ground(collected, array, django_db_blocker):
    """The array with a cluster whose hosts come to it by ports that it knows."""
    with for_a_module(django_db_blocker):
        ports = array.service.tree.ground.ports_seen[:2]
        tell(
            ClusterDocument(uid="id.kelp", name="kelp", read_at=NOW),
            *(
                HostDocument(
                    uid=f"wwn.{port}", name=f"kelp-{n}", cluster_uid="id.kelp", read_at=NOW,
                    n_cpus=64, memory_bytes=512 * GIB,
                )
                for n, port in enumerate(ports, start=1)
            ),
        )  # fmt: skip
        build_revision(now=now())
        yield {one.uid: one.pk for one in Entity.objects.all()}


@pytest.fixture
def estate(ground, collected, array, db, settings):
    settings.FEED_NETWORKS = ["127.0.0.0/8"]
    array.fault("none")
    yield ground
    forget_volumes(array, named=NAME)


@pytest.fixture
def desk(operator):
    return operator


def intake(estate, array, *, on=0):
    pool = array.service.tree.ground.pools["swift-2"]
    return {
        "on": (utc_today() + timedelta(days=on)).isoformat(), "kind": "place",
        "fields": {
            "name": NAME, "n_vms": 2, "to": estate[f"uuid.{pool.uuid}"],
            "cluster": estate["id.kelp"], "n_cpus": 1, "memory_bytes": GIB,
            "disks": [{"size_bytes": 10 * GIB, "written_percent": 50, "bytes_a_week": 0}],
        },
    }  # fmt: skip


def freeing(pk):
    return {"on": utc_today().isoformat(), "kind": "free", "fields": {"what": [pk]}}


def ordered(api, *moves):
    made = drawn_up(api, *moves)
    answer = accept(api, made)
    assert answer.status_code == 200, answer.content
    return api.send("POST", f"/scenarios/{made['id']}/order").json()


def read(api, order):
    return api.get(f"/scenarios/{order['scenario_id']}/order").json()


def send(api, order, what, method="POST", **told):
    path = f"/scenarios/{order['scenario_id']}/order/{what}"
    return api.send(method, path, seen=read(api, order)["version"], **told)


def states(order):
    return [one["state"] for one in order["steps"]]


def made(array):
    return [one for _, one in array.service.tree.ground.volumes.values() if one.name[:9] == NAME]


def handed_over(order, *, size):
    """What hands do: the datastore and its VMs."""
    volume = next(one for one in order["steps"] if one["kind"] == "create volume")
    store = next(one for one in order["steps"] if one["kind"] == "make datastore")
    uid = Entity.objects.get(name=volume["values"]["name"], kind="volume", retired_at=None).uid
    tell(
        DatastoreDocument(
            uid="uuid.new", name=store["values"]["name"], cluster_uid="id.kelp",
            extents=[uid], kind="block", size_bytes=size, read_at=now(),
        ),
        *(
            one
            for n in range(2)
            for one in (
                VirtualMachineDocument(
                    uid=f"uuid.new-{n}", name=f"{NAME}-{n}", cluster_uid="id.kelp", read_at=now()
                ),
                VirtualDiskDocument(
                    uid=f"path.new-{n}:a", name="a", vm_uid=f"uuid.new-{n}", path=f"/n/{n}",
                    datastore_uid="uuid.new", size_bytes=10 * GIB, read_at=now(),
                ),
            )
        ),
    )  # fmt: skip
    go_on_all()


def test_an_intake_is_carried_out_to_its_end(desk, estate, array, collected):
    order = ordered(desk, intake(estate, array))
    first = order["steps"][0]
    assert (first["kind"], first["carriage"]["can_be"]) == ("create volume", True)
    assert order["steps"][2]["carriage"]["why"] == "nothing of this is written from here"
    assert (order["waits"]["place"], order["waits"]["what"]) == (1, "nothing")
    told = send(desk, order, "carrying").json()
    assert (told["carrying"]["by"], told["waits"]["what"]) == ("deckhand", "far end")
    assert carry_changes(feed_id=collected.pk) == 1
    (volume,) = made(array)
    assert volume.size_bytes >= first["values"]["size_bytes"]
    go_on_all()
    told = read(desk, order)
    assert (told["steps"][0]["state"], told["steps"][0]["done_by"]) == ("settling", "deckhand")
    collect(collected)  # it is read, and the next one is sent
    told = read(desk, order)
    assert states(told)[0] == "verified"
    assert told["waits"]["place"] == 2
    go(collected)
    assert len(volume.seen_by) == 2
    told = read(desk, order)
    assert states(told)[:2] == ["verified", "verified"]
    assert (told["waits"]["place"], told["waits"]["what"]) == (3, "hand")
    assert Reservation.objects.exists()
    handed_over(order, size=order["steps"][2]["values"]["size_bytes"])
    told = read(desk, order)
    assert set(states(told)) == {"verified"}
    assert (told["ended_at"] is not None, told["carrying"]) == (True, None)
    assert not Reservation.objects.exists()
    assert desk.get(f"/scenarios/{order['scenario_id']}").json()["state"] == "carried out"
    deeds = set(AuditEntry.objects.values_list("action", flat=True))
    assert {"carry out work order", "make volume", "map volume", "carry scenario out"} <= deeds


def test_who_plans_carries_nothing_out(api, desk, estate, array):
    order = ordered(api, intake(estate, array))
    for what in ("carrying", "steps/1/change"):
        assert send(api, order, what).status_code == 403
    assert made(array) == []


@pytest.mark.parametrize("fault", ["hangs-up", "slow-task"])
def test_killed_in_the_middle_it_goes_on_and_nothing_is_made_twice(
    desk, estate, array, collected, fault, monkeypatch
):
    order = ordered(desk, intake(estate, array))
    send(desk, order, "carrying")
    array.fault(fault, count=1, delay_seconds=0)

    class Killed(BaseException):
        pass

    def die(*_, **__):
        raise Killed

    with monkeypatch.context() as patched:
        patched.setattr("keelmark.feeds.redfish.making._made", die)  # behind the array's answer
        with pytest.raises(Killed):
            carry_changes(feed_id=collected.pk)
    assert Change.objects.get().state == "sending"
    queue_left()
    go(collected)
    assert (len(made(array)), Change.objects.get(what="volume").n_tries) == (1, 2)
    assert states(read(desk, order))[0] == "verified"


def test_a_slow_task_is_waited_for_and_told(desk, estate, array, collected, monkeypatch):
    monkeypatch.setattr("keelmark.feeds.redfish.session._LOOK_SECONDS", (0.0,))
    order = ordered(desk, intake(estate, array))
    send(desk, order, "carrying")
    array.fault("slow-task", count=1, delay_seconds=60)
    carry_changes(feed_id=collected.pk)
    told = read(desk, order)
    assert (told["steps"][0]["change"]["state"], told["waits"]["what"]) == ("under way", "far end")
    assert "the array is at it" in told["waits"]["says"]
    halted = send(desk, order, "carrying", "DELETE").json()
    assert (halted["carrying"], halted["stopped"]) == (None, "Halted by deckhand.")
    array.service.changes.tasks[1].ends_at = 0.0
    go(collected)  # what was begun goes to its end, and no further
    told = read(desk, order)
    assert states(told)[:2] == ["verified", "to do"]
    assert (told["steps"][1]["change"], len(made(array))) == (None, 1)


@pytest.mark.parametrize(
    ("fault", "says"),
    [("refuses", "The array has no room for it."), ("half-done", "The array gave it up."),
     ("failing-task", "The array gave it up.")],
)  # fmt: skip
def test_the_first_step_that_fails_stops_it_and_is_tried_again(
    desk, estate, array, collected, fault, says
):
    order = ordered(desk, intake(estate, array))
    send(desk, order, "carrying")
    array.fault(fault, count=1, delay_seconds=0)
    carry_changes(feed_id=collected.pk)
    go_on_all()
    told = read(desk, order)
    assert told["carrying"] is None
    assert told["stopped"].startswith("Step 1: ")
    assert says in told["stopped"]
    assert told["steps"][1]["change"] is None
    assert send(desk, order, "steps/2/change").status_code == 409
    send(desk, order, "carrying")
    go(collected)
    assert states(read(desk, order))[0] == "verified"
    assert len(made(array)) == 1
    assert made(array)[0].size_bytes >= order["steps"][0]["values"]["size_bytes"]


def test_each_step_has_its_day_unless_it_is_asked_for(desk, estate, array, collected):
    order = ordered(desk, intake(estate, array, on=3))
    told = send(desk, order, "carrying").json()
    assert (told["waits"]["what"], Change.objects.exists()) == ("day", False)
    assert go_on_all() == 0
    told = send(desk, order, "steps/1/change").json()
    assert told["waits"]["what"] == "far end"
    again = send(desk, order, "steps/1/change")
    assert (again.status_code, Change.objects.count()) == (409, 1)
    path = f"/scenarios/{order['scenario_id']}/order"
    assert desk.send("DELETE", path).status_code == 409  # it is being sent
    go(collected)
    assert states(read(desk, order))[0] == "verified"


def test_what_is_made_is_taken_back_from_its_last_step_on(desk, estate, array, collected):
    order = ordered(desk, intake(estate, array))
    send(desk, order, "carrying")
    go(collected)
    go(collected)
    told = read(desk, order)
    assert [one["has_back"] for one in told["steps"][:3]] == [True, True, False]
    of_room = desk.get("/change-sets").json()["results"][0]["id"]
    around = desk.client.post(
        f"/api/v1/change-sets/{of_room}/take-back", headers={"Idempotency-Key": "around"}
    )
    assert (around.status_code, "at its step" in around.json()["detail"]) == (409, True)
    early = send(desk, order, f"steps/1/change?confirms={NAME}", "DELETE")
    assert (early.status_code, "Step 2 lies on it" in early.json()["detail"]) == (409, True)
    assert send(desk, order, "steps/2/change", "DELETE").status_code == 202
    carry_changes(feed_id=collected.pk)
    go_on_all()
    told = read(desk, order)
    assert (states(told)[:2], made(array)[0].seen_by) == (["verified", "to do"], [])
    assert (told["steps"][1]["found"], told["carrying"]) == ("taken back", None)
    assert send(desk, order, "steps/1/change", "DELETE").json()["type"] == "/problems/word"
    name = order["steps"][0]["values"]["name"]
    assert send(desk, order, f"steps/1/change?confirms={name}", "DELETE").status_code == 202
    carry_changes(feed_id=collected.pk)
    go_on_all()
    assert (made(array), states(read(desk, order))[0]) == ([], "to do")
    collect(collected)
    told = send(desk, order, "carrying").json()
    assert told["waits"]["what"] == "far end"
    go(collected)
    assert (len(made(array)), states(read(desk, order))[0]) == (1, "verified")


def test_what_is_lost_is_named_before_it_goes(desk, estate, array, collected):
    at_array = array.service.tree.ground
    place = f"{at_array.storage}/StoragePools/swift-2"
    array.service.changes.created(
        {
            "Name": f"{NAME}-old", "CapacityBytes": GIB,
            "CapacitySources": [{"ProvidingPools": [{"@odata.id": place}]}],
        }
    )  # fmt: skip
    (volume,) = made(array)
    volume.seen_by, volume.is_mapped = at_array.ports_seen[:1], True
    collect(collected)
    build_revision(now=now())
    old = Entity.objects.get(uid=f"naa.{volume.naa}")
    order = ordered(desk, freeing(old.pk))
    (step,) = order["steps"]
    assert (step["kind"], step["carriage"]["confirms"]) == ("remove", volume.name)
    told = send(desk, order, "carrying").json()
    assert (told["waits"]["what"], Change.objects.exists()) == ("word", False)
    wrong = send(desk, order, "steps/1/change", confirms="something")
    assert (wrong.status_code, wrong.json()["type"]) == (409, "/problems/word")
    assert send(desk, order, "steps/1/change", confirms=volume.name).status_code == 202
    go(collected)
    assert made(array) == []
    assert read(desk, order)["ended_at"] is not None


def test_who_may_carry_nothing_out_any_more_stops_it(desk, estate, array, collected):
    from keelmark.access.models import Role
    from keelmark.access.services.people import ensure_person

    order = ordered(desk, intake(estate, array, on=1))
    send(desk, order, "carrying")
    ensure_person(name="deckhand", password="spring-tide", role=Role.PLANNER)
    from keelmark.scenarios.models import WorkStep

    WorkStep.objects.update(on=utc_today())
    go_on_all()
    assert "may carry nothing out any more" in read(desk, order)["stopped"]
    assert not Change.objects.exists()


def test_limits_of_a_volume_are_set_at_its_array(desk, estate, collected):
    volume = Volume.objects.filter(qos_max_iops__isnull=False, entity__retired_at=None).first()
    fields = {"what": [volume.pk], "min_iops": 120, "max_iops": 7_000}
    order = ordered(desk, {"on": utc_today().isoformat(), "kind": "set_limits", "fields": fields})
    assert order["steps"][0]["carriage"]["can_be"]
    send(desk, order, "carrying")
    go(collected)
    assert states(read(desk, order)) == ["verified"]


def cloning(estate, array, *, n):
    source = next(
        one for one in Volume.objects.filter(entity__retired_at=None, pool__isnull=False)
        if one.pool.entity.name == "steady-1"
    )  # fmt: skip
    fields = {"volume": source.pk, "n_copies": n, "name": NAME, "diverges_percent": 0}
    return {"on": utc_today().isoformat(), "kind": "clone_volume", "fields": fields}


def test_thirty_six_clones_are_made_at_the_array_and_read(desk, estate, array, collected):
    order = ordered(desk, cloning(estate, array, n=36))
    (step,) = order["steps"]
    assert (step["kind"], step["carriage"]["can_be"]) == ("clone volume", True)
    send(desk, order, "carrying")
    go(collected)
    told = read(desk, order)
    assert states(told) == ["verified"]
    clones = made(array)
    assert len(clones) == 36
    assert {one.clone_of for one in clones} != {""}


def test_clones_that_were_made_are_not_made_again(desk, estate, array, collected):
    order = ordered(desk, cloning(estate, array, n=5))
    array.fault("hangs-up")  # it is done, and nobody is told
    send(desk, order, "carrying")
    carry_changes(feed_id=collected.pk)
    go_on_all()
    assert len(made(array)) == 1
    array.fault("none")
    send(desk, order, "carrying")
    go(collected)
    assert states(read(desk, order)) == ["verified"]
    assert sorted(one.name for one in made(array)) == [f"{NAME}-{n}" for n in range(1, 6)]
