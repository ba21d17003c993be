"""Reads and writes of a thing over the API: its own or its disks', as far as they may be seen."""

from datetime import timedelta

import numpy as np
import pytest

from keelmark.access.models import Role
from keelmark.access.services.people import ensure_person, set_person
from keelmark.bearings.packs.building import build_revision
from keelmark.core.performance import PARTS, STEPS_A_DAY
from keelmark.estate.documents import DriveDocument, PortDocument, TenantDocument
from keelmark.estate.models import Entity
from keelmark.feeds.importer import Imported, import_documents
from keelmark.readings.performance.packing import take_packed
from tests.server.cluster import READ_AT, make_cluster
from tests.server.conftest import NOW, Api, for_a_module, signed_in

YESTERDAY = NOW.date() - timedelta(days=1)
N_DISKS = 5


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        ids = make_cluster()
        disks = np.array(sorted(ids[f"path.v{n}:a"] for n in range(N_DISKS)), dtype=np.int64)
        steps = np.full((N_DISKS, len(PARTS), STEPS_A_DAY), np.nan, dtype=np.float32)
        steps[:, PARTS.index("read_iops")] = np.arange(1, N_DISKS + 1)[:, None] * 10
        steps[:, PARTS.index("write_iops")] = 0
        steps[:, PARTS.index("latency_ms")] = np.arange(1, N_DISKS + 1)[:, None]
        steps[4, :, 100:] = np.nan  # one was not read all day
        take_packed(YESTERDAY, ids=disks, steps=steps)
        yield ids


@pytest.fixture
def estate(cluster, db):
    return cluster


def told(api, pk, **query):
    return api.get(f"/estate/things/{pk}/performance", at=YESTERDAY.isoformat(), **query)


def test_a_disk_is_told_as_it_was_read(api, estate):
    one = told(api, estate["path.v1:a"]).json()
    assert (one["source"], one["n_things"], one["bin_seconds"]) == ("own", 1, 300)
    assert one["first_at"] == f"{YESTERDAY}T00:00:00Z"
    assert one["read_iops"] == [20] * STEPS_A_DAY
    assert one["latency_ms"] == [2] * STEPS_A_DAY
    assert set(one["qos_latency_ms"]) == {None}


@pytest.mark.parametrize("uid", ["uuid.s", "naa.1", "uuid.p", "serial.h", "id.kelp", "id.seabed"])
def test_what_carries_disks_is_their_sum_and_says_of_how_many(api, estate, uid):
    one = told(api, estate[uid]).json()
    assert (one["source"], one["n_things"]) == ("disks", N_DISKS)
    assert one["read_iops"][0] == 10 + 20 + 30 + 40 + 50
    assert one["read_iops"][-1] == 10 + 20 + 30 + 40
    assert (one["least_read"][0], one["least_read"][-1]) == (5, 4)
    weighed = (10 * 1 + 20 * 2 + 30 * 3 + 40 * 4) / 100
    assert one["latency_ms"][-1] == pytest.approx(weighed)


@pytest.mark.parametrize("days", [7, 14, 30, 90, 365])
def test_every_window_holds_the_same_operations(api, estate, days):
    one = told(api, estate["uuid.s"], days=days).json()
    done = [x for x in one["read_iops"] if x is not None]
    assert done
    assert max(done) <= 150
    assert max(x for x in one["most_iops"] if x is not None) <= 150


def test_who_reads_most_stands_first_with_its_share(api, estate):
    path = f"/estate/things/{estate['uuid.s']}/performance/eaters"
    rows = api.get(path, at=YESTERDAY.isoformat(), days=1, by="vm").json()
    assert [row["name"] for row in rows] == [f"sonar-{n}" for n in (4, 3, 2, 1, 0)]
    assert sum(row["share"] for row in rows) == pytest.approx(1)
    for by in ("disk", "datastore", "volume", "project", "tenant"):
        assert api.get(path, at=YESTERDAY.isoformat(), by=by).json()[0]["kind"] == by


