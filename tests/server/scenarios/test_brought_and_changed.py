"""What a plan brings is grown and mounted by the same plan, at its array, once it is read."""

import pytest

from keelmark.access.clock import now, utc_today
from keelmark.bearings.packs.building import build_revision
from keelmark.core.units import GIB
from keelmark.estate.documents import ClusterDocument, DatastoreDocument, HostDocument
from keelmark.estate.models import Entity, Host
from tests.server.cluster import tell
from tests.server.conftest import NOW, for_a_module
from tests.server.scenarios.collecting import forget_volumes, go
from tests.server.scenarios.test_carrying import NAME, made, ordered, read, send, states

CLUSTERS = ("kelp", "wrack")
SIZE, MORE = 20 * GIB, 5 * GIB


@pytest.fixture(scope="module")
def ground(collected, array, django_db_blocker):
    """The array with two clusters, each of two hosts that come to it by ports that it knows."""
    with for_a_module(django_db_blocker):
        ports = array.service.tree.ground.ports_seen
        for at, name in enumerate(CLUSTERS):
            tell(
                ClusterDocument(uid=f"id.{name}", name=name, read_at=NOW),
                *(HostDocument(uid=f"wwn.{port}", name=f"{name}-{port}", read_at=NOW,
                               cluster_uid=f"id.{name}")
                  for port in ports[2 * at : 2 * at + 2]),
            )  # fmt: skip
        build_revision(now=now())
        yield {one.uid: one.pk for one in Entity.objects.all()}


@pytest.fixture
def estate(ground, array, db, settings):
    settings.FEED_NETWORKS = ["127.0.0.0/8"]
    array.fault("none")
    yield ground
    forget_volumes(array, named=NAME)


def moves(estate, array):
    pool = array.service.tree.ground.pools["swift-2"]
    fields = {
        "new_datastore": {"pool": estate[f"uuid.{pool.uuid}"], "cluster": estate["id.kelp"],
                          "name": NAME, "size_bytes": SIZE},
        "extend_datastore": {"datastore": -1, "added_bytes": MORE},
        "mount": {"datastore": -1, "cluster": estate["id.wrack"]},
    }  # fmt: skip
    on = utc_today().isoformat()
    return [{"on": on, "kind": kind, "fields": told} for kind, told in fields.items()]


def store_read(order, *, size, seen_by=None):
    """What hands did, as it is read."""
    volume = order["steps"][0]["values"]["name"]
    tell(
        DatastoreDocument(
            uid="uuid.new", name=NAME, cluster_uid="id.kelp", kind="block", size_bytes=size,
            extents=[Entity.objects.get(name=volume, kind="volume", retired_at=None).uid],
            seen_by=seen_by, read_at=now(),
        )
    )  # fmt: skip


def test_a_volume_that_a_plan_brought_is_grown_and_mapped_further_by_it(
    operator, estate, array, collected
):
    order = ordered(operator, *moves(estate, array))
    assert [one["kind"] for one in order["steps"]] == [
        "create volume", "map volume", "make datastore", "extend volume", "extend datastore",
        "map volume", "mount datastore",
    ]  # fmt: skip
    assert order["steps"][3]["carriage"]["why"] == f"volume {NAME}-v1 is not read yet"
    assert send(operator, order, "carrying").status_code == 202
    for _ in range(2):
        go(collected)
    (volume,) = made(array)
    assert len(volume.seen_by) == 2
    told = read(operator, order)
    assert (told["waits"]["place"], told["waits"]["what"]) == (3, "hand")
    store_read(order, size=SIZE)
    for _ in range(2):
        go(collected)
    assert volume.size_bytes >= SIZE + MORE
    assert (states(told := read(operator, order))[3], told["waits"]["place"]) == ("verified", 5)
    store_read(order, size=SIZE + MORE)
    for _ in range(2):
        go(collected)
    assert len(volume.seen_by) == 4
    told = read(operator, order)
    assert (states(told)[5], told["waits"]["place"]) == ("verified", 7)
    wrack = Host.objects.filter(cluster=estate["id.wrack"])
    store_read(order, size=SIZE + MORE, seen_by=[*wrack.values_list("entity__uid", flat=True)])
    go(collected)
    told = read(operator, order)
    assert (set(states(told)), told["ended_at"] is not None) == ({"verified"}, True)
