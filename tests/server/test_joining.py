from datetime import timedelta

import pytest

from keelmark.core.units import TIB
from keelmark.estate.documents import (
    AboutDocument,
    ArrayDocument,
    Backing,
    ClusterDocument,
    CompleteDocument,
    DatastoreDocument,
    FileDocument,
    HostDeviceDocument,
    HostDocument,
    PoolDocument,
    ProjectDocument,
    ProtectionDocument,
    SnapshotDocument,
    TenantDocument,
    VirtualDiskDocument,
    VirtualMachineDocument,
    VolumeDocument,
)
from keelmark.estate.errors import OtherKindError, UnknownFactError, UnknownParentError
from keelmark.estate.models import (
    Datastore,
    Entity,
    Event,
    Extent,
    File,
    Finding,
    HostDevice,
    LooseEnd,
    Pool,
    ProtectionRun,
    Sight,
    Snapshot,
    Statement,
    VirtualMachine,
    Volume,
)
from keelmark.estate.selectors import things_ever
from keelmark.estate.services.findings import look_for_findings
from keelmark.estate.trace import trace
from tests.server.conftest import NOW as PRESENT

NOW = PRESENT - timedelta(hours=3)  # nothing is younger than its arrival
LATER = NOW + timedelta(hours=1)
LATEST = NOW + timedelta(hours=2)
NAA = "naa.3000000000000001"


def array(uid="serial.H1", **changes):
    return ArrayDocument(**({"uid": uid, "name": uid, "site": "Skerry", "read_at": NOW} | changes))


def pool(uid="uuid.p1", **changes):
    known = {"uid": uid, "array_uid": "serial.H1", "name": uid, "usable_bytes": 10 * TIB,
             "used_bytes": 4 * TIB, "read_at": NOW}  # fmt: skip
    return PoolDocument(**(known | changes))


def volume(uid=NAA, **changes):
    known = {"uid": uid, "pool_uid": "uuid.p1", "name": "seabed-1", "size_bytes": 3 * TIB,
             "written_bytes": TIB, "read_at": NOW}  # fmt: skip
    return VolumeDocument(**(known | changes))


def host(name="kelp-1", **changes):
    known = {"uid": f"wwn.{name}", "name": name, "cluster_uid": "id.kelp", "read_at": NOW}
    return HostDocument(**(known | changes))


def device(host_name="kelp-1", **changes):
    known = {"uid": f"path.{host_name}:1", "name": "/dev/sda", "host_uid": f"wwn.{host_name}",
             "volume_uid": NAA, "use": "in-use", "read_at": NOW}  # fmt: skip
    return HostDeviceDocument(**(known | changes))


def store(**changes):
    known = {"uid": "uuid.s1", "name": "kelp-ds", "kind": "block", "size_bytes": 3 * TIB,
             "cluster_uid": "id.kelp", "extents": [NAA], "read_at": NOW}  # fmt: skip
    return DatastoreDocument(**(known | changes))


def vm(uid="uuid.vm1", **changes):
    known = {"uid": uid, "name": "gauge-1", "host_uid": "wwn.kelp-1", "cluster_uid": "id.kelp",
             "power": "on", "read_at": NOW}  # fmt: skip
    return VirtualMachineDocument(**(known | changes))


def disk(**changes):
    known = {"uid": "path.vm1:vda", "name": "gauge-1 vda", "vm_uid": "uuid.vm1",
             "datastore_uid": "uuid.s1", "size_bytes": TIB, "on_array_bytes": TIB // 2,
             "path": "/ds/gauge-1.qcow2", "read_at": NOW}  # fmt: skip
    return VirtualDiskDocument(**(known | changes))


CLUSTER = ClusterDocument(uid="id.kelp", name="kelp", site="Skerry", read_at=NOW)
STORAGE = (array(), pool(), volume())
COMPUTE = (CLUSTER, host(), device(), store(), vm(), disk())


def kinds_of_findings():
    look_for_findings(at=LATER)
    return sorted(Finding.objects.filter(ended_at=None).values_list("kind", flat=True))


@pytest.mark.parametrize("order", [("array", "hosts"), ("hosts", "array")])
def test_layers_meet_by_worldwide_name_whoever_comes_first(tell, order):
    for source in order:
        tell(source, *(STORAGE if source == "array" else COMPUTE))
    assert Extent.objects.get().target_id == Volume.objects.get().pk
    assert HostDevice.objects.get().volume == Volume.objects.get()
    assert not LooseEnd.objects.exists()
    chain = trace(Entity.objects.get(uid="uuid.vm1"), seen=things_ever())
    kinds = []
    while chain.below:
        chain = chain.below[0]
        kinds.append(chain.kind)
    assert kinds == ["disk", "datastore", "volume", "pool", "drives"]


