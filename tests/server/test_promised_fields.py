"""Fields that follow from promises: sifts, facets and columns of any table know them."""

from datetime import datetime, timedelta

import numpy as np
import pytest

from keelmark.bearings.packs.building import build_revision
from keelmark.core.performance import PARTS, STEPS_A_DAY
from keelmark.estate.documents import AboutDocument, ProtectionDocument
from keelmark.feeds.importer import Imported, import_documents
from keelmark.readings.performance.packing import take_packed
from tests.server.cluster import do_all_day, make_cluster
from tests.server.conftest import NOW, for_a_module

TODAY = NOW.date()


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        ids = make_cluster(is_forecast=False)
        for day in (TODAY, TODAY - timedelta(days=1)):
            do_all_day({ids["path.v0:a"]: (300, 0, 0), ids["path.v1:a"]: (20, 0, 0)}, on=day)
        import_documents(
            [
                AboutDocument(uid="path.v4:a", read_at=NOW, says={"tier": "Rill"}),
                ProtectionDocument(
                    uid="id.backup/1", of_uid="uuid.v0", job="nightly", method="backup",
                    started_at=NOW - timedelta(days=3), ended_at=NOW - timedelta(days=3),
                    result="done",
                ),
            ],
            into=Imported(),
        )  # fmt: skip
        build_revision(now=NOW)
        yield ids


@pytest.fixture
def estate(cluster, db, api):
    """Slack holds the first disk; Kept, of its VM alone, wants another site than it is at."""
    tier = api.send("POST", "/compliance/tiers", name="Slack", min_iops=5, max_iops=300).json()
    vms = [cluster[f"uuid.v{n}"] for n in (0, 1)]
    api.send("POST", "/compliance/namings", tier_id=tier["id"], entity_ids=vms)
    rules = [{"kind": "sites", "told": {"allowed": [], "forbidden": ["Skerry"]}},
             {"kind": "backup", "told": {"within_minutes": 1440}}]  # fmt: skip
    made = api.send("POST", "/compliance/policies", name="Kept", rules=rules, settling_minutes=0)
    assert made.status_code == 201, made.content
    told = api.send("POST", "/compliance/promises", policy_id=made.json()["id"], entity_ids=vms[:1])
    assert told.status_code == 200, told.content
    return cluster


def found(api, kind, scope, **query):
    answer = api.get(f"/estate/rows/{kind}", scope=scope, **query)
    assert answer.status_code == 200, answer.content
    return sorted(row["name"] for row in answer.json()["results"])


@pytest.mark.parametrize(
    ("kind", "scope", "names"),
    [
        ("disk", "io:held", ["sonar-0-a"]),
        ("disk", "io:within", ["sonar-1-a"]),
        ("vm", "io:held", ["sonar-0"]),
        ("vm", "io:unread", ["sonar-2", "sonar-3", "sonar-4"]),
        ("disk", "tier:Slack", ["sonar-0-a", "sonar-1-a"]),
        ("disk", "tier:Rill", ["sonar-4-a"]),
        ("disk", "tier:none", ["sonar-2-a", "sonar-3-a"]),
        ("vm", "policy:kept", ["sonar-0"]),
        ("disk", "policy:kept", ["sonar-0-a"]),
        ("vm", "verdict:none policy:none", ["sonar-1", "sonar-2", "sonar-3", "sonar-4"]),
        ("vm", "disk.io:held", ["sonar-0"]),
        ("datastore", "kind:disk io:held", ["kelp-ds"]),
    ],
)
def test_a_sift_finds_by_what_is_promised_and_served(api, estate, kind, scope, names):
    assert found(api, kind, scope) == names


@pytest.mark.parametrize(
    ("scope", "names"),
    [
        ("verdict:broken", ["sonar-0"]),
        ("verdict:met", []),
        ("rule:sites", ["sonar-0"]),
        ("rule~site", ["sonar-0"]),
        ("rule:backup", ["sonar-0"]),
        ("rule:copy", []),
        ("rule:sites rule:backup", ["sonar-0"]),
        ("-rule:sites", ["sonar-1", "sonar-2", "sonar-3", "sonar-4"]),
        ("rule:none", ["sonar-1", "sonar-2", "sonar-3", "sonar-4"]),
    ],
)
def test_a_sift_finds_who_breaks_which_rule(api, estate, scope, names):
    assert found(api, "vm", scope) == names


