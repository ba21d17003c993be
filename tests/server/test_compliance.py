"""Policies over the API: drawn up, promised, kept or not, tried before they are revised."""

import csv
import io
from datetime import datetime, timedelta

import msgspec
import numpy as np
import pytest

from keelmark.access.models import AuditEntry, Role
from keelmark.access.services.people import ensure_person, set_person
from keelmark.bearings.packs.building import build_revision
from keelmark.compliance.models import Policy, Promise, Revision, VerdictKept
from keelmark.compliance.services.history import keep_verdicts
from keelmark.core.performance import PARTS, STEPS_A_DAY
from keelmark.core.units import GIB, MIB, TIB
from keelmark.estate.documents import (
    AboutDocument,
    ArrayDocument,
    DatastoreDocument,
    DriveDocument,
    MeasuresDocument,
    PoolDocument,
    ProtectionDocument,
    SnapshotDocument,
    VirtualDiskDocument,
    VirtualMachineDocument,
    VolumeDocument,
)
from keelmark.estate.models import Entity, Event
from keelmark.feeds.importer import Imported, import_documents
from keelmark.readings.performance.packing import take_packed
from tests.server.cluster import READ_AT, make_cluster
from tests.server.conftest import NOW, Api, for_a_module, signed_in

COPY = {"kind": "copy", "told": {"within_minutes": 240}}
FLASH = {"kind": "media", "told": {"media": "ssd"}}
ENCRYPTED = {"kind": "encrypted", "told": {}}


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        yield make_cluster()


@pytest.fixture
def estate(cluster, db):
    return cluster


def tell(*documents):
    import_documents(list(documents), into=Imported())
    build_revision(now=NOW)


def drawn_up(api, *rules, name="Twice-kept", settling=0):
    told = api.send(
        "POST", "/compliance/policies", name=name, rules=list(rules), settling_minutes=settling
    )
    assert told.status_code == 201, told.content
    return told.json()


def promised(api, policy, *ids):
    told = api.send(
        "POST", "/compliance/promises", policy_id=policy and policy["id"], entity_ids=list(ids)
    )
    assert told.status_code == 200, told.content
    return told.json()


def about(uid, **says):
    return AboutDocument(uid=uid, read_at=NOW, says=says)


def verdict(api, pk, kind="media"):
    told = api.get(f"/compliance/things/{pk}").json()
    return next(one for one in told["rules"] if one["kind"] == kind)


def drive(role="pooled", media="ssd", uid="serial.d1", pool="uuid.p"):
    return DriveDocument(
        uid=uid, name=uid, array_uid="serial.h", pool_uid=pool, capacity_bytes=TIB, role=role,
        media=media, read_at=NOW,
    )  # fmt: skip


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


def test_a_draft_is_tried_before_it_is_a_revision(api, estate):
    tell(drive(media="hdd"))
    policy = drawn_up(api, {"kind": "media", "told": {"media": "hdd"}})
    promised(api, policy, estate["uuid.v1"], estate["uuid.v2"])
    told = api.send("POST", "/compliance/tries", policy_id=policy["id"], rules=[FLASH]).json()
    assert told["faults"] == []
    told = told["impact"]
    assert (told["before"], told["after"]) == ({"met": 2}, {"broken": 2})
    assert (told["n_breaks"], told["n_mends"]) == (2, 0)
    assert {one["id"] for one in told["breaks"]} == {estate["uuid.v1"], estate["uuid.v2"]}
    assert told["by_rule"] == {"media": 2}
    assert (told["n_places"], told["rejections"]) == (
        0,
        [{"kind": "media", "n": 1, "n_alone": 1, "nearest": None}],
    )
    needs = told["needs"]  # both have a disk of 500 GiB, and no pool is of flash
    assert (needs["n_disks"], needs["used_bytes"]) == (2, 1_000 * GIB)
    assert (needs["room_bytes"], needs["fits"], needs["iops"]) == (0, False, None)
    assert (needs["n_uncounted"], told["quiet"]) == (2, None)
    assert (needs["n_left"], needs["places"], told["beside"]) == (2, [], None)
    same = api.send(
        "POST", "/compliance/tries", rules=[{"kind": "media", "told": {"media": "hdd"}}]
    ).json()["impact"]
    assert [one["id"] for one in same["places"]] == [estate["uuid.p"]]
    assert same["needs"] is None
    assert Revision.objects.count() == 1


