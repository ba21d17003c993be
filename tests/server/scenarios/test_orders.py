"""Work orders: made once, told step by step, proven by what is read, and then nothing is held."""

from datetime import timedelta

import pytest
from msgspec.structs import replace

from keelmark.access.clock import now
from keelmark.access.models import AuditEntry
from keelmark.bearings.packs.building import build_revision
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    ArrayDocument,
    DatastoreDocument,
    PoolDocument,
    SnapshotDocument,
    VirtualDiskDocument,
    VirtualMachineDocument,
    VolumeDocument,
)
from keelmark.estate.models import Entity, Reservation
from keelmark.scenarios.models import WorkOrder
from keelmark.scenarios.services.carrying import go_on_all
from keelmark.scenarios.services.ordering import prove
from keelmark.scenarios.tasks import prove_orders
from tests.server.cluster import tell
from tests.server.promises.promising import drawn_up as policy_drawn_up
from tests.server.promises.promising import promised
from tests.server.scenarios.planning import ahead, drawn_up, extend, free, outcome, place
from tests.server.scenarios.test_accepting import accept, held


def ordered(api, *moves):
    """An accepted scenario with its work order."""
    made = drawn_up(api, *moves)
    assert accept(api, made).status_code == 200
    told = api.send("POST", f"/scenarios/{made['id']}/order")
    assert told.status_code == 200, told.content
    return told.json()


def told(api, order, at, **what):
    return api.send(
        "PATCH",
        f"/scenarios/{order['scenario_id']}/order/steps/{at}",
        seen=order["version"],
        **what,
    )


def read(api, order):
    return api.get(f"/scenarios/{order['scenario_id']}/order").json()


def states(order):
    return [one["state"] for one in order["steps"]]


def pool_read(at, **facts):
    tell(
        PoolDocument(
            uid="uuid.p", array_uid="serial.h", name="swift-1", used_bytes=8 * TIB,
            provisioned_bytes=10 * TIB, read_at=at, **facts,
        )
    )  # fmt: skip


def test_steps_have_their_order_and_the_exact_values(api, estate):
    order = ordered(api, extend(estate, on=3), place(estate, on=7), free(estate, "uuid.v0", on=9))
    assert [one["kind"] for one in order["steps"]] == [
        "extend pool", "create volume", "map volume", "make datastore", "deploy VMs", "remove",
    ]  # fmt: skip
    grow, volume, _, store, deploy, remove = order["steps"]
    assert grow["values"] == {"size_bytes": 30 * TIB, "was_bytes": 20 * TIB}
    assert grow["title"][-1] == {"bytes": 30 * TIB}
    assert (grow["subject"]["name"], grow["subject"]["kind"]) == ("swift-1", "pool")
    assert (volume["values"]["pool"], volume["values"]["size_bytes"]) == ("swift-1", 5689 * GIB)
    assert store["values"]["cluster"] == "kelp"
    assert (deploy["values"]["n"], deploy["values"]["disks"]) == (5, [str(TIB)])
    assert len(remove["loses"]) > 1
    assert order["n_by_state"] == {"to do": 6}


def test_it_is_made_once_and_only_of_what_is_accepted(api, mate, estate):
    made = drawn_up(api, extend(estate))
    path = f"/scenarios/{made['id']}/order"
    assert api.send("POST", path).status_code == 409
    assert api.get(path).status_code == 404
    accept(api, made)
    first = api.send("POST", path).json()
    assert mate.send("POST", path).json() == first
    assert WorkOrder.objects.count() == 1
    version = api.get(f"/scenarios/{made['id']}").json()["version"]
    refused = api.send("DELETE", f"/scenarios/{made['id']}/acceptance", seen=version)
    assert refused.status_code == 409
    dropped = api.send("PATCH", f"/scenarios/{made['id']}", seen=version, is_dropped=True)
    assert (dropped.status_code, Reservation.objects.count()) == (409, 0)
    assert api.get(f"/scenarios/{made['id']}").json()["state"] == "accepted"
    assert api.send("DELETE", path).status_code == 204
    assert (
        api.send("DELETE", f"/scenarios/{made['id']}/acceptance", seen=version).status_code == 200
    )


