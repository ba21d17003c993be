"""What is measured: an array of two pools with a volume each, a cluster with three VMs."""

from datetime import UTC, datetime, timedelta

from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    ArrayDocument,
    ClusterDocument,
    DatastoreDocument,
    HostDocument,
    MeasuresDocument,
    PoolDocument,
    VirtualMachineDocument,
    VolumeDocument,
)
from keelmark.feeds.importer import Imported, import_documents
from keelmark.readings.models import MeasureReading
from tests.server.conftest import NOW, TODAY

N_DAYS = 120
YESTERDAY = TODAY - timedelta(days=1)
MIDNIGHT = datetime(YESTERDAY.year, YESTERDAY.month, YESTERDAY.day, tzinfo=UTC)


def send(*documents):
    into = Imported()
    import_documents(documents, into=into)
    return into.n_readings


def vm(number, **changes):
    told = {"host_uid": "wwn.h1", "cluster_uid": "id.kelp", "power": "on", "n_cpus": 4,
            "memory_bytes": 8 * GIB, "read_at": NOW}  # fmt: skip
    return VirtualMachineDocument(uid=f"uuid.v{number}", name=f"gauge-{number}", **(told | changes))


def measures(uid, measure, *, last, per_day, last_on=YESTERDAY):
    amounts = [max(0, round(last - per_day * back)) for back in range(N_DAYS - 1, -1, -1)]
    return MeasuresDocument(
        uid=uid, measure=measure, first_on=last_on - timedelta(days=N_DAYS - 1), amounts=amounts
    )


def amounts_of(uid, measure):
    told = MeasureReading.objects.filter(entity__uid=uid, measure=measure)
    return dict(told.values_list("day", "amount"))


def bring_in():
    send(
        ArrayDocument(uid="serial.h", name="heron-1", site="Skerry", sustainable_iops=1000,
                      sustainable_bytes_per_second=10**9, read_at=NOW),
        *(PoolDocument(uid=f"uuid.p{n}", array_uid="serial.h", name=f"swift-{n}",
                       usable_bytes=100 * TIB, used_bytes=40 * TIB, read_at=NOW) for n in (1, 2)),
        *(VolumeDocument(uid=f"naa.{n}", pool_uid=f"uuid.p{n}", name=f"seabed-{n}",
                         size_bytes=10 * TIB, read_at=NOW) for n in (1, 2)),
        ClusterDocument(uid="id.kelp", name="kelp", site="Skerry", read_at=NOW),
        *(HostDocument(uid=f"wwn.h{n}", name=f"kelp-{n}", cluster_uid="id.kelp", state="up",
                       n_cpus=16, memory_bytes=64 * GIB, read_at=NOW) for n in (1, 2)),
        DatastoreDocument(uid="uuid.s", name="kelp-ds", kind="block", size_bytes=10 * TIB,
                          used_bytes=2 * TIB, cluster_uid="id.kelp", extents=["naa.1"],
                          read_at=NOW),
        vm(1), vm(2), vm(3, power="off"),
    )  # fmt: skip
