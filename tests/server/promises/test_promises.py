"""Policies over the API: drawn up, promised, kept or not, tried before they are revised."""

import csv
import io
from datetime import timedelta

import msgspec
import pytest

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person, set_person
from keelmark.bearings.packs.building import build_revision
from keelmark.compliance.models import Policy, Promise, Revision
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    AboutDocument,
    ArrayDocument,
    DatastoreDocument,
    PoolDocument,
    ProtectionDocument,
    VirtualDiskDocument,
    VirtualMachineDocument,
    VolumeDocument,
)
from keelmark.estate.models import Entity, Event
from tests.server.cluster import READ_AT, about, make_cluster, tell
from tests.server.conftest import NOW, Api, for_a_module, signed_in
from tests.server.promises.promising import (
    COPY,
    ENCRYPTED,
    FLASH,
    drawn_up,
    drive,
    promised,
    verdict,
)


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        yield make_cluster()


def test_what_is_promised_to_a_vm_is_judged_by_the_pool_under_it(api, estate):
    policy = drawn_up(api, FLASH)
    promised(api, policy, estate["uuid.v1"])
    assert verdict(api, estate["uuid.v1"])["state"] == "unproven"
    assert "would tell" in verdict(api, estate["uuid.v1"])["found"]
    tell(drive())
    kept = verdict(api, estate["uuid.v1"])
    assert (kept["state"], kept["wanted"], kept["found"]) == ("met", "flash", "flash")
    tell(drive(media="hdd", uid="serial.d2"))
    broken = verdict(api, estate["uuid.v1"])
    assert (broken["state"], broken["found"]) == ("broken", "flash and spinning drives")
    assert broken["place"] == {"id": estate["uuid.p"], "kind": "pool", "name": "swift-1"}
    listed = api.get("/compliance/verdicts/vm", policy=policy["id"], state="broken").json()
    assert [one["id"] for one in listed["results"]] == [estate["uuid.v1"]]
    assert api.get("/compliance/verdicts/vm", state="met").json()["n_all"] == 0


def test_a_copy_is_as_old_as_its_last_good_run(api, estate):
    policy = drawn_up(api, COPY)
    promised(api, policy, estate["naa.1"])
    assert verdict(api, estate["naa.1"], "copy")["state"] == "unproven"  # nobody tells of copies
    ran = NOW - timedelta(hours=2)
    tell(
        ArrayDocument(uid="serial.far", name="avocet-1", read_at=READ_AT),
        VolumeDocument(uid="naa.2", name="copy", array_uid="serial.far", size_bytes=10 * TIB,
                       read_at=READ_AT),
        AboutDocument(uid="naa.1", read_at=NOW, says={"replicated_to": ["naa.2"]}),
        ProtectionDocument(uid="id.r1", of_uid="naa.1", job="sea", method="replication",
                           started_at=ran, ended_at=ran, result="done"),
    )  # fmt: skip
    assert verdict(api, estate["naa.1"], "copy")["state"] == "unproven"  # where is the copy?
    tell(ArrayDocument(uid="serial.far", name="avocet-1", site="Marram", read_at=NOW))
    kept = verdict(api, estate["naa.1"], "copy")
    assert kept["state"] == "met"
    assert kept["found"].startswith("copied 2")


def test_the_nearest_promise_wins_and_says_whose_it_is(api, estate):
    wide, near = drawn_up(api, FLASH, name="Wide"), drawn_up(api, ENCRYPTED, name="Near")
    vm, disk = estate["uuid.v1"], estate["path.v1:a"]
    promised(api, wide, estate["id.charts"])

    def by(pk):
        told = api.get(f"/compliance/things/{pk}").json()
        return told["policy_name"], told["by"]

    assert by(vm) == by(disk) == ("Wide", "project")
    before = promised(api, near, vm)
    assert before == [{"entity_id": vm, "policy_id": None}]
    assert (by(vm), by(disk)) == (("Near", "itself"), ("Near", "vm"))
    promised(api, wide, disk)
    assert by(disk) == ("Wide", "itself")
    assert promised(api, None, vm, disk) == [
        {"entity_id": pk, "policy_id": of["id"]}
        for pk, of in sorted({vm: near, disk: wide}.items())
    ]
    assert by(vm) == ("Wide", "project")


