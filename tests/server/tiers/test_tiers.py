"""QoS tiers: drawn up, named, how disks are served in them, what places must offer, replay."""

import csv
import io
from datetime import timedelta

import pytest

from keelmark.access.clock import now
from keelmark.access.models import AuditEntry, Role
from keelmark.access.services.people import ensure_person, set_person
from keelmark.compliance.models import Tier, TierNaming, TierRevision
from keelmark.compliance.selectors import serving
from keelmark.compliance.services.lately import pack_lately
from keelmark.estate.documents import CountersDocument, VirtualDiskDocument
from keelmark.estate.models import Entity
from keelmark.feeds.importer import Imported, import_documents
from keelmark.readings.models import StepsLately
from tests.server.cluster import about, tell
from tests.server.conftest import NOW, Api, signed_in
from tests.server.tiers.tiering import SLACK, YESTERDAY, drawn_up, lane, lanes, named, sampled


def test_disks_stand_by_what_they_do_beside_their_tier(api, estate, slack):
    told = lanes(api)
    assert told["read_at"] == f"{NOW.date()}T00:00:00Z"
    assert [one["state"] for one in told["results"]] == [
        "starved", "held", "within", "within", "unread"
    ]  # fmt: skip
    held = lane(api, estate, 0)
    assert (held["tier_name"], held["by"], held["limit_iops"]) == ("Slack", "vm", 300)
    assert (held["mean_iops"], held["least_iops"], held["most_iops"]) == (300, 300, 300)
    assert held["bound_by"] == "tier"
    assert held["reason"] == "+4.0 ms of delay, its tier lets through 300"
    assert lane(api, estate, 2)["in_line"] == 2
    assert lane(api, estate, 4)["mean_iops"] is None


def test_lanes_are_told_of_a_tier_a_state_or_a_thing_alone(api, estate, slack):
    assert lanes(api, state="held")["n_all"] == 1
    assert lanes(api, tier=slack["id"])["n_all"] == 5
    assert lanes(api, tier="none")["n_all"] == 0
    assert [one["id"] for one in lanes(api, of=estate["uuid.v1"])["results"]] == [
        estate["path.v1:a"]
    ]
    assert lanes(api, of=estate["uuid.s"])["n_all"] == 5
    assert lanes(api, of=estate["naa.1"])["n_all"] == 5


def test_of_days_to_come_nobody_knows_how_disks_are_served(api, estate, slack):
    ahead = (NOW.date() + timedelta(days=30)).isoformat()
    told = api.get("/compliance/lanes", at=ahead).json()
    assert (told["is_known"], told["results"]) == (False, [])
    counts = api.get("/compliance/tiers", at=ahead).json()["results"][0]
    assert (counts["n_disks"], counts["counts"]) == (5, {})


def test_what_goes_on_at_this_instant_stands_beside_the_mean(api, estate, slack):
    sampled = [
        CountersDocument(
            uid="path.v1:a", read_at=NOW - timedelta(seconds=ago), read_ops=ops, write_ops=0,
            busy_seconds=ops / 500,
        )
        for ago, ops in ((120, 1_000), (60, 13_000), (0, 31_000))
    ]  # fmt: skip
    import_documents(sampled, into=Imported())
    told = next(
        one
        for one in api.get("/compliance/lanes").json()["results"]
        if one["id"] == estate["path.v1:a"]
    )
    assert told["instant_iops"] == 300
    assert told["instant_at"] == NOW.isoformat().replace("+00:00", "Z")


@pytest.mark.parametrize(("minutes", "state"), [(37, "unread"), (12, "within")])
def test_what_was_read_too_long_ago_tells_nothing_of_now(api, estate, slack, minutes, state):
    import_documents(sampled(1, minutes=minutes), into=Imported())
    told = api.get("/compliance/lanes", of=estate["uuid.v1"]).json()
    (one,) = told["results"]
    assert one["state"] == state
    assert (one["mean_iops"], told["read_at"] is None) == (
        (None, True) if state == "unread" else (100, False)
    )


