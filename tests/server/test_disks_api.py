"""The disks of a VM at a bearing: measures, growth, and how each is served."""

from datetime import timedelta

import numpy as np
import pytest

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person, set_person
from keelmark.core.performance import PARTS, STEPS_A_DAY
from keelmark.core.units import GIB
from keelmark.estate.models import Entity, VirtualDisk
from keelmark.readings.performance.packing import take_packed
from tests.server.cluster import make_cluster
from tests.server.conftest import NOW, Api, for_a_module, signed_in

YESTERDAY = NOW.date() - timedelta(days=1)


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        ids = make_cluster()
        VirtualDisk.objects.filter(pk=ids["path.v0:a"]).update(
            guest_file_systems=[{"path": "/", "size_bytes": 10 * GIB, "used_bytes": 9 * GIB}]
        )
        disks = np.array(sorted(ids[f"path.v{n}:a"] for n in range(2)), dtype=np.int64)
        steps = np.full((2, len(PARTS), STEPS_A_DAY), np.nan, dtype=np.float32)
        steps[:, PARTS.index("read_iops")] = 300
        steps[:, PARTS.index("latency_ms")] = 5
        steps[:, PARTS.index("qos_latency_ms")] = np.array([4, 0])[:, None]
        take_packed(YESTERDAY, ids=disks, steps=steps)
        yield ids


@pytest.fixture
def estate(cluster, db):
    return cluster


def told(api, pk, **query):
    return api.get(f"/estate/things/{pk}/disks", **query)


def only(answer):
    (disk,) = answer.json()["disks"]
    return disk


def test_a_disk_is_told_with_its_measures_and_where_it_lies(api, estate):
    disk = only(told(api, estate["uuid.v0"]))
    assert (disk["name"], disk["datastore"]["name"]) == ("sonar-0-a", "kelp-ds")
    assert (disk["figures"]["used"], disk["figures"]["size"]) == (500 * GIB, 1024 * GIB)
    assert disk["figures"]["unshared"] is None
    assert disk["file_systems"] == [{"path": "/", "size_bytes": 10 * GIB, "used_bytes": 9 * GIB}]
    assert only(told(api, estate["uuid.v1"]))["file_systems"] is None


def test_growth_is_told_over_every_window(api, estate):
    grown = {one["days"]: one["bytes"] for one in only(told(api, estate["uuid.v0"]))["grown"]}
    assert (grown[1], grown[30], grown[90]) == (GIB, 30 * GIB, 90 * GIB)
    assert only(told(api, estate["uuid.v3"]))["grown"][2] == {"days": 30, "bytes": 500 * GIB}


@pytest.mark.parametrize(("vm", "state"), [("uuid.v0", "held"), ("uuid.v1", "untiered")])
def test_how_it_was_served_at_the_end_of_a_day(api, estate, vm, state):
    served = only(told(api, estate[vm], at=YESTERDAY.isoformat()))["served"]
    assert (served["state"], served["iops"], served["latency_ms"]) == (state, 300, 5)
    assert served["read_at"] == f"{YESTERDAY + timedelta(days=1)}T00:00:00Z"


def test_what_was_read_long_ago_tells_nothing_of_now(api, estate):
    assert only(told(api, estate["uuid.v4"]))["served"]["state"] == "unread"


def test_of_days_to_come_nobody_knows_how_it_is_served(api, estate):
    ahead = (NOW.date() + timedelta(days=30)).isoformat()
    assert only(told(api, estate["uuid.v0"], at=ahead))["served"] is None


@pytest.mark.parametrize(
    ("path", "is_otherwise"),
    [("/s/sonar-0-a.qcow2", False), ("/sonar-0/trial-0.qcow2", True), ("", False)],
)
def test_a_file_that_bears_another_name_is_shown(api, estate, path, is_otherwise):
    from keelmark.bearings.packs.building import build_revision

    VirtualDisk.objects.filter(pk=estate["path.v0:a"]).update(path=path)
    build_revision(now=NOW)
    assert only(told(api, estate["uuid.v0"]))["is_named_otherwise"] is is_otherwise


def test_no_volume_is_another_name_while_many_share_it(api, estate):
    assert told(api, estate["uuid.v0"]).json()["volumes_named_otherwise"] == []


@pytest.mark.parametrize("uid", ["uuid.s", "uuid.p"])
def test_what_is_no_vm_has_no_disks_to_tell(api, estate, uid):
    assert told(api, estate[uid]).status_code == 404


def test_a_tenant_viewer_sees_disks_without_their_places(estate):
    keeper = ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)
    person = ensure_person(name="viewer", password="neap-tide", role=Role.TENANT_VIEWER)
    tenant = Entity.objects.get(uid="id.seabed")
    set_person(actor=keeper, person_id=person.pk, tenant_ids=[tenant.pk])
    disk = only(told(Api(signed_in(person)), estate["uuid.v0"]))
    assert disk["datastore"] is None
    assert "path" not in disk["figures"]
