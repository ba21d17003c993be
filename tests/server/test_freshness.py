"""What nobody was heard of lately is judged by nobody: each feed has an age of its own."""

from datetime import timedelta

import pytest

from keelmark.access.clock import now
from keelmark.bearings.packs.building import build_revision
from keelmark.core.units import TIB
from keelmark.estate.documents import DriveDocument, PoolDocument
from keelmark.estate.models import Pool, Protocol
from keelmark.estate.services.delivery import ensure_source, open_delivery
from keelmark.feeds.importer import Imported, import_documents
from keelmark.feeds.models import Feed
from tests.server.cluster import make_cluster
from tests.server.conftest import for_a_module

FLASH = {"kind": "media", "told": {"media": "ssd"}}


@pytest.fixture(scope="module")
def cluster(django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker):
        yield make_cluster(is_forecast=False)


@pytest.fixture
def flash(cluster, db, api):
    """A VM that is promised flash, on a pool that feeds tell of."""
    told = api.send(
        "POST", "/compliance/policies", name="Fast", rules=[FLASH], settling_minutes=0
    ).json()
    api.send("POST", "/compliance/promises", policy_id=told["id"], entity_ids=[cluster["uuid.v1"]])
    return cluster["uuid.v1"]


def heard(name, *, hours_ago, allowed_hours=36, days_old=0):
    """A feed that told of the pool and its drive, read so long ago."""
    source = ensure_source(name=name, protocol=Protocol.FILE)
    read_at = now() - timedelta(days=days_old)
    import_documents(
        [
            PoolDocument(uid="uuid.p", array_uid="serial.h", name="swift-1",
                         usable_bytes=20 * TIB, used_bytes=8 * TIB, read_at=read_at),
            DriveDocument(uid="serial.d1", name="d1", array_uid="serial.h", pool_uid="uuid.p",
                          capacity_bytes=TIB, role="pooled", media="ssd", read_at=read_at),
        ],
        into=Imported(delivery=open_delivery(source)),
    )  # fmt: skip
    Feed.objects.create(
        name=name, protocol=Protocol.FILE, source=source, allowed_age_hours=allowed_hours,
        last_good_at=now() - timedelta(hours=hours_ago),
    )  # fmt: skip


@pytest.mark.parametrize(
    ("feeds", "state"),
    [
        ([{"hours_ago": 35}], "met"),
        ([{"hours_ago": 37}], "unproven"),
        ([{"hours_ago": 3, "allowed_hours": 2}], "unproven"),
        ([{"hours_ago": 70, "allowed_hours": 96}], "met"),
        ([{"hours_ago": 37}, {"hours_ago": 1}], "met"),  # another one sees it too
        ([{"hours_ago": 37}, {"hours_ago": 38}], "unproven"),
    ],
)
def test_a_feed_that_is_not_heard_leaves_nothing_proven(api, flash, feeds, state):
    for at, told in enumerate(feeds):
        heard(f"feed {at}", **told)
    build_revision(now=now())
    told = api.get(f"/compliance/things/{flash}").json()["rules"][0]
    assert told["state"] == state
    assert ("would tell" in told["found"]) == (state == "unproven")


@pytest.mark.parametrize(
    ("allowed_hours", "days_old", "state"),
    [(96, 3, "met"), (96, 5, "unproven"), (47, 2, "unproven")],
)
def test_what_was_read_days_ago_counts_where_its_feed_is_allowed_days(
    api, cluster, flash, allowed_hours, days_old, state
):
    Feed.objects.all().delete()
    heard("slow", hours_ago=1, allowed_hours=allowed_hours, days_old=days_old)
    Pool.objects.update(read_at=now() - timedelta(days=days_old))
    build_revision(now=now())
    assert api.get(f"/compliance/things/{flash}").json()["rules"][0]["state"] == state