def test_a_policy_is_revised_under_its_version_and_keeps_what_it_was(api, estate):
    policy = drawn_up(api, FLASH)
    path = f"/compliance/policies/{policy['id']}/revisions"
    first = {"rules": [FLASH, ENCRYPTED], "note": "audit of spring"}
    made = api.send("POST", path, seen=f'"{policy["version"]}"', **first)
    assert (made.status_code, made.json()["newest"]["number"]) == (201, 2)
    assert [one["wants"] for one in made.json()["newest"]["rules"]] == ["flash", "encrypted"]
    late = api.send("POST", path, seen=f'"{policy["version"]}"', rules=[ENCRYPTED])
    assert late.status_code == 412
    told = api.get(f"/compliance/policies/{policy['id']}").json()
    assert [(one["number"], one["note"]) for one in told] == [(2, "audit of spring"), (1, "")]
    actions = AuditEntry.objects.filter(subject_kind="policy").order_by("pk")
    assert [one.action for one in actions] == ["draw up policy", "revise policy"]


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


def since(api, pk, kind):
    one = verdict(api, pk, kind)
    return one["state"], one["since"], one["is_least"]


def iso(moment):
    return moment.isoformat().replace("+00:00", "Z")


def test_since_when_it_stands_so_is_kept_and_what_changed_is_told(api, estate):
    vm = estate["uuid.v1"]
    policy = drawn_up(api, FLASH)
    promised(api, policy, vm)
    begun = NOW - timedelta(hours=3)
    assert since(api, vm, "media") == ("unproven", None, False)  # not kept yet
    assert keep_verdicts(now=begun) == 0
    assert since(api, vm, "media") == ("unproven", iso(begun), True)
    tell(drive())
    assert since(api, vm, "media") == ("met", None, False)
    met = NOW - timedelta(hours=2)
    assert keep_verdicts(now=met) == 1
    assert keep_verdicts(now=NOW - timedelta(hours=1)) == 0
    assert since(api, vm, "media") == ("met", iso(met), False)
    tell(drive(media="hdd", uid="serial.d2"))
    assert keep_verdicts(now=NOW) == 1
    told = api.get("/compliance/changes").json()
    assert [(one["was"], one["state"]) for one in told] == [
        ("met", "broken"), ("unproven", "met")
    ]  # fmt: skip
    assert (told[0]["name"], told[0]["policy_name"]) == ("sonar-1", "Twice-kept")
    assert api.get("/compliance/changes", of=estate["uuid.v0"]).json() == []
    ahead = (NOW.date() + timedelta(days=9)).isoformat()
    later = api.get(f"/compliance/things/{vm}", at=ahead).json()
    assert later["rules"][0]["since"] is None
    promised(api, None, vm)
    keep_verdicts(now=NOW)
    assert not VerdictKept.objects.exists()


def test_a_day_that_is_over_is_told_as_it_was_kept_then(api, estate):
    vm, fails = estate["uuid.v1"], estate["uuid.v2"]
    tell(drive(media="hdd"))
    policy = drawn_up(api, FLASH)
    promised(api, policy, vm)
    long_ago = NOW - timedelta(days=9)
    Revision.objects.update(made_at=long_ago)
    Promise.objects.update(made_at=long_ago)
    keep_verdicts(now=NOW - timedelta(days=5))
    tell(drive())  # of flash by then
    keep_verdicts(now=NOW - timedelta(days=3))
    tell(drive(media="hdd"))
    keep_verdicts(now=NOW - timedelta(days=1))
    promised(api, policy, fails)  # today: of the days before nothing was kept
    Promise.objects.update(made_at=long_ago)

    def stood(days_ago, of=vm):
        at = (NOW - timedelta(days=days_ago)).date().isoformat()
        told = api.get(f"/compliance/things/{of}", at=at).json()
        rule = told["rules"][0]
        return told["state"], rule["state"], "stood so on that day" in rule["found"]

    assert stood(5) == ("broken", "broken", True)  # its drives were first seen today
    assert stood(3) == ("met", "met", True)
    assert stood(2) == ("met", "met", True)
    assert stood(1) == ("broken", "broken", True)
    assert stood(2, of=fails) == ("unproven", "unproven", False)
    at = (NOW - timedelta(days=2)).date().isoformat()
    listed = api.get("/compliance/verdicts/vm", at=at, state="met").json()["results"]
    assert [one["id"] for one in listed] == [vm]
    (counted,) = api.get("/compliance/policies", at=at).json()
    assert {k: n for k, n in counted["tally"][0]["counts"].items() if n} == {
        "met": 1,
        "unproven": 1,
    }
    assert api.get(f"/compliance/things/{vm}").json()["state"] == "broken"