def test_a_policy_is_met_by_the_name_that_feeds_tell(api, estate):
    drawn_up(api, FLASH, name="Long-Keep")
    tell(AboutDocument(uid="uuid.v2", read_at=NOW, says={"policy": "long-keep"}))
    told = api.get(f"/compliance/things/{estate['uuid.v2']}").json()
    assert (told["policy_name"], told["by"]) == ("Long-Keep", "told")


@pytest.mark.parametrize("wide", ["", "Swift"], ids=["estate", "class"])
def test_a_policy_for_all_takes_the_place_of_the_one_before(api, estate, wide):
    tell(PoolDocument(uid="uuid.p", array_uid="serial.h", name="swift-1", usable_bytes=20 * TIB,
                      used_bytes=8 * TIB, service_class="Swift", read_at=NOW))  # fmt: skip
    for name in ("First", "Second"):
        policy = drawn_up(api, FLASH, name=name)
        told = api.send("POST", "/compliance/promises", policy_id=policy["id"], class_name=wide)
        assert told.status_code == 200, told.content
    assert Promise.objects.count() == 1
    told = api.get(f"/compliance/things/{estate['naa.1']}").json()
    assert (told["policy_name"], told["by"]) == ("Second", "class" if wide else "estate")


def test_what_changed_lately_settles_until_it_is_judged(api, estate):
    tell(drive(media="hdd"))
    policy = drawn_up(api, FLASH, settling=60)
    promised(api, policy, estate["uuid.v1"])
    told = api.get(f"/compliance/things/{estate['uuid.v1']}").json()
    assert told["state"] == "settling"
    assert 55 < told["settles_in_minutes"] <= 61
    Revision.objects.update(made_at=NOW - timedelta(hours=3))
    Promise.objects.update(made_at=NOW - timedelta(hours=2))
    assert api.get(f"/compliance/things/{estate['uuid.v1']}").json()["state"] == "broken"


@pytest.mark.parametrize(
    ("taken_back", "of"),
    [("its own", "uuid.v1"), ("of its project", "id.seabed"), ("a farther one", "id.seabed")],
)
@pytest.mark.parametrize("way", ["taken back", "retired", "named"])
def test_what_is_named_otherwise_lately_settles_where_that_bears(api, estate, taken_back, of, way):
    tell(drive(media="hdd"))
    wide, near = (drawn_up(api, FLASH, name=name, settling=60) for name in ("Wide", "Near"))
    api.send("POST", "/compliance/promises", policy_id=wide["id"], class_name="")
    promised(api, near, estate[of])
    bears = of
    if taken_back == "a farther one":
        bears = "uuid.v1"
        promised(api, wide, estate[bears])
    Revision.objects.update(made_at=NOW - timedelta(hours=3))
    Promise.objects.update(made_at=NOW - timedelta(hours=2))

    def told():
        return api.get(f"/compliance/things/{estate['uuid.v1']}").json()

    assert told()["state"] == "broken"
    if way == "retired":
        assert api.send("DELETE", f"/compliance/policies/{near['id']}").status_code == 204
    else:
        promised(api, None if way == "taken back" else wide, estate[of])
    assert told()["state"] == ("settling" if bears == of else "broken")
    assert told()["policy_name"] == "Wide"
    assert promised(api, None, estate[of])  # and once more changes nothing
    Promise.objects.update(made_at=NOW - timedelta(hours=2))
    Policy.objects.filter(retired_at__isnull=False).update(retired_at=NOW - timedelta(hours=2))
    assert told()["state"] == "broken"


