"""The chain below a thing, and how it is printed."""

import pytest

from keelmark.cli.chain import print_chain
from keelmark.core.units import TIB
from keelmark.estate.documents import (
    ArrayDocument,
    Backing,
    ClusterDocument,
    DatastoreDocument,
    DriveDocument,
    HostDocument,
    PoolDocument,
    ProjectDocument,
    TenantDocument,
    VirtualDiskDocument,
    VirtualMachineDocument,
    VolumeDocument,
)
from keelmark.estate.models import Entity
from keelmark.estate.selectors import things_ever
from keelmark.estate.trace import trace
from keelmark.feeds.importer import Imported, import_documents
from tests.server.conftest import NOW


@pytest.fixture
def estate(db):
    """A VM on a datastore on a volume of a pool that a cluster built over two arrays' volumes."""
    import_documents(
        [
            *(ArrayDocument(uid=f"serial.{n}", name=f"heron-{n}", site="Skerry", read_at=NOW)
              for n in (1, 2)),
            *(PoolDocument(uid=f"uuid.p{n}", array_uid=f"serial.{n}", name=f"steady-{n}",
                           usable_bytes=10 * TIB, used_bytes=4 * TIB, raid="RAID6", read_at=NOW)
              for n in (1, 2)),
            *(DriveDocument(uid=f"serial.D{n}", name=f"drive-{n}", array_uid="serial.1",
                            pool_uid="uuid.p1", capacity_bytes=4 * TIB, role="pooled",
                            read_at=NOW) for n in range(3)),
            *(VolumeDocument(uid=f"naa.{n}", pool_uid=f"uuid.p{n}", name=f"under-{n}",
                             size_bytes=4 * TIB, written_bytes=2 * TIB, read_at=NOW)
              for n in (1, 2)),
            ClusterDocument(uid="id.kelp", name="kelp", site="Skerry", read_at=NOW),
            HostDocument(uid="wwn.h", name="kelp-1", cluster_uid="id.kelp", read_at=NOW),
            PoolDocument(uid="id.shared", cluster_uid="id.kelp", name="kelp-shared",
                         usable_bytes=4 * TIB, used_bytes=2 * TIB, backing="shared", read_at=NOW,
                         backed_by=[Backing(volume_uid="naa.1", mirror_side="A"),
                                    Backing(volume_uid="naa.2", mirror_side="B"),
                                    Backing(volume_uid="naa.lost", mirror_side="B")]),
            VolumeDocument(uid="naa.top", pool_uid="id.shared", name="shared-1",
                           size_bytes=3 * TIB, written_bytes=TIB, provisioning="thin",
                           read_at=NOW),
            DatastoreDocument(uid="uuid.s", name="kelp-ds", kind="nfs", nfs_version="4.1",
                              nfs_server="heron-1.test", nfs_path="/export/1",
                              size_bytes=3 * TIB, used_bytes=TIB, extents=["naa.top", "naa.gone"],
                              read_at=NOW),
            TenantDocument(uid="id.seabed", name="Seabed Mapping", read_at=NOW),
            ProjectDocument(uid="id.charts", name="charts", tenant_uid="id.seabed", read_at=NOW),
            VirtualMachineDocument(uid="uuid.v", name="sonar-1", host_uid="wwn.h", power="on",
                                   project_uid="id.charts", read_at=NOW),
            VirtualDiskDocument(uid="path.v:a", name="sonar-1 a", vm_uid="uuid.v",
                                datastore_uid="uuid.s", size_bytes=TIB, on_array_bytes=TIB // 2,
                                provisioning="thick", path="/s/1", read_at=NOW),
            VirtualDiskDocument(uid="path.v:b", name="sonar-1 b", vm_uid="uuid.v",
                                size_bytes=TIB, read_at=NOW),
        ],
        into=Imported(),
    )  # fmt: skip
    return trace(Entity.objects.get(uid="uuid.v"), seen=things_ever())


def child(knot, name):
    return next(below for below in knot.below if below.name == name)


def test_a_vm_is_followed_through_a_shared_pool_to_both_arrays(estate):
    assert estate.note == "power on, on kelp-1, charts"
    store = child(child(estate, "sonar-1 a"), "kelp-ds")
    shared = child(child(store, "shared-1"), "kelp-shared")
    assert [(below.name, below.note) for below in shared.below] == [
        ("under-1", "side A"), ("under-2", "side B"),
        ("naa.lost", "no feed tells of it, side B"), ("kelp", ""),
    ]  # fmt: skip
    lower = child(child(shared, "under-1"), "steady-1")
    assert [below.name for below in lower.below] == ["3 drives", "heron-1"]
    drives = lower.below[0]
    assert (drives.size_bytes, drives.note) == (12 * TIB, "drive-0 … drive-2")
    assert [below.name for below in child(child(shared, "under-2"), "steady-2").below] == [
        "0 drives", "heron-2",
    ]  # fmt: skip


def test_what_no_feed_tells_of_stands_in_the_chain_as_such(estate):
    store = child(child(estate, "sonar-1 a"), "kelp-ds")
    assert store.note == "NFS 4.1 heron-1.test:/export/1"
    gone = child(store, "naa.gone")
    assert (gone.id, gone.note) == (None, "no feed tells of it")
    assert child(estate, "sonar-1 b").below == []  # no datastore is known of it


def test_the_chain_is_printed_with_bytes_at_each_layer(estate, capsys):
    print_chain(estate)
    lines = [line.strip(" │├└─") for line in capsys.readouterr().out.splitlines()]
    assert lines[0].startswith("vm sonar-1")
    assert any(
        line.startswith("disk sonar-1 a") and "512 GiB of 1.00 TiB" in line for line in lines
    )
    assert any(line.startswith("disk sonar-1 b") and " 1.00 TiB" in line for line in lines)
    assert any("pool kelp-shared" in line and "2.00 TiB of 4.00 TiB" in line for line in lines)
    assert any("naa.lost" in line and "no feed tells of it" in line for line in lines)
    assert len(lines) == sum(1 for _ in _walked(estate))


def _walked(knot):
    yield knot
    for below in knot.below:
        yield from _walked(below)


def test_what_lies_on_nothing_is_a_chain_of_one(estate):
    told = trace(Entity.objects.get(uid="id.seabed"), seen=things_ever())
    assert (told.kind, told.name, told.below) == ("tenant", "Seabed Mapping", [])