def test_an_end_that_nobody_tells_of_is_a_finding_until_it_is_told(tell):
    tell("hosts", *COMPUTE)
    assert kinds_of_findings() == ["loose-end", "loose-end"]  # the device's and the extent's
    tell("array", *STORAGE)
    assert kinds_of_findings() == []
    assert Finding.objects.filter(ended_at=LATER).count() == 2


def test_places_and_tenants_come_from_what_things_lie_on(tell):
    tell("array", *STORAGE)
    tell("hosts", *COMPUTE)
    sites = set(Entity.objects.exclude(kind="site").values_list("kind", "site__name"))
    assert sites == {(kind, "Skerry") for kind in
                     ("array", "pool", "volume", "cluster", "host", "host-device", "datastore",
                      "vm", "disk")}  # fmt: skip
    tell(
        "records",
        TenantDocument(uid="id.t", name="Tide Gauges", read_at=NOW),
        ProjectDocument(uid="id.p", name="gauges", tenant_uid="id.t", read_at=NOW),
        AboutDocument(uid="uuid.vm1", read_at=NOW, says={"project_uid": "id.p"}),
    )
    assert Entity.objects.get(uid="path.vm1:vda").tenant.name == "Tide Gauges"
    tell("array", array(site="Marram", read_at=LATER))
    assert Entity.objects.get(uid=NAA).site.name == "Marram"


def test_each_attribute_is_believed_from_who_knows_it(tell):
    tell("array", *STORAGE)
    tell("hosts", *COMPUTE)
    tell(
        "records",
        volume(written_bytes=5, workload="seabed", read_at=LATER),
        vm(power="off", host_uid=None, os="Shoreline", policy="mirrored", read_at=LATER),
    )
    known = Volume.objects.get()
    assert (known.written_bytes, known.workload) == (TIB, "seabed")
    guest = VirtualMachine.objects.get()
    assert (guest.power, guest.os, guest.policy) == ("on", "Shoreline", "mirrored")
    tell("hosts", vm(power="off", read_at=LATEST))
    guest.refresh_from_db()
    assert (guest.power, guest.power_since_at) == ("off", LATEST)


def test_sources_that_cannot_both_be_right_are_a_finding(tell):
    tell("array", *STORAGE)
    tell("records", volume(size_bytes=2 * TIB, read_at=LATER))
    assert Volume.objects.get().size_bytes == 3 * TIB
    assert "size_bytes: array says" in Finding.objects.get(kind="conflict").detail
    tell("records", volume(read_at=LATEST))
    assert not Finding.objects.filter(kind="conflict", ended_at=None).exists()


def test_a_source_says_it_twice_or_late_and_nothing_doubles(tell):
    tell("array", array(), pool(used_bytes=TIB), volume())
    tell("array", pool(used_bytes=2 * TIB, read_at=LATEST))
    late = tell("array", pool(used_bytes=9 * TIB, read_at=LATER))
    again = tell("array", pool(used_bytes=2 * TIB, read_at=LATEST))
    assert late.difference.n_changed == again.difference.n_changed == {}
    assert Pool.objects.get().used_bytes == 2 * TIB


def test_a_thing_is_one_under_all_its_names(tell):
    tell("array", array(), pool(), volume(also=["path.H1:/v/1"]))
    tell("array", volume("eui.77", also=[NAA], read_at=LATER))
    assert Volume.objects.count() == 1
    tell("array", volume("path.H1:/v/1", read_at=LATEST))  # its durable name is missing today
    assert Volume.objects.count() == 1


def test_another_thing_in_the_same_place_is_another(tell):
    tell("array", array(), pool(), volume(also=["path.H1:/v/1"]))
    tell("array", volume("naa.3000000000000002", also=["path.H1:/v/1"], read_at=LATER))
    assert Volume.objects.count() == 2
    tell("array", volume("path.H1:/v/1", name="now", read_at=LATEST))
    assert Entity.objects.get(uid="naa.3000000000000002").name == "now"


def test_one_document_of_two_things_is_told(tell):
    tell("array", array(), pool(), volume(), volume("naa.3000000000000002"))
    tell("array", volume(also=["naa.3000000000000002"], read_at=LATER))
    assert Finding.objects.get().kind == "two-identities"


def test_a_uid_of_another_kind_is_refused(tell):
    tell("array", *STORAGE)
    with pytest.raises(OtherKindError, match="is a volume, not a pool"):
        tell("array", pool(NAA))