@pytest.mark.parametrize("what", ["disk", "volume"])
def test_what_moved_lately_settles_where_it_came_to(api, estate, what):
    tell(drive(media="hdd"))
    subjects = ("uuid.v1", "naa.1", "uuid.s")
    promised(api, drawn_up(api, FLASH, settling=60), *(estate[uid] for uid in subjects))
    Revision.objects.update(made_at=NOW - timedelta(hours=3))
    Promise.objects.update(made_at=NOW - timedelta(hours=2))

    def states():
        return [api.get(f"/compliance/things/{estate[uid]}").json()["state"] for uid in subjects]

    assert states() == ["broken"] * 3
    tell(
        PoolDocument(uid="uuid.p2", array_uid="serial.h", name="swift-2", read_at=NOW,
                     usable_bytes=20 * TIB, used_bytes=8 * TIB),
        drive(media="hdd", uid="serial.d9", pool="uuid.p2"),
        VolumeDocument(uid="naa.2", pool_uid="uuid.p2", name="seabed-2", size_bytes=TIB,
                       read_at=NOW),
        DatastoreDocument(uid="uuid.s2", name="kelp-ds2", kind="block", size_bytes=TIB,
                          cluster_uid="id.kelp", extents=["naa.2"], read_at=NOW),
    )  # fmt: skip
    if what == "disk":
        tell(
            VirtualDiskDocument(uid="path.v1:a", name="sonar-1-a", vm_uid="uuid.v1",
                                datastore_uid="uuid.s2", size_bytes=1024 * GIB, path="/s2/1",
                                read_at=NOW)
        )  # fmt: skip
        assert states() == ["settling", "broken", "broken"]
    else:
        tell(
            VolumeDocument(uid="naa.1", pool_uid="uuid.p2", name="seabed-1", size_bytes=10 * TIB,
                           read_at=NOW)
        )  # fmt: skip
        assert states() == ["settling"] * 3
    Event.objects.update(at=NOW - timedelta(hours=2))
    Promise.objects.update(made_at=NOW - timedelta(hours=2, minutes=1))  # all is found anew
    assert states() == ["broken"] * 3


def test_a_retired_policy_promises_nothing_and_frees_its_name(api, estate):
    policy = drawn_up(api, FLASH)
    promised(api, policy, estate["uuid.v1"])
    assert api.send("DELETE", f"/compliance/policies/{policy['id']}").status_code == 204
    assert api.get(f"/compliance/things/{estate['uuid.v1']}").json()["policy_id"] is None
    assert api.get("/compliance/policies").json() == []
    drawn_up(api, ENCRYPTED)
    assert Policy.objects.count() == 2


@pytest.mark.parametrize(
    ("rules", "pointer"),
    [
        ([{"kind": "copy", "told": {"within_minutes": 0}}], "#/rules/copy/within_minutes"),
        ([{"kind": "copy", "told": {"within_minutes": 60, "site": "Atlantis"}}],
         "#/rules/copy/site"),
        ([{"kind": "copy", "told": {"until": 3}}], "#/rules/copy/until"),
        ([{"kind": "tier", "told": {"tier": "Ebb"}}], "#/rules/tier/tier"),
        ([FLASH, FLASH], "#/rules/media"),
    ],
    ids=["nought", "no-such-site", "no-such-field", "no-such-tier", "twice"],
)  # fmt: skip
def test_wrong_rules_are_refused_with_their_field(api, estate, rules, pointer):
    told = api.send("POST", "/compliance/policies", name="Wrong", rules=rules)
    assert told.status_code == 400
    assert pointer in [one["pointer"] for one in told.json()["errors"]]
    tried = api.send("POST", "/compliance/tries", rules=rules).json()
    assert tried["impact"] is None
    assert pointer in {
        "/".join(("#/rules", *(part for part in (one["rule"], one["field"]) if part)))
        for one in tried["faults"]
    }
    assert not Policy.objects.exists()


def test_a_name_that_stands_is_refused(api, estate):
    drawn_up(api, FLASH)
    again = api.send("POST", "/compliance/policies", name="twice-kept", rules=[FLASH])
    assert again.status_code == 409


def test_a_tenant_viewer_sees_their_own_promises_alone(api, estate):
    policy = drawn_up(api, FLASH)
    promised(api, policy, *(estate[f"uuid.v{n}"] for n in (1, 2)))
    other = Entity.objects.create(kind="tenant", uid="id.o", name="Other", first_seen_at=NOW,
                                  last_seen_at=NOW)  # fmt: skip
    Entity.objects.filter(pk=estate["uuid.v2"]).update(tenant=other)
    build_revision(now=NOW)
    viewer = ensure_person(name="viewer", password="neap-tide", role=Role.TENANT_VIEWER)
    keeper = ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)
    own = Entity.objects.get(pk=estate["uuid.v1"]).tenant_id
    set_person(actor=keeper, person_id=viewer.pk, tenant_ids=[own])
    theirs = Api(signed_in(viewer))
    listed = theirs.get("/compliance/verdicts/vm", policy=policy["id"]).json()
    assert [one["id"] for one in listed["results"]] == [estate["uuid.v1"]]
    assert theirs.get(f"/compliance/things/{estate['uuid.v2']}").status_code == 404
    tally = theirs.get("/compliance/policies").json()[0]["tally"]
    assert tally == [{"kind": "vm", "counts": {**dict.fromkeys(
        ("exempt", "met", "settling", "broken"), 0), "unproven": 1}}]  # fmt: skip