def test_an_age_tells_since_when_it_is_too_old(api, estate):
    vm = estate["uuid.v1"]
    promised(api, drawn_up(api, {"kind": "backup", "told": {"within_minutes": 60}}), vm)
    ran = NOW - timedelta(minutes=90)
    tell(ProtectionDocument(uid="id.b1", of_uid="uuid.v1", job="night", method="backup",
                            started_at=ran, ended_at=ran, result="done"))  # fmt: skip
    keep_verdicts(now=NOW)
    state, at, is_least = since(api, vm, "backup")
    assert (state, is_least) == ("broken", False)
    assert abs(datetime.fromisoformat(at) - (NOW - timedelta(minutes=30))) < timedelta(minutes=2)


def test_what_settles_stands_as_it_stood(api, estate):
    vm = estate["uuid.v1"]
    tell(drive(media="hdd"))
    promised(api, drawn_up(api, FLASH, settling=60), vm)
    keep_verdicts(now=NOW)
    assert not VerdictKept.objects.exists()
    Revision.objects.update(made_at=NOW - timedelta(days=2))
    Promise.objects.update(made_at=NOW - timedelta(days=2))
    keep_verdicts(now=NOW)
    assert VerdictKept.objects.get().state == "broken"


def test_how_many_kept_what_is_counted_once_a_day(api, estate):
    policy = drawn_up(api, FLASH)
    promised(api, policy, estate["uuid.v1"], estate["uuid.v2"])
    keep_verdicts(now=NOW - timedelta(days=1))
    tell(drive())
    keep_verdicts(now=NOW)
    keep_verdicts(now=NOW)
    days = api.get(f"/compliance/policies/{policy['id']}/days").json()
    assert [(one["counts"]["unproven"], one["counts"]["met"]) for one in days] == [(2, 0), (0, 2)]
    assert api.get("/compliance/policies/999/days").status_code == 404


def test_a_tenant_viewer_is_told_of_their_own_changes_alone(api, estate):
    promised(api, drawn_up(api, FLASH), estate["uuid.v1"])
    keep_verdicts(now=NOW)
    tell(drive())
    keep_verdicts(now=NOW)
    keeper = ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)
    person = ensure_person(name="viewer", password="neap-tide", role=Role.TENANT_VIEWER)
    viewer = Api(signed_in(person))
    assert viewer.get("/compliance/changes").json() == []
    tenant = Entity.objects.get(uid="id.seabed")
    set_person(actor=keeper, person_id=person.pk, tenant_ids=[tenant.pk])
    assert len(viewer.get("/compliance/changes").json()) == 1


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


def test_a_rule_that_rejects_every_pool_names_the_one_that_misses_it_by_the_least(api, estate):
    tell(*(
        PoolDocument(uid=f"uuid.p{n}", array_uid="serial.h", name=f"swift-{n}", read_at=NOW,
                     usable_bytes=10 * TIB, used_bytes=TIB, provisioned_bytes=promised * TIB)
        for n, promised in ((7, 18), (8, 13), (9, 25))
    ), *(
        VolumeDocument(uid=f"naa.{n}", pool_uid=f"uuid.p{n}", name=f"v{n}", size_bytes=TIB,
                       read_at=NOW)
        for n in (7, 8, 9)
    ))  # fmt: skip
    rule = {"kind": "overcommit", "told": {"ceiling_percent": 100}}
    told = api.send("POST", "/compliance/tries", policy_id=None, rules=[rule]).json()["impact"]
    rejected = next(one for one in told["rejections"] if one["kind"] == "overcommit")
    assert (rejected["nearest"]["name"], rejected["nearest"]["home_name"]) == ("swift-8", "heron-1")
    assert rejected["nearest"]["found"] == "130 %"