def test_what_is_told_to_be_done_settles_until_it_was_read(api, estate):
    order = ordered(api, extend(estate))
    order = told(api, order, 1, state="settling", owner_name="deckhand", window="Sunday").json()
    (step,) = order["steps"]
    assert (step["state"], step["done_by"], step["owner_name"]) == (
        "settling",
        "planner",
        "deckhand",
    )
    assert go_on_all() == 0  # what was read before tells nothing of it
    pool_read(now() + timedelta(seconds=5), usable_bytes=30 * TIB + GIB)
    prove_orders(0)
    order = read(api, order)
    (step,) = order["steps"]
    assert (step["state"], order["ended_at"] is not None) == ("verified", True)
    assert f"{30 * TIB + GIB:,}" in step["found"]
    scenario = api.get(f"/scenarios/{order['scenario_id']}").json()
    assert scenario["state"] == "carried out"
    assert not Reservation.objects.exists()
    ended = WorkOrder.objects.get()
    assert (prove(ended), AuditEntry.objects.filter(action="carry scenario out").count()) == (0, 1)


def test_what_reads_otherwise_stops_what_comes_after(api, estate):
    order = ordered(api, extend(estate, on=3), free(estate, "uuid.v0", on=9))
    order = told(api, order, 1, state="settling").json()
    pool_read(now() + timedelta(seconds=5), usable_bytes=25 * TIB)
    order = api.send("POST", f"/scenarios/{order['scenario_id']}/order/proof").json()
    assert states(order) == ["otherwise", "to do"]
    assert f"{25 * TIB:,}" in order["steps"][0]["found"]
    stopped = told(api, order, 2, state="settling")
    assert (stopped.status_code, "Step 1 reads otherwise" in stopped.content.decode()) == (
        409,
        True,
    )
    order = told(api, order, 1, state="left out", note="bought less").json()
    order = told(api, order, 2, state="settling").json()
    ended = told(api, order, 2, state="left out").json()
    assert (ended["ended_at"] is not None, ended["n_by_state"]) == (True, {"left out": 2})


def test_an_order_that_was_taken_back_meanwhile_proves_nothing(api, estate):
    made = ordered(api, extend(estate))
    order = WorkOrder.objects.get()
    api.send("DELETE", f"/scenarios/{made['scenario_id']}/order")
    assert prove(order) == 0


def test_what_is_read_to_be_so_is_verified_whoever_did_it(api, estate):
    order = ordered(api, extend(estate))
    pool_read(now(), usable_bytes=31 * TIB)
    assert go_on_all() == 1
    assert states(read(api, order)) == ["verified"]
    late = told(api, read(api, order), 1, state="to do")
    assert late.status_code == 409


def test_a_reservation_shrinks_by_what_is_read_and_is_gone_at_the_end(api, estate):
    order = ordered(api, place(estate, on=0))
    at = now()
    tell(
        VolumeDocument(uid="naa.new", pool_uid="uuid.p", name="sonar-new-v1",
                       size_bytes=5689 * GIB, written_bytes=TIB, mapped_to=["id.kelp"],
                       read_at=at),
        DatastoreDocument(uid="id.sonar", name="sonar-new", kind="block", cluster_uid="id.kelp",
                          size_bytes=5689 * GIB, used_bytes=TIB, provisioned_bytes=5 * TIB,
                          extents=["naa.new"], read_at=at),
        *vms(at, n=3),
    )  # fmt: skip
    go_on_all()
    order = read(api, order)
    assert states(order) == ["verified", "verified", "verified", "to do"]
    (one,) = held(api, {"id": order["scenario_id"]})["places"]
    assert one["come_bytes"] == TIB
    order = told(api, order, 4, state="settling").json()
    tell(*vms(now() + timedelta(seconds=5), n=5))
    go_on_all()
    order = read(api, order)
    assert states(order)[-1] == "verified"
    assert "5 of 5" in order["steps"][-1]["found"]
    assert not Reservation.objects.exists()


def vms(at, *, n):
    for one in range(1, n + 1):
        vm = f"uuid.new{one}"
        yield VirtualMachineDocument(
            uid=vm, name=f"sonar-new-{one}", cluster_uid="id.kelp", read_at=at
        )
        yield VirtualDiskDocument(
            uid=f"path.new{one}", name=f"a{one}", vm_uid=vm, size_bytes=TIB,
            datastore_uid="id.sonar", read_at=at,
        )  # fmt: skip