def test_lanes_are_the_same_of_what_workers_packed_and_fresh_where_none_does(
    api, estate, slack, monkeypatch
):
    def collect(n):
        import_documents(sampled(n, minutes=12), into=Imported())
        monkeypatch.setattr(serving, "collected_at", lambda: NOW + timedelta(seconds=n))

    def done(**query):
        told = api.get("/compliance/lanes", **query).json()
        return told["read_at"], {one["name"]: one["mean_iops"] for one in told["results"]}

    collect(1)
    read_at, by_name = done()
    assert (pack_lately(now=now()), pack_lately(now=now())) == (True, False)
    assert done() == (read_at, by_name)
    collect(2)
    assert done() == (read_at, by_name)  # packed before it came
    StepsLately.objects.update(made_at=now() - timedelta(minutes=8))  # no worker packs any more
    assert done()[1] == by_name | {"sonar-2-a": 200}
    assert pack_lately(now=now())
    assert done()[1] == by_name | {"sonar-2-a": 200}
    StepsLately.objects.all().delete()  # as after a crash of the database
    assert done()[1] == by_name | {"sonar-2-a": 200}


def test_a_disk_that_came_since_is_unread_in_what_was_packed(api, estate, slack):
    import_documents(sampled(1, minutes=12), into=Imported())
    assert pack_lately(now=now())
    tell(
        VirtualDiskDocument(uid="path.v4:b", name="sonar-4-b", vm_uid="uuid.v4", path="/s/4b",
                            datastore_uid="uuid.s", size_bytes=2**30, read_at=NOW)
    )  # fmt: skip
    states = {one["name"]: one["state"] for one in api.get("/compliance/lanes").json()["results"]}
    assert (states["sonar-4-b"], states["sonar-1-a"]) == ("unread", "within")


def test_the_nearest_name_of_a_tier_wins(api, estate):
    wide, near, feeds = (drawn_up(api, name=name) for name in ("Wide", "Near", "Feeds"))
    disk = estate["path.v1:a"]

    def by():
        told = lane(api, estate, 1)
        return told["tier_name"], told["by"]

    assert by() == (None, None)
    named(api, wide, estate["id.charts"])
    assert by() == ("Wide", "project")
    named(api, near, estate["uuid.v1"])
    assert by() == ("Near", "vm")
    tell(about("path.v1:a", tier="feeds"))
    assert by() == ("Feeds", "told")
    before = named(api, wide, disk)
    assert (by(), before) == (("Wide", "itself"), [{"entity_id": disk, "tier_id": None}])
    assert named(api, None, disk) == [{"entity_id": disk, "tier_id": wide["id"]}]
    assert by() == ("Feeds", "told")
    assert api.send("DELETE", f"/compliance/tiers/{feeds['id']}").status_code == 204
    assert by() == ("Near", "vm")


def test_a_policy_may_name_the_tier_of_who_has_none(api, estate):
    drawn_up(api, name="Spring")
    answer = api.send(
        "POST", "/compliance/policies", name="Fast", rules=[
            {"kind": "tier", "told": {"tier": "Spring"}}
        ],
    )  # fmt: skip
    assert answer.status_code == 201, answer.content
    api.send(
        "POST", "/compliance/promises", policy_id=answer.json()["id"],
        entity_ids=[estate["uuid.v1"]],
    )  # fmt: skip
    told = lane(api, estate, 1)
    assert (told["tier_name"], told["by"]) == ("Spring", "policy")


@pytest.mark.parametrize(
    ("limits", "least", "by"),
    [
        ({}, 300, "tier"),
        ({"path.v0:a": {"qos_max_iops": 200}}, 200, "disk"),
        ({"naa.1": {"qos_max_iops": 250}}, 250, "volume"),
        ({"naa.1": {"qos_max_iops": 250}, "path.v0:a": {"qos_max_iops": 260}}, 250, "volume"),
    ],
)
def test_the_least_limit_bears_on_a_disk(api, estate, slack, limits, least, by):
    tell(*(about(uid, **says) for uid, says in limits.items()))
    told = lane(api, estate, 0)
    assert (told["limit_iops"], told["bound_by"]) == (least, by)


def offer(api, kind, **query):
    told = api.get(f"/compliance/offers/{kind}", **query).json()
    return told, (told["results"] or [None])[0]


@pytest.mark.parametrize("kind", ["volume", "datastore", "pool", "array"])
def test_places_must_offer_the_sums_of_their_disks(api, estate, slack, kind):
    _, one = offer(api, kind)
    assert (one["n_disks"], one["must_min_iops"], one["must_max_iops"]) == (5, 250, 1_500)
    tell(about("uuid.v4", power="off"))
    assert offer(api, kind)[1]["n_disks"] == 4


def test_a_tier_that_is_shared_counts_once_a_place(api, estate):
    tier = drawn_up(api, is_together=True)
    named(api, tier, *(estate[f"uuid.v{n}"] for n in range(5)))
    assert offer(api, "volume")[1]["must_max_iops"] == 300


