"""Disks whose busy hours come to the maximum of their tier, as forecast from what was read."""

from datetime import timedelta

import numpy as np
import pytest

from keelmark.access import clock
from keelmark.bearings.packs.building import build_revision
from keelmark.compliance.models import LookAhead, TierOutlook
from keelmark.compliance.selectors.found import day_told
from keelmark.compliance.services.found import keep_days, look_for_found
from keelmark.compliance.services.outgrowing import look_ahead
from keelmark.estate.documents import MeasuresDocument
from keelmark.estate.models import Finding, FindingKind
from keelmark.feeds.importer import Imported, import_documents
from keelmark.readings.models import Measure, MeasureReading
from tests.server.cluster import do_all_day, make_cluster
from tests.server.conftest import NOW, for_a_module

YESTERDAY = NOW.date() - timedelta(days=1)
N_DAYS = 120
# By disk: what it does in its busy hours now, and how much more every day.
COURSES = {0: (210, 1.5), 1: (210, 0.0), 2: (210, 0.1), 3: (60, 2.0)}


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        ids = make_cluster(is_forecast=False)
        rng = np.random.default_rng(7)
        import_documents(
            [
                MeasuresDocument(
                    uid=f"path.v{n}:a",
                    measure="iops",
                    first_on=YESTERDAY - timedelta(days=N_DAYS),
                    amounts=[
                        max(0, round((now - more * back) * (1 + rng.normal(0, 0.01))))
                        for back in range(N_DAYS, 0, -1)
                    ],
                )
                for n, (now, more) in COURSES.items()
            ],
            into=Imported(),
        )
        do_all_day({ids[f"path.v{n}:a"]: (now, 0, 0) for n, (now, _) in COURSES.items()},
                   on=YESTERDAY)  # fmt: skip
        build_revision(now=NOW)
        yield ids


@pytest.fixture
def estate(cluster, db, api):
    api.send("POST", "/compliance/tiers", name="Slack", min_iops=50, max_iops=300)
    slack = api.get("/compliance/tiers").json()["results"][0]
    vms = [cluster[f"uuid.v{n}"] for n in range(5)]
    api.send("POST", "/compliance/namings", tier_id=slack["id"], entity_ids=vms)
    keep_days(now=NOW)
    return cluster | {"slack": slack["id"]}


def test_the_busy_hours_of_a_day_that_is_packed_are_reckoned_of_disks(estate):
    told = MeasureReading.objects.get(entity=estate["path.v0:a"], day=YESTERDAY)
    assert (told.measure, told.amount, told.is_reckoned) == (Measure.IOPS, 210, True)
    arrays = MeasureReading.objects.filter(entity=estate["serial.h"], measure=Measure.IOPS)
    assert not arrays.exists()


def test_who_grows_to_its_maximum_is_a_finding_with_its_date(api, estate):
    assert look_ahead(now=NOW) == 3  # the fourth does too little to be asked about
    grows = TierOutlook.objects.get(entity=estate["path.v0:a"])
    days = (grows.likely_on - NOW.date()).days
    assert days == pytest.approx((300 - 210) / 1.5, rel=0.2)
    assert grows.early_on <= grows.likely_on <= grows.late_on
    look_for_found(now=NOW)
    finding = Finding.objects.get(kind=FindingKind.OUTGROWS_TIER, ended_at=None)
    assert finding.entity_id == estate["path.v0:a"]
    assert f"come to the 300 of its tier likely on {day_told(grows.likely_on)}" in finding.detail


def test_lanes_and_tiers_tell_who_outgrows_and_when(api, estate):
    look_ahead(now=NOW)
    answer = api.get("/compliance/lanes", found="outgrows").json()["results"]
    assert [one["name"] for one in answer] == ["sonar-0-a"]
    likely = TierOutlook.objects.get(entity=estate["path.v0:a"]).likely_on
    assert answer[0]["found"].endswith(f"outgrows it {day_told(likely)}")
    assert api.get("/compliance/tiers").json()["results"][0]["found"]["outgrows"] == 1
    past = (NOW.date() - timedelta(days=1)).isoformat()
    told = api.get("/compliance/tiers", at=past).json()["results"][0]["found"]
    assert told["outgrows"] == 0  # nobody forecast it then


def test_it_is_asked_once_a_day_and_anew_when_tiers_change(api, estate):
    assert look_ahead(now=clock.now()) == 3
    assert look_ahead(now=clock.now() + timedelta(hours=20)) == 0
    api.send("POST", "/compliance/tiers", name="Neap", min_iops=100, max_iops=900)
    neap = next(
        one for one in api.get("/compliance/tiers").json()["results"] if one["name"] == "Neap"
    )
    api.send("POST", "/compliance/namings", tier_id=neap["id"], entity_ids=[estate["uuid.v0"]])
    assert look_ahead(now=clock.now()) == 2  # 210 of 900 is far away
    look_for_found(now=clock.now())
    assert not Finding.objects.filter(kind=FindingKind.OUTGROWS_TIER, ended_at=None).exists()
    api.send("POST", "/compliance/namings", tier_id=None, entity_ids=[estate["uuid.v0"]])
    assert look_ahead(now=clock.now()) == 2  # in no tier any more
    assert look_ahead(now=clock.now()) == 0
    assert look_ahead(now=clock.now() + timedelta(days=1)) == 2


def test_where_nobody_has_a_history_it_is_not_asked_again_within_the_day(estate):
    MeasureReading.objects.all().delete()
    assert look_ahead(now=clock.now()) == 0
    kept = LookAhead.objects.get()
    assert (kept.n_asked, kept.n_told) == (3, 0)
    assert look_ahead(now=clock.now() + timedelta(hours=20)) == 0
    assert LookAhead.objects.get().made_at == kept.made_at


def test_a_disk_of_which_too_little_is_known_has_no_date(api, estate):
    do_all_day({estate["path.v4:a"]: (290, 0, 0)}, on=YESTERDAY)
    keep_days(now=NOW)
    assert look_ahead(now=NOW) == 3
    assert not TierOutlook.objects.filter(entity=estate["path.v4:a"]).exists()
