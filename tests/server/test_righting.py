"""Volumes that drifted, set right: by whom, to what, which are left alone and why."""

from datetime import timedelta

import pytest

from keelmark.access.clock import now
from keelmark.access.models import AuditEntry, Role
from keelmark.access.services.people import ensure_person, set_person
from keelmark.bearings.packs.building import build_revision
from keelmark.compliance.models import Righting, TierNaming, TierRevision
from keelmark.compliance.services.righting import set_right_due
from keelmark.core.units import TIB
from keelmark.estate.documents import AboutDocument, ArrayDocument, VolumeDocument
from keelmark.estate.models import Volume
from keelmark.estate.services.delivery import ensure_source, open_delivery
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Change, ChangeSet, ChangeState
from keelmark.feeds.services.feeds import ensure_feed
from tests.server.cluster import make_cluster
from tests.server.conftest import NOW, Api, for_a_module, signed_in

MUST = {"min_iops": 250, "max_iops": 1_500}
LAX = {"min_iops": 0, "max_iops": 900}


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        ids = make_cluster(is_forecast=False)
        source = ensure_source(name="heron-1", protocol="redfish")
        array = ArrayDocument(uid="serial.h", name="heron-1", site="Skerry", read_at=NOW)
        volume = VolumeDocument(
            uid="naa.1", name="seabed-1", size_bytes=10 * TIB, read_at=NOW,
            qos_min_iops=LAX["min_iops"], qos_max_iops=LAX["max_iops"],
        )  # fmt: skip
        import_documents([array, volume], into=Imported(delivery=open_delivery(source)))
        ensure_feed(name="heron-1", url="http://127.0.0.1:1", writer_user="limits-rw")
        yield ids


@pytest.fixture
def operator(db):
    return ensure_person(name="deckhand", password="spring-tide", role=Role.OPERATOR)


@pytest.fixture
def desk(operator):
    return Api(signed_in(operator))


@pytest.fixture
def estate(cluster, db, api):
    tier = api.send("POST", "/compliance/tiers", name="Slack", min_iops=50, max_iops=300).json()
    named(api, tier, cluster)
    return cluster


def named(api, tier, estate, vms=range(5)):
    ids = [estate[f"uuid.v{n}"] for n in vms]
    answer = api.send("POST", "/compliance/namings", tier_id=tier and tier["id"], entity_ids=ids)
    assert answer.status_code == 200
    build_revision(now=NOW)


def told_of(api):
    (one,) = api.get("/compliance/offers/volume").json()["results"]
    return one


def switched_on(desk, estate, every_seconds=15):
    path = f"/compliance/rightings/{estate['serial.h']}"
    return desk.send("PUT", path, every_seconds=every_seconds)


def due(seconds=60):
    return set_right_due(now=now() + timedelta(seconds=seconds))


def ended(state, *, ago=timedelta(0)):
    Change.objects.update(state=state, ended_at=now() - ago)


def test_what_drifted_is_told_with_whether_it_can_be_set(api, estate):
    one = told_of(api)
    assert (one["is_drifted"], one["can_be_set"], one["left_alone"]) == (True, True, "")
    assert (one["change"], one["n_untiered"]) == (None, 0)


def test_an_interval_is_off_until_an_operator_switches_it_on(api, desk, estate):
    (off,) = desk.get("/compliance/rightings").json()
    assert (off["array_name"], off["every_seconds"], off["author"]) == ("heron-1", None, None)
    assert due() == 0
    assert switched_on(api, estate).status_code == 403
    (on,) = switched_on(desk, estate).json()
    assert (on["every_seconds"], on["author"]) == (15, "deckhand")
    assert due(seconds=1) == 0  # not yet
    assert due() == 1
    change = Change.objects.get()
    assert (change.was, change.wanted, change.state) == (LAX, MUST, "queued")
    assert change.change_set.actor_name == "deckhand"
    assert told_of(api)["change"]["state"] == "queued"
    (off,) = switched_on(desk, estate, every_seconds=None).json()
    assert off["every_seconds"] is None
    told = AuditEntry.objects.filter(subject_kind="array").order_by("pk")
    assert [one.action for one in told] == ["set right on an interval", "set right no more"]


@pytest.mark.parametrize(
    ("seconds", "status"), [(14, 400), (15, 200), (86_400, 200), (86_401, 400)]
)
def test_an_interval_is_between_15_seconds_and_a_day(desk, estate, seconds, status):
    assert switched_on(desk, estate, every_seconds=seconds).status_code == status


def test_an_array_that_nobody_can_set_has_no_interval(desk, estate):
    answer = desk.send("PUT", f"/compliance/rightings/{estate['naa.1']}", every_seconds=60)
    assert answer.status_code == 404