def test_what_bore_the_name_before_is_not_what_was_planned(api, estate):
    tell(
        VolumeDocument(uid="naa.old", pool_uid="uuid.p", name="sonar-new-v1",
                       size_bytes=9 * TIB, written_bytes=TIB, read_at=now())
    )  # fmt: skip
    order = ordered(api, place(estate))
    go_on_all()
    assert states(read(api, order))[0] == "to do"


def test_what_lies_on_what_a_plan_brings_is_verified_by_its_name(api, estate):
    site = Entity.objects.get(pk=estate["uuid.p"]).site_id
    made = {"size_bytes": TIB, "name": "deep-new", "cluster": estate["id.kelp"], "pool": -2}
    bought = {"site": site, "name": "curlew-1", "sustains": 50_000, "n_ports": 8, "cost": 90_000}
    order = ordered(
        api,
        {"on": ahead(1), "kind": "new_array", "fields": bought},
        {"on": ahead(2), "kind": "new_pool",
         "fields": {"array": -1, "name": "deep-9", "usable_bytes": 40 * TIB}},
        {"on": ahead(3), "kind": "extend_pool", "fields": {"pool": -2, "added_bytes": 2 * TIB}},
        {"on": ahead(4), "kind": "new_datastore", "fields": made},
    )  # fmt: skip
    assert [one["kind"] for one in order["steps"]] == [
        "add array", "add pool", "extend pool", "create volume", "map volume", "make datastore",
    ]  # fmt: skip
    go_on_all()
    assert states(read(api, order))[:2] == ["to do", "to do"]
    at, elsewhere = now(), Entity.objects.get(pk=estate["id.kelp"]).name
    array = ArrayDocument(uid="serial.new", name="curlew-1", site=elsewhere, read_at=at)
    tell(array)
    go_on_all()
    assert states(read(api, order))[0] == "to do"  # it stands at another site
    pool = PoolDocument(uid="uuid.new", array_uid="serial.new", name="deep-9",
                        usable_bytes=40 * TIB, used_bytes=0, read_at=at)  # fmt: skip
    tell(replace(array, site=Entity.objects.get(pk=estate["uuid.p"]).site.name), pool)
    go_on_all()
    assert states(read(api, order))[:3] == ["verified", "verified", "to do"]
    tell(
        replace(pool, usable_bytes=42 * TIB),
        VolumeDocument(uid="naa.deep", pool_uid="uuid.new", name="deep-new-v1", size_bytes=TIB,
                       mapped_to=["id.kelp"], read_at=at),
        DatastoreDocument(uid="id.deep", name="deep-new", kind="block", cluster_uid="id.kelp",
                          size_bytes=TIB, extents=["naa.deep"], read_at=at),
    )  # fmt: skip
    go_on_all()
    assert states(read(api, order)) == ["verified"] * 6


def test_what_is_removed_is_verified_once_it_is_gone(api, estate):
    order = ordered(api, free(estate, "uuid.v0"))
    assert order["steps"][0]["state"] == "to do"
    Entity.objects.filter(uid="uuid.v0").update(retired_at=now())
    go_on_all()
    assert states(read(api, order)) == ["verified"]


@pytest.mark.parametrize(
    ("at", "what", "status"),
    [(9, {"state": "settling"}, 409), (1, {"state": "verified"}, 400), (1, {"state": "x"}, 400)],
)
def test_a_step_cannot_be_told_what_only_reading_tells(api, estate, at, what, status):
    assert told(api, ordered(api, extend(estate)), at, **what).status_code == status


def test_two_who_tell_steps_at_once_do_not_lose_each_others_words(api, mate, estate):
    order = ordered(api, extend(estate))
    assert told(api, order, 1, owner_name="me").status_code == 200
    assert told(mate, order, 1, owner_name="mate").status_code == 412
    assert read(api, order)["steps"][0]["owner_name"] == "me"