@pytest.mark.parametrize(
    ("says", "is_drifted"),
    [
        ({}, False),
        ({"qos_min_iops": 250, "qos_max_iops": 1_500}, False),
        ({"qos_min_iops": 250, "qos_max_iops": 1_400}, True),
        ({"qos_min_iops": 240, "qos_max_iops": 1_500}, True),
        ({"qos_max_iops": 1_600}, True),
    ],
)
def test_what_a_volume_is_set_to_may_drift(api, estate, slack, says, is_drifted):
    tell(about("naa.1", **says))
    told, one = offer(api, "volume")
    assert (one["is_drifted"], told["n_drifted"]) == (is_drifted, int(is_drifted))
    assert offer(api, "volume", drift="1")[0]["n_all"] == int(is_drifted)
    assert offer(api, "datastore")[1]["set_max_iops"] == says.get("qos_max_iops")


def test_minimums_above_what_an_array_sustains_are_oversold(api, estate, slack):
    assert not offer(api, "array")[1]["is_oversold"]
    tell(about("serial.h", sustainable_iops=200))
    told, one = offer(api, "array")
    assert (one["is_oversold"], one["sustains_iops"], told["n_oversold"]) == (True, 200, 1)
    assert lane(api, estate, 2)["reason"] == "minimums are oversold on heron-1"


@pytest.mark.parametrize(
    ("told", "pointer"),
    [
        ({"min_iops": 400}, "#/min_iops"),
        ({"max_iops": 0}, "#/max_iops"),
        ({"burst": 0.1}, "#/burst"),
        ({"latency_ms": -1}, "#/latency_ms"),
        ({"max_bytes_per_second": 0}, "#/max_bytes_per_second"),
        ({"name": " "}, "#/name"),
    ],
)
def test_a_tier_that_cannot_be_is_refused_with_its_field(api, estate, told, pointer):
    answer = api.send("POST", "/compliance/tiers", **{"name": "Slack", **SLACK, **told})
    assert answer.status_code == 400
    assert pointer in {one["pointer"] for one in answer.json()["errors"]}
    assert not Tier.objects.exists()


def test_a_tier_is_revised_under_its_version_and_its_disks_settle(api, estate, slack):
    path = f"/compliance/tiers/{slack['id']}/revisions"
    answer = api.send("POST", path, seen="another", **{**SLACK, "max_iops": 500})
    assert answer.status_code == 412
    answer = api.send(
        "POST", path, seen=slack["version"], note="more", **{**SLACK, "max_iops": 500}
    )
    assert answer.status_code == 201, answer.content
    assert answer.json()["newest"]["max_iops"] == 500
    told = lane(api, estate, 0)
    assert (told["limit_iops"], told["state"]) == (500, "held")  # it waited for a limit that day
    assert 0 < told["settles_in_minutes"] <= 10
    revisions = api.get(f"/compliance/tiers/{slack['id']}").json()
    assert [one["number"] for one in revisions] == [2, 1]
    assert AuditEntry.objects.filter(action="revise tier", subject_name="Slack").exists()


def test_a_name_that_stands_is_refused_and_free_when_its_tier_is_retired(api, estate):
    tier = drawn_up(api)
    again = {"name": "sLACK", **SLACK}
    assert api.send("POST", "/compliance/tiers", **again).status_code == 409
    assert api.send("DELETE", f"/compliance/tiers/{tier['id']}").status_code == 204
    assert api.send("POST", "/compliance/tiers", **again).status_code == 201
    assert TierRevision.objects.filter(tier=tier["id"]).exists()


@pytest.mark.parametrize("uid", ["naa.1", "uuid.p", "id.seabed"])
def test_what_asks_for_nothing_names_no_tier(api, estate, uid):
    tier = drawn_up(api)
    answer = api.send("POST", "/compliance/namings", tier_id=tier["id"], entity_ids=[estate[uid]])
    assert answer.status_code == 400
    assert not TierNaming.objects.exists()


@pytest.mark.parametrize(
    ("path", "status"),
    [
        ("/compliance/lanes?state=late", 400), ("/compliance/lanes?tier=x", 400),
        ("/compliance/lanes?of=999999", 404), ("/compliance/offers/vm", 400),
        ("/compliance/tiers/999", 404),
    ],
)  # fmt: skip
def test_what_is_not_there_is_told(api, estate, path, status):
    assert api.get(path).status_code == status