@pytest.mark.parametrize(
    ("state", "ago", "left_alone"),
    [
        (ChangeState.QUEUED, timedelta(0), "under way"),
        (ChangeState.SENDING, timedelta(0), "under way"),
        (ChangeState.SET, timedelta(seconds=-1), "nobody collected since"),
        (ChangeState.SET, timedelta(hours=1), ""),  # somebody set it otherwise since
        (ChangeState.FAILED, timedelta(minutes=59), "failed less than an hour ago"),
        (ChangeState.FAILED, timedelta(minutes=62), ""),
        (ChangeState.OTHERWISE, timedelta(minutes=1), "failed less than an hour ago"),
        (ChangeState.DROPPED, timedelta(0), ""),
    ],
)
def test_what_was_sent_lately_is_waited_for(api, desk, estate, state, ago, left_alone):
    switched_on(desk, estate)
    due()
    ended(state, ago=ago)
    told = told_of(api)["left_alone"]
    assert left_alone in told
    assert bool(told) == bool(left_alone)
    assert due(seconds=120) == int(not left_alone)
    assert left_alone in Righting.objects.get().last_told


def test_a_plan_hides_nothing_of_what_was_set_before_it(api, desk, estate):
    switched_on(desk, estate)
    due()
    ended(ChangeState.SET, ago=timedelta(seconds=-1))
    one = Change.objects.get()
    Change.objects.create(
        change_set=one.change_set, feed=one.feed, entity=one.entity, what=one.what, was=one.was,
        wanted=one.wanted, state=ChangeState.PLANNED,
    )  # fmt: skip
    told = told_of(api)
    assert (told["change"]["state"], told["is_awaited"]) == ("planned", True)
    assert "nobody collected since" in told["left_alone"]
    assert causes(api, estate)["set from here"] == (1, 600)


def test_what_is_collected_is_waited_for_until_it_is_in_the_picture(api, desk, estate, settings):
    settings.PICTURE_IS_MADE_WHEN_ASKED = False
    switched_on(desk, estate)
    due()
    ended(ChangeState.SET, ago=timedelta(minutes=2))
    Volume.objects.update(read_at=now(), qos_min_iops=250, qos_max_iops=1_500)
    assert told_of(api)["left_alone"] == "it was set, and nobody collected since"
    build_revision(now=NOW)
    assert not told_of(api)["is_drifted"]


def test_a_volume_with_a_disk_in_no_tier_is_left_alone(api, desk, estate):
    named(api, None, estate, vms=[0])
    one = told_of(api)
    assert one["n_untiered"] == 1
    assert one["left_alone"] == "1 disk on it without a tier would be held back by it"
    switched_on(desk, estate)
    assert due() == 0
    assert Righting.objects.get().last_told.startswith("1 left alone: 1 disk on it")


def test_who_switched_it_on_must_still_be_allowed_to(desk, operator, estate):
    keeper = ensure_person(name="keeper", password="spring-tide", role=Role.ADMINISTRATOR)
    switched_on(desk, estate)
    set_person(actor=keeper, person_id=operator.pk, role=Role.PLANNER)
    assert due() == 0
    assert Righting.objects.get().last_told == "Stands still: deckhand may set limits no more."
    assert not ChangeSet.objects.exists()


def test_a_limit_that_was_set_settles_until_a_whole_mean_has_passed(api, desk, estate):
    Volume.objects.filter(pk=estate["naa.1"]).update(read_at=NOW)
    switched_on(desk, estate)
    due()
    first = api.get("/compliance/lanes").json()["results"][0]
    long_ago = now() - timedelta(days=2)
    TierNaming.objects.update(made_at=long_ago)
    TierRevision.objects.update(made_at=long_ago)
    assert api.get("/compliance/lanes").json()["results"][0]["settles_in_minutes"] is None
    Change.objects.update(state=ChangeState.SET, ended_at=now())
    left = api.get("/compliance/lanes").json()["results"][0]["settles_in_minutes"]
    assert first["state"] == "unread"
    assert 4 < left <= 10


def test_what_is_told_of_days_gone_by_has_no_changes(api, estate):
    import_documents(
        [AboutDocument(uid="naa.1", read_at=NOW, says={"qos_max_iops": 800})], into=Imported()
    )
    gone = (NOW.date() - timedelta(days=1)).isoformat()
    (one,) = api.get("/compliance/offers/volume", at=gone).json()["results"]
    assert (one["can_be_set"], one["left_alone"], one["change"]) == (False, None, None)


def causes(api, estate):
    answer = api.get(f"/compliance/volumes/{estate['naa.1']}/causes")
    assert answer.status_code == 200, answer.content
    return {one["what"]: (one["n"], one["max_iops"]) for one in answer.json()}


def test_what_changed_on_a_volume_is_told(api, desk, estate):
    """Three disks arrived twelve days ago, the VM of an older one is off since yesterday."""
    assert causes(api, estate) == {"came": (3, 900)}
    says = {"power": "off", "power_since_at": (NOW - timedelta(days=1)).isoformat()}
    import_documents([AboutDocument(uid="uuid.v0", read_at=NOW, says=says)], into=Imported())
    build_revision(now=NOW)
    assert causes(api, estate) == {"came": (3, 900), "stopped": (1, -300)}
    tier = api.get("/compliance/tiers").json()["results"][0]
    api.send(
        "POST", f"/compliance/tiers/{tier['id']}/revisions", min_iops=50, max_iops=400, note="more"
    )
    assert causes(api, estate)["tier revised"] == (4, 400)
    switched_on(desk, estate)
    due()
    ended(ChangeState.SET)
    assert causes(api, estate)["set from here"] == (1, 700)
    assert api.get(f"/compliance/volumes/{estate['uuid.p']}/causes").status_code == 404