@pytest.mark.parametrize(
    ("says", "told"),
    [({"colour": "blue"}, "is no field"), ({"size_bytes": -1}, "is wrong"),
     ({"name": "x"}, "is no field")],
)  # fmt: skip
def test_a_fact_that_things_do_not_have_is_refused(tell, says, told):
    tell("array", *STORAGE)
    with pytest.raises(UnknownFactError, match=told):
        tell("records", AboutDocument(uid=NAA, read_at=NOW, says=says))


def bare(**changes):
    return volume(**({"pool_uid": None, "array_uid": "serial.H1"} | changes))


def test_a_volume_in_no_pool_stands_on_its_array_and_is_found(tell):
    tell("array", array(site="Skerry"), bare())
    one = Volume.objects.get()
    assert (one.pool, one.array.entity.uid, one.entity.site.name) == (None, "serial.H1", "Skerry")
    look_for_findings(at=NOW)
    finding = Finding.objects.get(kind="no-pool")
    assert (finding.entity.uid, finding.others.get().uid) == (NAA, "serial.H1")
    chain = trace(one.entity, seen=Entity.objects.all())
    assert [knot.uid for knot in chain.below] == ["serial.H1"]
    tell("array", array(site="Skerry", read_at=LATER), pool(read_at=LATER), volume(read_at=LATER))
    look_for_findings(at=LATER)
    assert Volume.objects.get().pool.entity.uid == "uuid.p1"
    assert not Finding.objects.filter(kind="no-pool", ended_at=None).exists()


def test_a_volume_in_no_pool_goes_with_its_array(tell):
    tell("array", array(), bare())
    gone = tell("array", array(read_at=LATER),
                CompleteDocument(of_uid="serial.H1", read_at=LATER))  # fmt: skip
    assert gone.difference.n_retired == {"volume": 1}


def test_a_volume_that_lies_nowhere_is_refused(tell):
    with pytest.raises(UnknownParentError):
        tell("array", array(), bare(array_uid=None))


def test_a_complete_host_retires_its_own_and_what_others_see_lives_on(tell):
    tell("hosts", *COMPUTE, vm("uuid.vm2"), SnapshotDocument(
        uid="path.vm2:s", name="s", of_uid="uuid.vm2", taken_at=NOW, read_at=NOW))  # fmt: skip
    tell("records", vm("uuid.vm2", read_at=LATEST))
    whole = (host(read_at=LATER), vm(read_at=LATER), disk(read_at=LATER), device(read_at=LATER))
    gone = tell("hosts", *whole, CompleteDocument(of_uid="wwn.kelp-1", read_at=LATER))
    assert gone.difference.n_retired == {"snapshot": 1}  # the records saw the VM since
    gone = tell("hosts", host(read_at=LATEST), vm(read_at=LATEST),
                CompleteDocument(of_uid="wwn.kelp-1", read_at=LATEST))  # fmt: skip
    assert gone.difference.n_retired == {"disk": 1, "host-device": 1}
    assert Entity.objects.get(uid="uuid.s1").retired_at is None


def test_a_late_complete_delivery_retires_nothing_younger(tell):
    tell("array", *STORAGE)
    tell("array", volume("naa.3000000000000002", read_at=LATEST))
    old = tell("array", array(), pool(), volume(), CompleteDocument(of_uid="serial.H1",
               read_at=LATER))  # fmt: skip
    assert old.difference.n_retired == {}


def test_snapshots_make_trees(tell):
    tell("hosts", *COMPUTE)
    first, second = (
        SnapshotDocument(uid=f"path.vm1:{n}", name=n, of_uid="uuid.vm1", taken_at=NOW,
                         parent_uid=parent, read_at=NOW)
        for n, parent in (("b", "path.vm1:a"), ("a", None))
    )  # fmt: skip
    tell("hosts", first, second)
    assert Snapshot.objects.get(entity__name="b").parent.entity.name == "a"


def test_a_disk_file_that_no_disk_uses_is_an_orphan_until_one_does(tell):
    tell("hosts", *COMPUTE)
    files = [
        FileDocument(uid=f"path.s1:{path}", name=path, datastore_uid="uuid.s1",
                     category=category, size_bytes=1, read_at=NOW)
        for path, category in (("/ds/gauge-1.qcow2", "disk"), ("/ds/left.qcow2", "disk"),
                               ("/ds/a.iso", "image"))
    ]  # fmt: skip
    tell("hosts", *files)
    assert list(File.objects.filter(is_orphan=True).values_list("entity__name", flat=True)) == [
        "/ds/left.qcow2"
    ]
    tell("hosts", disk(uid="path.vm1:vdb", path="/ds/left.qcow2"))
    assert not File.objects.filter(is_orphan=True).exists()


