"""Since when subjects stand as they do, what changed, and days that are over."""

from datetime import datetime, timedelta

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person, set_person
from keelmark.compliance.models import Promise, Revision, VerdictKept
from keelmark.compliance.services.history import keep_verdicts
from keelmark.estate.documents import (
    ProtectionDocument,
)
from keelmark.estate.models import Entity
from tests.server.cluster import tell
from tests.server.conftest import NOW, Api, signed_in
from tests.server.promises.promising import FLASH, drawn_up, drive, promised, verdict


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