def test_of_other_days_nobody_knows_how_everything_is_served(api, estate):
    gone = (TODAY - timedelta(days=1)).isoformat()
    assert found(api, "disk", "io:held", at=gone) == []


@pytest.mark.parametrize(("by", "wanted"), [("tier", {"Slack": 2, "Rill": 1}),
                                            ("io", {"held": 1, "within": 1, "unread": 3}),
                                            ("policy", {"Kept": 1})])  # fmt: skip
def test_facets_fall_by_them(api, estate, by, wanted):
    (told,) = api.get("/estate/facets/disk", by=by).json()
    assert {one["name"]: one["n"] for one in told["slices"]} == wanted


def test_a_revision_is_told_when_who_has_the_policy_is_quietest(api, estate):
    """Two weeks of hours: quiet from Sunday at 3 for four hours, UTC."""
    monday = TODAY - timedelta(days=TODAY.weekday() + 14)
    policy = api.get("/compliance/policies").json()[0]
    disk = estate["path.v0:a"]
    for back in range((TODAY - monday).days):
        day = monday + timedelta(days=back)
        steps = np.full((1, len(PARTS), STEPS_A_DAY), np.nan, dtype=np.float32)
        steps[:, PARTS.index("write_iops")] = 0
        reads = np.full(STEPS_A_DAY, 100.0)
        if day.weekday() == 6:
            reads[3 * 12 : 7 * 12] = 5
        steps[0, PARTS.index("read_iops")] = reads
        take_packed(day, ids=np.array([disk]), steps=steps)
    told = api.send(
        "POST", "/compliance/tries", policy_id=policy["id"],
        rules=[{"kind": "backup", "told": {"within_minutes": 60}}],
    ).json()["impact"]  # fmt: skip
    begins = datetime.fromisoformat(told["quiet"]["begins_at"])
    assert (begins.weekday(), begins.hour, begins > NOW) == (6, 3, True)
    assert (told["quiet"]["iops"], told["quiet"]["n_hours"]) == (5, 4)
    assert told["quiet"]["usual_iops"] == pytest.approx((164 * 100 + 4 * 5) / 168)


def test_who_has_no_policy_is_listed_and_chosen_by_a_sift(api, estate):
    told = api.get("/compliance/verdicts/vm", policy="none").json()
    assert (told["n_all"], {one["policy_id"] for one in told["results"]}) == (4, {None})
    ids = api.get("/compliance/verdicts/vm/ids", policy="none", scope="sonar-3").json()["ids"]
    assert ids == [estate["uuid.v3"]]
    policy = api.get("/compliance/policies").json()[0]
    api.send("POST", "/compliance/promises", policy_id=policy["id"], entity_ids=ids)
    assert api.get("/compliance/verdicts/vm", policy="none").json()["n_all"] == 3
    assert len(api.get("/compliance/verdicts/vm/ids", policy=policy["id"]).json()["ids"]) == 2
    assert api.get("/compliance/verdicts/vm/ids", policy="odd").status_code == 400


@pytest.mark.parametrize(
    ("scope", "hint"),
    [("verdict:brokn", "broken"), ("io:helt", "held"), ("rule:copi", "copy")],
)
def test_a_word_that_is_none_of_a_set_is_told_with_what_would_be(api, estate, scope, hint):
    answer = api.get("/estate/rows/vm", scope=scope)
    assert answer.status_code == 400
    assert hint in answer.content.decode()


def test_of_very_many_disks_some_tell_when_it_is_quiet(api, estate, monkeypatch):
    monkeypatch.setattr("keelmark.compliance.selectors.needs.MOST_READ", 2)
    policy = api.get("/compliance/policies").json()[0]
    vms = [estate[f"uuid.v{n}"] for n in range(5)]
    api.send("POST", "/compliance/promises", policy_id=policy["id"], entity_ids=vms)
    monday = TODAY - timedelta(days=TODAY.weekday() + 14)
    done = {estate[f"path.v{n}:a"]: (3, 0, 0) for n in range(5)}
    for back in range(13):
        do_all_day(done, on=monday + timedelta(days=back))
    told = api.send(
        "POST", "/compliance/tries", policy_id=policy["id"],
        rules=[{"kind": "backup", "told": {"within_minutes": 60}}],
    ).json()["impact"]["quiet"]  # fmt: skip
    assert (told["n_disks"], told["n_all"]) == (2, 5)
    assert told["iops"] == 2 * 3
