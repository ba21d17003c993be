"""A mirror that is planned, made at one array and begun at the other, read, and ended again."""

import pytest
from django.test.utils import override_settings

from keelmark.access.clock import now, utc_today
from keelmark.bearings.packs.building import build_revision
from keelmark.estate.models import Entity, ProtectionRun, Replica, Volume
from keelmark.feeds.changes.carrying import carry_out as carry_changes
from keelmark.feeds.services.feeds import ensure_feed
from keelmark.feeds.services.running import carry_out as carry_run
from keelmark.feeds.services.schedule import queue_run
from keelmark.scenarios.services.carrying import go_on_all
from standins.estate import make_estate
from standins.redfish.service import Service
from tests.conftest import ANCHOR_ON, PASSWORD, USER, WRITER, RunningStandin
from tests.server.conftest import NOW, for_a_module
from tests.server.scenarios.collecting import collect
from tests.server.scenarios.test_carrying import ordered, read, send, states


@pytest.fixture(scope="module")
def arrays():
    """Two arrays that trust each other."""
    estate, partners = make_estate(size="small", anchor_on=ANCHOR_ON), {}
    running = {}
    for one in estate.arrays[:2]:
        service = Service(
            estate, array=one, user=USER, password=PASSWORD, now=lambda: NOW, writer=WRITER,
            partners=partners,
        )  # fmt: skip
        running[one.name] = RunningStandin(service)
        partners[running[one.name].url.partition("//")[2]] = service.tree.ground
    yield running
    for one in running.values():
        one.stop()


@pytest.fixture(scope="module")
def feeds(arrays, django_db_setup, django_db_blocker):
    with for_a_module(django_db_blocker), override_settings(FEED_NETWORKS=["127.0.0.0/8"]):
        told = {}
        for name, array in arrays.items():
            told[name] = ensure_feed(
                name=name, url=array.url, user=USER, password=PASSWORD,
                writer_user=WRITER[0], writer_password=WRITER[1],
            )  # fmt: skip
            assert carry_run(run_id=queue_run(told[name]).pk).state == "done"
        build_revision(now=now())
        yield told


def planned(kind, **fields):
    return {"on": utc_today().isoformat(), "kind": kind, "fields": fields}


def go_at(feed):
    """Write what is queued at an array and collect it, as the workers do."""
    carry_changes(feed_id=feed.pk)
    collect(feed)


def test_a_mirror_is_made_at_one_array_begun_at_the_other_and_ended(arrays, feeds, db, operator):
    ground = arrays["heron-1"].service.tree.ground
    source = ground.pools["swift-2"].volumes[0]
    volume = Volume.objects.get(entity__uid=f"naa.{source.naa}")
    there = arrays["avocet-2"].service.tree.ground.pools["deep-1"]
    pool = Entity.objects.get(uid=f"uuid.{there.uuid}")
    order = ordered(operator, planned("mirror", what=[volume.pk], to=pool.pk))
    assert [one["kind"] for one in order["steps"]] == ["create volume", "start mirror"]
    assert "has to be read first" in order["steps"][1]["carriage"]["why"]
    send(operator, order, "carrying")
    heron, avocet = feeds["heron-1"], feeds["avocet-2"]
    go_at(avocet)  # the volume is made and read
    told = read(operator, order)
    assert states(told)[0] == "verified"
    go_at(heron)  # the mirror is begun
    collect(avocet)
    told = read(operator, order)
    assert (states(told), told["ended_at"] is not None) == (["verified", "verified"], True)
    copy = Replica.objects.get(volume=volume).target
    assert (copy.name, there.volumes[-1].mirror_of) == (f"{source.name}-mirror", source)
    mirrored = Volume.objects.get(pk=copy.pk)
    assert mirrored.written_bytes == volume.written_bytes
    run = ProtectionRun.objects.get(of=volume.pk)
    assert (run.method, run.result, run.ended_at) == ("replication", "done", mirrored.read_at)

    build_revision(now=now())
    order = ordered(operator, planned("end_mirror", what=[volume.pk]))
    assert [one["kind"] for one in order["steps"]] == ["end mirror", "remove"]
    assert order["steps"][0]["carriage"]["can_be"]
    send(operator, order, "carrying")
    go_at(heron)
    told = read(operator, order)
    assert (states(told)[0], told["waits"]["what"]) == ("verified", "word")
    assert not Replica.objects.filter(volume=volume).exists()
    assert source.mirrors == []
    assert send(operator, order, "steps/2/change", confirms=copy.name).status_code == 202
    go_at(avocet)
    go_on_all()
    assert states(read(operator, order)) == ["verified", "verified"]
    assert copy.name not in [one.name for one in there.volumes]


def test_a_mirror_at_an_array_that_is_not_read_waits_for_hands(arrays, feeds, db, operator):
    """Somebody mirrored it to where nobody looks: nothing is begun beside that from here."""
    ground = arrays["heron-1"].service.tree.ground
    source = ground.pools["swift-2"].volumes[1]
    source.mirrors = ["http://10.9.9.9/redfish/v1/Storage/far/Volumes/gone"]
    collect(feeds["heron-1"])
    volume = Volume.objects.get(entity__uid=f"naa.{source.naa}")
    assert Replica.objects.get(volume=volume).target is None
    there = arrays["avocet-2"].service.tree.ground.pools["deep-1"]
    pool = Entity.objects.get(uid=f"uuid.{there.uuid}")
    build_revision(now=now())
    order = ordered(operator, planned("mirror", what=[volume.pk], to=pool.pk))
    send(operator, order, "carrying")
    go_at(feeds["avocet-2"])
    told = read(operator, order)
    assert states(told)[0] == "verified"
    assert (told["waits"]["place"], told["waits"]["what"]) == (2, "hand")
    assert "no feed tells of" in told["waits"]["says"]
    source.mirrors = None


def test_a_mirror_of_what_nobody_reads_is_read_all_the_same(arrays, feeds, db):
    there = arrays["avocet-2"].service.tree.ground.pools["deep-1"]
    mirror = there.volumes[0]
    mirror.mirror_of = arrays["heron-1"].service.tree.ground.pools["swift-2"].volumes[3]
    mirror.mirror_source = "http://10.9.9.9/redfish/v1/Storage/far/Volumes/gone"
    n_before = ProtectionRun.objects.count()
    collect(feeds["avocet-2"])
    mirror.mirror_of, mirror.mirror_source = None, ""
    assert Volume.objects.get(entity__uid=f"naa.{mirror.naa}").entity.retired_at is None
    assert ProtectionRun.objects.count() == n_before