def test_what_breaks_tells_where_it_would_go(api, estate):
    policy = drawn_up(api, {"kind": "media", "told": {"media": "hdd"}})
    promised(api, policy, estate["uuid.v1"], estate["uuid.v2"])
    tell(
        drive(media="hdd"),
        *(
            PoolDocument(uid=f"uuid.f{n}", array_uid="serial.h", name=f"flash-{n}", read_at=NOW,
                         usable_bytes=1000 * GIB, used_bytes=(1000 - left) * GIB)
            for n, left in ((1, 700), (2, 300))
        ),
        *(drive(uid=f"serial.f{n}", pool=f"uuid.f{n}") for n in (1, 2)),
        *(
            VolumeDocument(uid=f"naa.f{n}", pool_uid=f"uuid.f{n}", name=f"f{n}", size_bytes=TIB,
                           read_at=NOW)
            for n in (1, 2)
        ),
    )  # fmt: skip
    told = api.send("POST", "/compliance/tries", policy_id=policy["id"], rules=[FLASH]).json()
    needs = told["impact"]["needs"]  # two of 500 GiB, and 600 and 200 under the limit marks
    assert (needs["fits"], needs["n_left"], needs["n_places"]) == (False, 1, 1)
    (place,) = needs["places"]
    assert (place["name"], place["n_disks"], place["used_bytes"]) == ("flash-1", 1, 500 * GIB)
    assert needs["least_seconds"] is None  # nobody tells what the array sustains
    tell(
        about("serial.h", sustainable_bytes_per_second=3 * GIB),
        MeasuresDocument(uid="serial.h", measure="throughput", amounts=[GIB],
                         first_on=NOW.date() - timedelta(days=1)),
    )  # fmt: skip
    told = api.send("POST", "/compliance/tries", policy_id=policy["id"], rules=[FLASH]).json()
    assert told["impact"]["needs"]["least_seconds"] == 500  # read and written on the same array


@pytest.mark.parametrize(
    ("rule", "field", "n_bytes"),
    [
        (COPY, "copy_bytes", 500 * GIB),
        ({"kind": "provisioning", "told": {"form": "thick"}}, "thick_bytes", 524 * GIB),
        # what is written in two days, and of very many days all that is used
        ({"kind": "kept", "told": {"for_days": 2}}, "snapshot_bytes", MIB * 86_400 * 2),
        ({"kind": "kept", "told": {"for_days": 900}}, "snapshot_bytes", 500 * GIB),
    ],
)
def test_what_a_draft_takes_beside_what_moves(api, estate, rule, field, n_bytes):
    tell(
        drive(),
        VirtualDiskDocument(uid="path.v1:a", name="sonar-1-a", vm_uid="uuid.v1",
                            datastore_uid="uuid.s", size_bytes=1024 * GIB, provisioning="thin",
                            on_array_bytes=500 * GIB, path="/s/1", read_at=NOW),
        VolumeDocument(uid="naa.c", pool_uid="uuid.p", name="other", size_bytes=TIB, read_at=NOW),
        VolumeDocument(uid="naa.d", pool_uid="uuid.p", name="its copy", size_bytes=TIB,
                       read_at=NOW),
        about("naa.c", replicated_to=["naa.d"]),  # somebody tells of copies, and of snapshots
        SnapshotDocument(uid="id.snap", name="snap", of_uid="naa.c", taken_at=NOW, read_at=NOW),
    )  # fmt: skip
    steps = np.full((1, len(PARTS), STEPS_A_DAY), np.nan, dtype=np.float32)
    steps[:, [PARTS.index("read_iops"), PARTS.index("write_iops")]] = 1
    steps[:, PARTS.index("write_bytes_per_second")] = MIB
    take_packed(NOW.date() - timedelta(days=1), ids=np.array([estate["path.v1:a"]]), steps=steps)
    policy = drawn_up(api, FLASH)
    promised(api, policy, estate["uuid.v1"])
    told = api.send("POST", "/compliance/tries", policy_id=policy["id"], rules=[FLASH, rule])
    beside = told.json()["impact"]["beside"]
    names = {"copy_bytes", "thick_bytes", "snapshot_bytes"}
    assert beside[field] == n_bytes
    assert all(beside[name] is None for name in names - {field})
    assert (beside["copy_room_bytes"] > 0) is True
