"""What pages tell by kind: quotas and what came, tiers and largest objects, an array's rooms."""

from datetime import UTC, datetime, timedelta

import pytest

from keelmark.bearings.packs.building import build_revision
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    AccountDocument,
    BucketDocument,
    BucketShare,
    DriveDocument,
    HostDeviceDocument,
    LargeObject,
    PortDocument,
    ProjectDocument,
    SnapshotDocument,
)
from keelmark.estate.models import Entity
from keelmark.feeds.importer import Imported, import_documents
from tests.server.cluster import READ_AT, make_cluster
from tests.server.conftest import NOW, for_a_module

WRITTEN = datetime(2026, 1, 1, tzinfo=UTC)


def bucket(name, *, sizes, tier="cold"):
    return BucketDocument(
        uid=f"id.bucket/a/{name}", name=name, account_uid="id.account/a", n_objects=6,
        used_bytes=60, age_since="write", read_at=READ_AT,
        shares=[
            BucketShare(tier="hot", from_days=0, n_objects=2, n_bytes=10),
            BucketShare(tier="hot", from_days=30, n_objects=1, n_bytes=20),
            BucketShare(tier="cold", from_days=365, n_objects=3, n_bytes=30),
        ],
        largest=[
            LargeObject(key=f"{name}/{size}", n_bytes=size, tier=tier, written_at=WRITTEN)
            for size in sizes
        ],
    )  # fmt: skip


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        make_cluster()
        drives = [("pooled", 8), ("pooled", 10), ("failed", 8), ("spare", 9), ("unpooled", 4)]
        import_documents(
            [
                ProjectDocument(uid="id.charts", name="charts", tenant_uid="id.seabed",
                                quota_bytes=3 * TIB, quota_vms=8, read_at=READ_AT),
                ProjectDocument(uid="id.wrecks", name="wrecks", tenant_uid="id.seabed",
                                read_at=READ_AT),
                *(DriveDocument(uid=f"serial.d{at}", name=f"d{at}", array_uid="serial.h",
                                pool_uid="uuid.p" if role in ("pooled", "failed") else None,
                                role=role, capacity_bytes=size * TIB, media="flash",
                                read_at=READ_AT)
                  for at, (role, size) in enumerate(drives)),
                *(PortDocument(uid=f"wwn.p{at}", name=f"p{at}", array_uid="serial.h",
                               controller="AB"[at % 2], speed_bits_per_second=10**10,
                               is_up=at > 0, n_logins=at, read_at=READ_AT) for at in range(4)),
                AccountDocument(uid="id.account/a", name="a", read_at=READ_AT),
                bucket("b", sizes=[9, 7, 5]),
                bucket("c", sizes=[8], tier="hot"),
            ],
            into=Imported(),
        )  # fmt: skip
        build_revision(now=NOW)
        yield dict(Entity.objects.values_list("uid", "pk"))


@pytest.fixture
def estate(cluster, db):
    return cluster


def section(api, pk, key):
    told = api.get(f"/estate/things/{pk}/details").json()["sections"]
    return next(one for one in told if one["key"] == key)


def rows(api, pk, key):
    return [row["cells"] for row in section(api, pk, key)["rows"]]


def test_a_tenant_tells_what_each_project_holds_of_its_quota(api, estate):
    held = 5 * 500 * GIB
    assert rows(api, estate["id.seabed"], "quotas") == [
        ["charts", held, 3 * TIB, 3 * TIB - held, "81 %", 5, 8],
        ["wrecks", None, None, None, None, 0, None],
    ]
    assert rows(api, estate["id.charts"], "quotas")[0][0] == "charts"


def test_what_came_lately_says_when_and_what_it_holds(api, estate):
    came = rows(api, estate["id.charts"], "came")
    assert [row[0] for row in came] == [f"sonar-{n}" for n in range(5)]
    assert {(row[2], row[3]) for row in came} == {("charts", 500 * GIB)}
    old = NOW - timedelta(days=40)
    Entity.objects.filter(uid="uuid.v0").update(first_seen_at=old)
    assert next(iter(rows(api, estate["id.seabed"], "came")))[0] == "sonar-1"


def test_objects_are_told_by_tier_and_age(api, estate):
    assert rows(api, estate["id.bucket/a/b"], "tiers") == [
        ["hot", "0 to 30 d", 2, 10],
        ["hot", "30 to 365 d", 1, 20],
        ["cold", "365 d and older", 3, 30],
    ]
    assert rows(api, estate["id.account/a"], "tiers")[0] == ["hot", "0 to 30 d", 4, 20]