def test_what_grew_moved_came_and_went_is_noted_once(tell):
    tell("array", *STORAGE, pool("uuid.p2"))
    assert not Event.objects.exists()  # what is met first did not happen now
    tell("array", volume(size_bytes=4 * TIB, pool_uid="uuid.p2", read_at=LATER))
    tell("array", volume("naa.3000000000000009", read_at=LATER))
    told = {(e.what, e.of.uid, e.bytes_after) for e in Event.objects.all()}
    assert told == {("grown", NAA, 4 * TIB), ("moved", NAA, None),
                    ("created", "naa.3000000000000009", None)}  # fmt: skip
    moved = Event.objects.get(what="moved")
    assert (moved.from_entity.uid, moved.to_entity.uid) == ("uuid.p1", "uuid.p2")


def test_a_protection_run_that_ended_does_not_run_again(tell):
    tell("array", *STORAGE)
    run = {"uid": "id.b1", "of_uid": NAA, "job": "nightly", "method": "backup", "started_at": NOW}
    tell("records", ProtectionDocument(**run, result="done", n_bytes=7))
    tell("records", ProtectionDocument(**run, result="running"))
    known = ProtectionRun.objects.get()
    assert (known.result, known.n_bytes) == ("done", 7)


def test_a_volume_under_two_names_and_one_that_only_looks_free(tell):
    tell("array", *STORAGE)
    tell("hosts", *COMPUTE, host("kelp-2"), device("kelp-2", name="/dev/sdq", use="free"))
    assert kinds_of_findings() == ["free-but-owned", "two-names"]
    told = Finding.objects.get(kind="free-but-owned")
    assert "belongs to datastore kelp-ds" in told.detail
    assert "/dev/sdq on kelp-2" in Finding.objects.get(kind="two-names").detail


def test_a_mapping_to_nobody_known_is_told_until_the_host_is(tell):
    tell("array", array(), pool(), volume(mapped_to=["wwn.kelp-1"], is_mapped=True))
    assert kinds_of_findings() == ["unmanaged-host"]
    tell("hosts", CLUSTER, host())
    assert kinds_of_findings() == []


def test_a_shared_pool_that_lost_a_mirror_side(tell):
    shared = pool("id.shared", array_uid=None, cluster_uid="id.kelp", backing="shared",
                  backed_by=[Backing(volume_uid=NAA, mirror_side="A"),
                             Backing(volume_uid="naa.gone", mirror_side="B")])  # fmt: skip
    tell("array", *STORAGE)
    tell("hosts", CLUSTER, shared)
    assert kinds_of_findings() == ["loose-end", "mirror-side-lost"]
    kept = Pool.objects.get(entity__uid="id.shared")
    assert (kept.home.name, kept.entity.site.name) == ("kelp", "Skerry")


def test_a_datastore_that_two_clusters_tell_stays_with_the_first_and_all_their_hosts_see_it(tell):
    """Whichever is collected last, for as long as it tells of it."""
    tell("array", *STORAGE)
    others = ClusterDocument(uid="id.wrack", name="wrack", site="Marram", read_at=NOW)
    theirs = host("wrack-1", cluster_uid="id.wrack")
    minutes = iter(range(1, 10))

    def told(source, cluster, seen_by):
        n = next(minutes)
        tell(source, store(cluster_uid=cluster, seen_by=seen_by, size_bytes=n * TIB,
                           read_at=NOW + timedelta(minutes=n)))  # fmt: skip
        known = Datastore.objects.get()
        seen = set(Sight.objects.values_list("target__name", flat=True))
        return known.cluster.entity.name, seen

    tell("hosts", CLUSTER, host(), store(seen_by=["wwn.kelp-1"]))
    tell("more hosts", others, theirs)
    both = {"kelp-1", "wrack-1"}
    assert told("more hosts", "id.wrack", ["wwn.wrack-1"]) == ("kelp", both)
    assert told("hosts", "id.kelp", ["wwn.kelp-1"]) == ("kelp", both)
    assert told("more hosts", "id.wrack", ["wwn.wrack-1"]) == ("kelp", both)
    Statement.objects.filter(source__name="hosts", entity__kind="datastore").update(gone_at=LATER)
    assert told("more hosts", "id.wrack", ["wwn.wrack-1"]) == ("wrack", {"wrack-1"})
