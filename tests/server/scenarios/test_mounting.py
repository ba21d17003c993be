"""A datastore that one more cluster's hosts come to see: planned, carried out, read."""

from datetime import timedelta

import pytest
from msgspec.structs import replace

from keelmark.access.clock import now
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    ClusterDocument,
    DatastoreDocument,
    HostDocument,
    VolumeDocument,
)
from keelmark.estate.models import Entity
from keelmark.scenarios.services.carrying import go_on_all
from tests.server.cluster import READ_AT, tell
from tests.server.scenarios.planning import ahead, drawn_up, outcome
from tests.server.scenarios.test_orders import ordered, read, states

HOSTS = ("wwn.w1", "wwn.w2")
STORE = DatastoreDocument(
    uid="uuid.s", name="kelp-ds", kind="block", size_bytes=10 * TIB, used_bytes=6 * TIB,
    cluster_uid="id.kelp", extents=["naa.1"], read_at=READ_AT,
)  # fmt: skip


@pytest.fixture
def wrack(estate):
    """A cluster without a datastore."""
    tell(
        ClusterDocument(uid="id.wrack", name="wrack", site="Marram", read_at=READ_AT),
        *(HostDocument(uid=uid, name=uid, cluster_uid="id.wrack", state="up", n_cpus=16,
                       memory_bytes=64 * GIB, read_at=READ_AT) for uid in HOSTS),
    )  # fmt: skip
    return Entity.objects.get(uid="id.wrack").pk


def mount(estate, cluster):
    fields = {"datastore": estate["uuid.s"], "cluster": cluster}
    return {"on": ahead(0), "kind": "mount", "fields": fields}


def berths_of(line):
    return {one["name"]: one["n_free"] for one in line["clusters"]}


def test_what_two_clusters_share_is_room_for_each_and_counted_once(api, estate, wrack):
    made = drawn_up(api, mount(estate, wrack))
    (told,) = made["moves"][0]["faults"]
    assert (told["field"], told["is_bar"]) == ("cluster", False)  # they stand at other sites
    before, then = outcome(api, made, days=0)["lines"]
    assert (berths_of(before)["wrack"], before["n_unknown_clusters"]) == (None, 1)
    assert berths_of(then)["wrack"] == berths_of(then)["kelp"] == berths_of(before)["kelp"]
    assert (then["n_berths"], then["n_unknown_clusters"]) == (before["n_berths"], 0)
    planned = berths_of(then)
    tell(replace(STORE, seen_by=list(HOSTS), read_at=now()))
    (read_so,) = outcome(api, drawn_up(api), days=0)["lines"][:1]
    assert (berths_of(read_so), read_so["n_berths"]) == (planned, then["n_berths"])
    for name, uid in (("kelp", "id.kelp"), ("wrack", "id.wrack")):
        page = api.get(f"/berths/{Entity.objects.get(uid=uid).pk}").json()
        assert page["n_free"] == planned[name]


def test_it_is_verified_once_its_volume_is_mapped_and_all_hosts_see_it(api, estate, wrack):
    order = ordered(api, mount(estate, wrack))
    assert [(one["kind"], one["subject"]["name"]) for one in order["steps"]] == [
        ("map volume", "seabed-1"), ("mount datastore", "kelp-ds"),
    ]  # fmt: skip
    assert order["steps"][1]["values"] == {"cluster": "wrack", "cluster_id": wrack}
    at = now() + timedelta(seconds=5)
    volume = VolumeDocument(uid="naa.1", pool_uid="uuid.p", name="seabed-1", size_bytes=10 * TIB,
                            written_bytes=8 * TIB, read_at=at)  # fmt: skip
    for mapped, wanted in ((HOSTS[:1], ["to do", "to do"]), (HOSTS, ["verified", "to do"])):
        at += timedelta(seconds=5)
        tell(
            replace(volume, mapped_to=list(mapped), read_at=at),
            replace(STORE, seen_by=list(HOSTS[:1]), read_at=at),
        )
        go_on_all()
        assert states(read(api, order)) == wanted
    tell(replace(STORE, seen_by=list(HOSTS), read_at=at + timedelta(seconds=5)))
    go_on_all()
    told = read(api, order)
    assert (states(told), told["ended_at"] is not None) == (["verified"] * 2, True)