def test_what_is_not_there_is_not_found_and_wrong_words_are_told(api, estate):
    assert api.get(f"/compliance/things/{estate['uuid.p']}").status_code == 404
    assert api.get("/compliance/verdicts/pool").status_code == 400
    assert api.get("/compliance/verdicts/vm", state="fine").status_code == 400
    assert api.get("/compliance/verdicts/vm", rule="shape").status_code == 400
    assert api.send("POST", "/compliance/promises", policy_id=9, entity_ids=[1]).status_code == 404
    policy = drawn_up(api, FLASH)
    for ids in ([10**9], [estate["uuid.p"]]):
        told = api.send("POST", "/compliance/promises", policy_id=policy["id"], entity_ids=ids)
        assert told.status_code == 400


def test_labels_tell_whose_disks_must_lie_apart(api, estate):
    rule = {"kind": "apart", "told": {"label": "copy:ledger", "of": "array"}}
    policy = drawn_up(api, rule, {"kind": "label", "told": {"label": "crew:night"}})
    promised(api, policy, estate["uuid.v1"], estate["uuid.v2"])
    assert verdict(api, estate["uuid.v1"], "label")["state"] == "broken"
    tell(about("path.v1:a", labels=["copy:ledger", "of:books"]),
         about("uuid.v1", labels=["crew:night"]))  # fmt: skip
    assert verdict(api, estate["uuid.v1"], "label")["state"] == "met"
    assert verdict(api, estate["uuid.v1"], "apart")["state"] == "met"
    tell(about("path.v2:a", labels=["copy:ledger"]))
    assert verdict(api, estate["uuid.v1"], "apart")["state"] == "broken"
    assert verdict(api, estate["uuid.v2"], "apart")["found"] == "shares its array with 1"
    told = api.get("/estate/rows/disk", columns="labels", scope="labels:copy:ledger").json()
    assert [one["cells"]["labels"] for one in told["results"]] == ["copy:ledger"]
    told = api.get("/estate/rows/disk", columns="labels", scope="labels~ledger").json()
    assert told["n_all"] == 2


@pytest.mark.parametrize("label", ["night", "crew: night", ":night", "a:"])
def test_a_label_is_a_name_and_a_value(estate, label):
    with pytest.raises(msgspec.ValidationError):
        msgspec.convert(
            {"doc": "vm", "uid": "uuid.v1", "name": "v", "read_at": "2026-01-01T00:00:00Z",
             "labels": [label]}, VirtualMachineDocument,
        )  # fmt: skip


def test_promises_are_exported_a_line_a_subject_and_rule(api, estate, monkeypatch):
    tell(drive(media="hdd"))
    promised(api, drawn_up(api, FLASH, ENCRYPTED), estate["uuid.v1"], estate["uuid.v2"])
    answer = api.get("/compliance/verdicts/vm/export")
    assert answer["Content-Type"].startswith("text/csv")
    rows = list(csv.DictReader(io.StringIO(answer.content.decode())))
    assert [(one["name"], one["rule"], one["rule_state"], one["place"]) for one in rows] == [
        ("sonar-1", "encrypted", "unproven", "seabed-1"), ("sonar-1", "media", "broken", "swift-1"),
        ("sonar-2", "encrypted", "unproven", "seabed-1"), ("sonar-2", "media", "broken", "swift-1"),
    ]  # fmt: skip
    assert api.get("/compliance/verdicts/host/export").status_code == 400
    monkeypatch.setattr("keelmark.compliance.api.verdicts.MOST_EXPORTED", 1)
    refused = api.get("/compliance/verdicts/vm/export")
    assert refused.status_code == 422
    assert "narrow the scope" in refused.json()["detail"]
