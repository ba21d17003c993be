"""The disks of a VM at a bearing: measures and growth."""

import pytest

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person, set_person
from keelmark.core.units import GIB
from keelmark.estate.models import Entity, VirtualDisk
from tests.server.cluster import make_cluster
from tests.server.conftest import NOW, Api, for_a_module, signed_in


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        ids = make_cluster()
        VirtualDisk.objects.filter(pk=ids["path.v0:a"]).update(
            guest_file_systems=[{"path": "/", "size_bytes": 10 * GIB, "used_bytes": 9 * GIB}]
        )
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