def test_the_largest_objects_stand_with_tier_and_age(api, estate):
    age = (datetime.now(UTC) - WRITTEN).days
    of_bucket = rows(api, estate["id.bucket/a/b"], "largest")
    assert [row[:4] for row in of_bucket] == [[f"b/{n}", n, "cold", age] for n in (9, 7, 5)]
    of_account = rows(api, estate["id.account/a"], "largest")
    assert [row[:4] for row in of_account][:2] == [["b/9", "b", 9, "cold"], ["c/8", "c", 8, "hot"]]


def test_tiers_are_columns_that_are_sifted_and_added_up(api, estate):
    told = api.get("/estate/rows/bucket", columns="hot,warm,cold", order="name").json()
    assert [row["cells"] for row in told["results"]] == [{"hot": 30, "warm": None, "cold": 30}] * 2
    assert {one["name"]: one["known_bytes"] for one in told["totals"]}["cold"] == 60
    none = api.get("/estate/rows/bucket", scope="kind:bucket hot>1GB").json()
    assert none["n_all"] == 0


def test_an_array_tells_where_its_bytes_are_in_words_that_are_never_one(api, estate):
    assert rows(api, estate["serial.h"], "whereabouts") == [
        ["written in pools", "usable", None, 8 * TIB],
        ["by snapshots alone", "usable", None, None],
        ["free in pools", "usable", None, 12 * TIB],
        ["in drives of no pool", "raw", 1, 4 * TIB],
        ["in spare drives", "raw", 1, 9 * TIB],
        ["in failed drives", "raw", 1, 8 * TIB],
    ]


@pytest.mark.parametrize("uid", ["serial.h", "uuid.p"])
def test_what_a_failed_drive_costs(api, estate, uid):
    (told,) = rows(api, estate[uid], "faults")
    name, _, n, n_failed, largest, anew, taken_by = told
    assert (name, n, n_failed, largest) == ("swift-1", 3, 1, 10 * TIB)
    assert anew == 4 * TIB  # as full as the pool is
    assert taken_by == "no spare drive"  # the spare is smaller


def test_controllers_are_told_by_their_ports(api, estate):
    assert rows(api, estate["serial.h"], "controllers") == [
        ["A", 2, 1, 10**10, 2],
        ["B", 2, 2, 2 * 10**10, 4],
    ]


@pytest.mark.parametrize("kind", ["site", "array", "pool", "datastore"])
def test_an_owner_is_told_where_its_bytes_lie(api, estate, kind):
    told = api.get(f"/estate/things/{estate['id.charts']}").json()["related"]
    (place,) = [one for one in told if one["kind"] == kind]
    assert [(one["used_bytes"], one["grown_bytes"]) for one in place["named"]] == [
        (5 * 500 * GIB, 3 * 500 * GIB + 2 * 30 * GIB)
    ]


def test_a_volume_tells_over_all_hosts_who_sees_it_and_whose_it_is(api, estate):
    import_documents(
        [HostDeviceDocument(uid="path.h2:b", name="/dev/sdb", host_uid="wwn.h2",
                            volume_uid="naa.1", use="free", read_at=READ_AT)],
        into=Imported(),
    )  # fmt: skip
    told = section(api, estate["naa.1"], "mappings")
    assert told["note"] == "it belongs to datastore kelp-ds"
    assert [row["cells"] for row in told["rows"]] == [["kelp-2", "sees it", "/dev/sdb", "free"]]


def test_snapshots_hang_together_with_what_removing_one_frees(api, estate):
    taken = datetime(2026, 3, 1, tzinfo=UTC)
    chain = [("a", None, 5), ("b", "a", 7), ("c", "a", 9), ("d", "c", 1)]
    import_documents(
        [
            SnapshotDocument(uid=f"id.{name}", name=name, of_uid="uuid.v0",
                             parent_uid=parent and f"id.{parent}", read_at=READ_AT,
                             taken_at=taken + timedelta(days=at), unshared_bytes=held * GIB)
            for at, (name, parent, held) in enumerate(chain)
        ],
        into=Imported(),
    )  # fmt: skip
    told = section(api, estate["uuid.v0"], "snapshots")["rows"]
    hung = [(row["depth"], *row["cells"]) for row in told]
    assert [(name, depth, held // GIB, n) for depth, name, _, held, n in hung] == [
        ("a", 0, 5, 3), ("b", 1, 7, 0), ("c", 1, 9, 1), ("d", 2, 1, 0),
    ]  # fmt: skip
    build_revision(now=NOW)
    listed = api.get("/estate/rows/snapshot", columns="vm,used", order="-used").json()
    assert listed["results"][0]["cells"] == {
        "vm": {"id": estate["uuid.v0"], "kind": "vm", "name": "sonar-0"}, "used": 9 * GIB,
    }  # fmt: skip
