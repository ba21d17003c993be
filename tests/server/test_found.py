"""What the last days show of disks and their tiers, and names that nobody drew up."""

from datetime import timedelta

import pytest

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person
from keelmark.bearings.packs.building import build_revision
from keelmark.bearings.selectors.picture import reading_at
from keelmark.compliance.models import DayServed
from keelmark.compliance.selectors.found import unpacked
from keelmark.compliance.services.found import keep_days, look_for_found
from keelmark.core.estate.reading import LIKELY
from keelmark.core.performance import STEPS_A_DAY
from keelmark.estate.documents import AboutDocument
from keelmark.estate.models import Finding
from keelmark.feeds.importer import Imported, import_documents
from tests.server.cluster import do_all_day, make_cluster
from tests.server.conftest import NOW, Api, for_a_module, signed_in

# By disk what it does all day: reads a second, delay of a limit and wait in line, milliseconds.
DONE = {0: (300, 4, 0), 1: (20, 0, 100), 2: (9, 0, 0), 3: (400, 0, 0)}
N_DAYS = 2


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        ids = make_cluster(is_forecast=False)
        for back in range(1, N_DAYS + 1):
            done = {ids[f"path.v{n}:a"]: did for n, did in DONE.items()}
            do_all_day(done, on=NOW.date() - timedelta(days=back))
        yield ids


@pytest.fixture
def estate(cluster, db, api):
    for name, least, most in (("Slack", 50, 300), ("Ebb", 5, 100)):
        api.send("POST", "/compliance/tiers", name=name, min_iops=least, max_iops=most)
    slack = api.get("/compliance/tiers").json()["results"][0]
    vms = [cluster[f"uuid.v{n}"] for n in range(3)]
    api.send("POST", "/compliance/namings", tier_id=slack["id"], entity_ids=vms)
    build_revision(now=NOW)
    keep_days(now=NOW)
    return cluster


def lanes(api, **query):
    yesterday = (NOW.date() - timedelta(days=1)).isoformat()
    answer = api.get("/compliance/lanes", at=yesterday, **query)
    assert answer.status_code == 200, answer.content
    return {one["name"]: one["found"] for one in answer.json()["results"]}


def test_a_day_that_is_over_is_kept_once_and_one_on_which_nothing_was_read_is_not(estate):
    assert DayServed.objects.count() == N_DAYS
    assert keep_days(now=NOW) == []
    ids, tally = unpacked(bytes(DayServed.objects.first().content))
    assert ids.tolist() == sorted(ids.tolist())
    assert tally.n_read.sum() == len(DONE) * STEPS_A_DAY
    assert tally.n_held.sum() == STEPS_A_DAY - 1  # the fourth has no limit, one step tells nothing
    keep_days(now=NOW + timedelta(days=40))
    assert not DayServed.objects.exists()


def test_a_day_of_which_more_came_late_is_kept_anew(api, estate):
    yesterday = NOW.date() - timedelta(days=1)
    do_all_day({estate["path.v4:a"]: (1, 0, 0)}, on=yesterday)
    assert keep_days(now=NOW) == [yesterday]
    _, tally = unpacked(bytes(DayServed.objects.get(day=yesterday).content))
    assert tally.n_read.sum() == (len(DONE) + 1) * STEPS_A_DAY
    assert keep_days(now=NOW) == []


def test_each_tier_tells_what_the_last_days_show(api, estate):
    told = api.get("/compliance/tiers").json()
    assert told["found_days"] == N_DAYS
    slack, ebb = told["results"]
    assert slack["found"] == {
        "held-long": 1, "starved-often": 1, "busy-untiered": 0, "limit-lax": 1, "outgrows": 0,
        "spare_iops": 200,
    }  # fmt: skip
    assert set(ebb["found"].values()) == {0}
    assert told["found_untiered"]["busy-untiered"] == 1


@pytest.mark.parametrize(
    ("kind", "name", "words"),
    [
        ("held-long", "sonar-0-a", "held 23.9 h a day"),
        ("starved-often", "sonar-1-a", "starved 23.9 h a day"),
        ("limit-lax", "sonar-2-a", "at most 9 in 2 d: Ebb would do"),
        ("busy-untiered", "sonar-3-a", "at most 400 in 2 d: no tier is wide enough"),
    ],
)
def test_lanes_are_told_of_what_was_found_alone(api, estate, kind, name, words):
    assert lanes(api, found=kind) == {name: words}
    assert lanes(api)["sonar-4-a"] == ""
    assert api.get("/compliance/lanes", found="odd").status_code == 400


def test_who_waits_too_often_is_a_finding_until_it_does_no_more(api, estate):
    assert look_for_found(now=NOW) == 3
    told = {one.kind: one.detail for one in Finding.objects.filter(ended_at=None)}
    assert told == {
        "held-long": "was held at its limit for 23.9 hours a day in the last 2 days",
        "starved-often": "had less than its minimum for 23.9 hours a day in the last 2 days, "
        "while operations stood in line",
        "busy-untiered": "did up to 400 operations a second in the last 2 days and is in no tier: "
        "no tier is wide enough for it",
    }
    assert look_for_found(now=NOW) == 3
    assert Finding.objects.count() == 3
    DayServed.objects.all().delete()
    assert look_for_found(now=NOW) == 0
    assert not Finding.objects.filter(ended_at=None).exists()


def test_a_day_is_told_along_whatever_disks_there_are(api, estate):
    """One that came since has nothing read, one that went is left out."""
    kept = DayServed.objects.first()
    before = reading_at(day=None, quantile=LIKELY).estate.revision
    import_documents(
        [AboutDocument(uid="path.v0:a", read_at=NOW, says={"inside_bytes": 7})], into=Imported()
    )
    build_revision(now=NOW)
    assert reading_at(day=None, quantile=LIKELY).estate.revision > before
    assert api.get("/compliance/tiers").json()["results"][0]["found"]["held-long"] == 1
    assert kept.made_at == NOW


def test_names_that_nobody_drew_up_are_told_and_found(api, estate):
    says = [("uuid.v0", {"policy": "Rip-rap"}), ("uuid.v1", {"policy": "Rip-rap"}),
            ("path.v2:a", {"tier": "Bore"}), ("path.v3:a", {"tier": "slack"})]  # fmt: skip
    import_documents(
        [AboutDocument(uid=uid, read_at=NOW, says=told) for uid, told in says], into=Imported()
    )
    build_revision(now=NOW)
    assert api.get("/compliance/names").json() == [
        {"word": "policy", "name": "Rip-rap", "n": 2}, {"word": "tier", "name": "Bore", "n": 1},
    ]  # fmt: skip
    look_for_found(now=NOW)
    one = Finding.objects.get(kind="unknown-name", subject="policy Rip-rap")
    assert one.detail == "2 things are told to be in the policy “Rip-rap”, that nobody drew up"
    api.send("POST", "/compliance/tiers", name="Bore", min_iops=1, max_iops=2)
    look_for_found(now=NOW)
    assert not Finding.objects.filter(subject="tier Bore", ended_at=None).exists()


def test_viewers_see_names_of_their_own_things_alone(api, estate):
    import_documents(
        [AboutDocument(uid="uuid.v0", read_at=NOW, says={"policy": "Rip-rap"})], into=Imported()
    )
    build_revision(now=NOW)
    viewer = ensure_person(name="viewer", password="spring-tide", role=Role.TENANT_VIEWER)
    assert Api(signed_in(viewer)).get("/compliance/names").json() == []