def test_a_mirror_is_verified_once_it_is_read_and_once_it_is_read_no_more(api, estate):
    tell(
        ArrayDocument(uid="serial.a", name="avocet-1", site="Marram", read_at=now()),
        PoolDocument(uid="uuid.q", array_uid="serial.a", name="steady-1", usable_bytes=40 * TIB,
                     used_bytes=TIB, provisioned_bytes=TIB, read_at=now()),
    )  # fmt: skip
    build_revision(now=now())
    pool = Entity.objects.get(uid="uuid.q").pk
    fields = {"what": [estate["naa.1"]], "to": pool}
    order = ordered(api, {"on": ahead(2), "kind": "mirror", "fields": fields})
    assert [one["kind"] for one in order["steps"]] == ["create volume", "start mirror"]
    at = now() + timedelta(seconds=5)
    copy = VolumeDocument(uid="naa.copy", pool_uid="uuid.q", name="seabed-1-mirror",
                          size_bytes=10 * TIB, written_bytes=0, read_at=at)  # fmt: skip
    seabed = VolumeDocument(uid="naa.1", pool_uid="uuid.p", name="seabed-1", size_bytes=10 * TIB,
                            written_bytes=8 * TIB, read_at=at)  # fmt: skip
    tell(copy, seabed)
    go_on_all()
    assert states(read(api, order)) == ["verified", "to do"]
    tell(replace(seabed, replicated_to=["naa.copy"]))
    go_on_all()
    told = read(api, order)
    assert (states(told), told["ended_at"] is not None) == (["verified", "verified"], True)
    build_revision(now=now())
    ending = {"on": ahead(2), "kind": "end_mirror", "fields": {"what": [estate["naa.1"]]}}
    order = ordered(api, ending)
    assert [one["kind"] for one in order["steps"]] == ["end mirror", "remove"]
    tell(replace(seabed, replicated_to=[], read_at=at + timedelta(seconds=5)))
    go_on_all()
    assert states(read(api, order)) == ["verified", "to do"]


def a_disk(n, *, size, at):
    return VirtualDiskDocument(
        uid=f"path.v{n}:a", name=f"sonar-{n}-a", vm_uid=f"uuid.v{n}", datastore_uid="uuid.s",
        size_bytes=size, on_array_bytes=500 * GIB, path=f"/s/{n}", read_at=at,
    )  # fmt: skip


@pytest.mark.parametrize(("percent", "size"), [(150, 1536 * GIB), (60, 614 * GIB)])
def test_resized_disks_are_verified_once_all_are_read_so(api, estate, percent, size):
    fields = {"what": [estate["uuid.v0"], estate["uuid.v1"]], "size_percent": percent}
    order = ordered(api, {"on": ahead(0), "kind": "resize", "fields": fields})
    assert order["steps"][0]["values"]["sizes"] == [str(1024 * GIB * percent // 100)] * 2
    at = now() + timedelta(seconds=5)
    tell(a_disk(0, size=size, at=at))
    go_on_all()
    assert states(read(api, order)) == ["to do"]
    tell(a_disk(1, size=size, at=at))
    go_on_all()
    assert states(read(api, order)) == ["verified"]


def test_a_snapshot_schedule_is_kept_on_its_day_and_verified_once_it_is_read(api, estate):
    other = VolumeDocument(uid="naa.2", pool_uid="uuid.p", name="charts-1", size_bytes=TIB,
                           written_bytes=TIB, read_at=now())  # fmt: skip
    tell(
        other,
        SnapshotDocument(uid="id.s", name="s", of_uid="naa.2", taken_at=now(), read_at=now()),
    )
    policy = policy_drawn_up(
        api, {"kind": "snapshots", "told": {"every_minutes": 720}}, name="Nightly"
    )
    promised(api, policy, estate["naa.1"])
    fields = {"what": [estate["naa.1"]], "every_hours": 6, "kept_days": 7}
    move = {"on": ahead(1), "kind": "take_snapshots", "fields": fields}
    lines = outcome(api, drawn_up(api, move, name="Snapshots"), days=3)["lines"]
    assert [one["n_broken"] for one in lines] == [1, 0]
    order = ordered(api, move)
    assert order["steps"][0]["values"]["every_minutes"] == 360
    tell(
        VolumeDocument(uid="naa.1", pool_uid="uuid.p", name="seabed-1", size_bytes=10 * TIB,
                       written_bytes=8 * TIB, snapshot_every_minutes=360, read_at=now())
    )  # fmt: skip
    go_on_all()
    assert states(read(api, order)) == ["verified"]


def test_of_a_plan_that_only_expects_nothing_is_to_be_done(api, estate):
    fields = {"thing": estate["uuid.p"], "bytes_a_week": 70 * GIB}
    order = ordered(api, {"on": ahead(2), "kind": "change_growth", "fields": fields})
    assert (order["steps"], order["ended_at"] is not None) == ([], True)
    assert api.get(f"/scenarios/{order['scenario_id']}").json()["state"] == "carried out"
    assert not Reservation.objects.exists()