def test_an_arrays_pools_and_ports_are_told_as_they_count_themselves(api, estate):
    pool = np.array([estate["uuid.p"]], dtype=np.int64)
    steps = np.full((1, len(PARTS), STEPS_A_DAY), np.nan, dtype=np.float32)
    steps[:, PARTS.index("write_iops")] = 70
    take_packed(YESTERDAY, ids=pool, steps=steps)
    path = f"/estate/things/{estate['serial.h']}/performance/eaters"
    (row,) = api.get(path, at=YESTERDAY.isoformat(), by="pool").json()
    assert (row["name"], row["iops"], row["share"]) == ("swift-1", 70, 1)
    assert api.get(path, at=YESTERDAY.isoformat(), by="port").json() == []
    import_documents([PortDocument(uid="wwn.p", name="A 0", array_uid="serial.h",
                                   read_at=READ_AT)], into=Imported())  # fmt: skip
    Entity.objects.filter(uid="wwn.p").update(first_seen_at=READ_AT - timedelta(days=9))
    build_revision(now=NOW)
    steps[:] = np.nan
    steps[:, PARTS.index("read_bytes_per_second")] = 4096
    port = Entity.objects.get(uid="wwn.p").pk
    take_packed(YESTERDAY, ids=np.array([port], dtype=np.int64), steps=steps)
    (row,) = api.get(path, at=YESTERDAY.isoformat(), by="port").json()
    assert (row["name"], row["iops"], row["bytes_per_second"]) == ("A 0", None, 4096)
    assert row["share"] == 1  # of bytes: ports count no operations
    of_store = f"/estate/things/{estate['uuid.s']}/performance/eaters"
    assert api.get(of_store, at=YESTERDAY.isoformat(), by="pool").json() == []


@pytest.mark.parametrize("of", ["serial.h", "uuid.p"])
def test_drives_are_told_under_their_array_and_their_pool(api, estate, of):
    import_documents(
        [DriveDocument(uid="serial.h-D1", name="d1", array_uid="serial.h", pool_uid="uuid.p",
                       role="pooled", capacity_bytes=10**12, read_at=READ_AT)],
        into=Imported(),
    )  # fmt: skip
    drive = Entity.objects.get(uid="serial.h-D1")
    Entity.objects.filter(pk=drive.pk).update(first_seen_at=READ_AT - timedelta(days=9))
    build_revision(now=NOW)
    steps = np.full((1, len(PARTS), STEPS_A_DAY), np.nan, dtype=np.float32)
    steps[:, PARTS.index("read_iops")] = 9
    take_packed(YESTERDAY, ids=np.array([drive.pk], dtype=np.int64), steps=steps)
    path = f"/estate/things/{estate[of]}/performance/eaters"
    (row,) = api.get(path, at=YESTERDAY.isoformat(), by="drive").json()
    assert (row["name"], row["iops"], row["latency_ms"]) == ("d1", 9, None)
    assert told(api, drive.pk).json()["source"] == "own"


def test_what_an_array_sustains_is_told_beside_what_it_does(api, estate):
    from keelmark.estate.models import Array

    Array.objects.filter(pk=estate["serial.h"]).update(sustainable_iops=1000)
    assert told(api, estate["serial.h"]).json()["sustains_iops"] == 1000
    assert told(api, estate["uuid.p"]).json()["sustains_iops"] is None


def test_of_what_nothing_was_read_that_is_said(api, estate):
    one = told(api, estate["wwn.h2"]).json()
    assert (one["source"], one["n_things"]) == ("none", 0)
    assert set(one["read_iops"]) == {None}
    path = f"/estate/things/{estate['wwn.h2']}/performance/eaters"
    assert api.get(path).json() == []


@pytest.mark.parametrize(
    ("query", "field"), [({"days": 5}, "days"), ({"days": "x"}, "days"), ({"at": "soon"}, "at")]
)
def test_what_cannot_be_asked_is_refused_by_field(api, estate, query, field):
    answer = api.get(f"/estate/things/{estate['uuid.s']}/performance", **query)
    assert answer.status_code == 400
    assert answer.json()["errors"][0]["pointer"] == f"#/{field}"


@pytest.mark.parametrize("own", [True, False])
def test_a_tenant_viewer_sees_their_own_disks_alone(estate, own):
    import_documents([TenantDocument(uid="id.other", name="Other", read_at=READ_AT)],
                     into=Imported())  # fmt: skip
    tenant = estate["id.seabed"] if own else Entity.objects.get(uid="id.other").pk
    keeper = ensure_person(name="keeper", password="neap-tide", role=Role.ADMINISTRATOR)
    person = ensure_person(name="viewer", password="neap-tide", role=Role.TENANT_VIEWER)
    set_person(actor=keeper, person_id=person.pk, tenant_ids=[tenant])
    viewer = Api(signed_in(person))
    assert told(viewer, estate["path.v1:a"]).status_code == (200 if own else 404)
    assert told(viewer, estate["uuid.p"]).status_code == 404