def test_a_tenant_viewer_sees_their_own_disks_without_places(api, estate, slack):
    tell(about("serial.h", sustainable_iops=200))
    keeper = ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)
    person = ensure_person(name="viewer", password="neap-tide", role=Role.TENANT_VIEWER)
    viewer = Api(signed_in(person))
    assert lanes(viewer)["n_all"] == 0
    tenant = Entity.objects.get(uid="id.seabed")
    set_person(actor=keeper, person_id=person.pk, tenant_ids=[tenant.pk])
    told = lanes(viewer)
    assert told["n_all"] == 5
    assert all(one["datastore"] is None for one in told["results"])
    assert not any("heron" in one["reason"] for one in told["results"])
    assert offer(viewer, "array")[0]["n_all"] == 0


@pytest.mark.parametrize(
    ("kind", "uid", "n_things"),
    [("vm", "uuid.v1", 5), ("host", "wwn.h1", 1), ("cluster", "id.kelp", 1),
     ("datastore", "uuid.s", 1), ("volume", "naa.1", 1), ("pool", "uuid.p", 1),
     ("array", "serial.h", 1)],
)  # fmt: skip
def test_lanes_added_up_are_the_sums_of_their_disks(api, estate, slack, kind, uid, n_things):
    told = api.get(f"/compliance/lanes/by/{kind}", at=YESTERDAY.isoformat()).json()
    assert told["n_all"] == n_things
    group = next(one for one in told["results"] if one["id"] == estate[uid])
    mine = lanes(api, of=estate[uid])["results"]
    assert group["n_disks"] == len(mine) == sum(group["counts"].values())
    assert group["counts"]["held"] == sum(one["state"] == "held" for one in mine)
    done = [one["mean_iops"] for one in mine if one["mean_iops"] is not None]
    assert group["mean_iops"] == sum(done)
    assert group["max_iops"] == group["n_tiered"] * SLACK["max_iops"]
    waits = sum(one["latency_ms"] * one["mean_iops"] for one in mine if one["mean_iops"])
    assert group["latency_ms"] == pytest.approx(waits / sum(done), abs=1e-3)


def test_what_is_added_up_is_what_is_asked_for_the_worst_first(api, estate, slack):
    yesterday = YESTERDAY.isoformat()
    held = api.get("/compliance/lanes/by/vm", at=yesterday, state="held").json()["results"]
    assert [(one["id"], one["worst"]) for one in held] == [(estate["uuid.v0"], "held")]
    all_of_them = api.get("/compliance/lanes/by/vm", at=yesterday).json()["results"]
    assert all_of_them[1]["id"] == estate["uuid.v0"]  # after the one that starves
    alone = api.get("/compliance/lanes/by/host", at=yesterday, of=estate["uuid.v1"]).json()
    assert (alone["of"]["name"], alone["results"][0]["n_disks"]) == ("sonar-1", 1)
    assert api.get("/compliance/lanes/by/site").status_code == 400
    ahead = (NOW.date() + timedelta(days=30)).isoformat()
    told = api.get("/compliance/lanes/by/host", at=ahead).json()
    assert (told["is_known"], told["results"]) == (False, [])


def test_instants_are_added_up_where_every_disk_tells_its_own(api, estate, slack):
    for n in (1, 2):
        import_documents(sampled(n, minutes=12), into=Imported())
    (host,) = api.get("/compliance/lanes/by/host").json()["results"]
    assert (host["n_disks"], host["n_read"], host["mean_iops"]) == (5, 2, 300)
    assert host["instant_iops"] == 300


def test_lanes_are_exported_as_they_are_listed(api, estate, slack):
    answer = api.get("/compliance/lanes/export", at=YESTERDAY.isoformat(), state="held")
    (row,) = csv.DictReader(io.StringIO(answer.content.decode()))
    assert (row["name"], row["vm"], row["datastore"]) == ("sonar-0-a", "sonar-0", "kelp-ds")
    assert (row["tier_name"], row["mean_iops"], row["state"]) == ("Slack", "300.0", "held")
    ahead = (NOW.date() + timedelta(days=30)).isoformat()
    assert len(api.get("/compliance/lanes/export", at=ahead).content.splitlines()) == 1


@pytest.mark.parametrize("uid", ["path.v1:a", "uuid.v1", "id.charts"])
def test_who_is_put_into_a_tier_settles_whoever_named_it(api, estate, uid):
    tier = drawn_up(api)
    TierRevision.objects.update(made_at=NOW - timedelta(days=2))
    named(api, tier, estate[uid])
    assert 0 < lane(api, estate, 1)["settles_in_minutes"] <= 10
    TierNaming.objects.update(made_at=NOW - timedelta(days=1))
    assert lane(api, estate, 1)["settles_in_minutes"] is None
    named(api, None, estate[uid])
    assert 0 < lane(api, estate, 1)["settles_in_minutes"] <= 10
