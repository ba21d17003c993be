"""A cluster with a datastore into which three disks of one tenant arrived, forecast."""

from datetime import timedelta

import numpy as np

from keelmark.bearings.packs.building import build_revision
from keelmark.core.performance import PARTS, STEPS_A_DAY
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    AboutDocument,
    ArrayDocument,
    ClusterDocument,
    DatastoreDocument,
    HostDocument,
    PoolDocument,
    ProjectDocument,
    ReadingsDocument,
    TenantDocument,
    VirtualDiskDocument,
    VirtualMachineDocument,
    VolumeDocument,
)
from keelmark.estate.models import Entity
from keelmark.feeds.importer import Imported, import_documents
from keelmark.forecasts.making.pools import refresh
from keelmark.forecasts.making.runs import plan_forecasts
from keelmark.readings.performance.packing import take_packed
from tests.server.conftest import NOW
from tests.server.test_forecast_runs import carry_out

N_DAYS = 120
READ_AT = NOW - timedelta(minutes=5)
FIRST_ON = (READ_AT - timedelta(days=N_DAYS - 1)).date()
ARRIVED_DAYS_AGO = 12


def history(uid, *, last, per_day=0, step=0):
    """Readings with a step some days ago, after which it goes on as before."""
    used = [
        max(0, round(last - per_day * back - (step if back > ARRIVED_DAYS_AGO else 0)))
        for back in range(N_DAYS - 1, -1, -1)
    ]
    return ReadingsDocument(uid=uid, first_on=FIRST_ON, used_bytes=used)


def arrived(uid, *, size):
    used = [None] * (N_DAYS - ARRIVED_DAYS_AGO - 1) + [size] * (ARRIVED_DAYS_AGO + 1)
    return ReadingsDocument(uid=uid, first_on=FIRST_ON, used_bytes=used)


def do_all_day(done, *, on):
    """Pack a day of disks: by id what each does, reads a second, and ms for a limit and in line."""
    steps = np.full((len(done), len(PARTS), STEPS_A_DAY), np.nan, dtype=np.float32)
    steps[:, PARTS.index("write_iops")] = 0
    for row, pk in enumerate(sorted(done)):
        reads, qos, queue = done[pk]
        steps[row, PARTS.index("read_iops")] = reads
        steps[row, PARTS.index("qos_latency_ms")] = qos
        steps[row, PARTS.index("queue_latency_ms")] = queue
        steps[row, PARTS.index("latency_ms")] = 1 + qos + queue
    take_packed(on, ids=np.array(sorted(done)), steps=steps)


def make_cluster(*, is_forecast=True):
    """Bring it in and forecast it, where that is wanted; return its things by uid."""
    disks = []
    for n in range(5):
        disks += [
            VirtualMachineDocument(
                uid=f"uuid.v{n}", name=f"sonar-{n}", host_uid="wwn.h1", cluster_uid="id.kelp",
                project_uid="id.charts", power="on", n_cpus=2, memory_bytes=8 * GIB,
                read_at=READ_AT,
            ),
            VirtualDiskDocument(
                uid=f"path.v{n}:a", name=f"sonar-{n}-a", vm_uid=f"uuid.v{n}",
                datastore_uid="uuid.s", size_bytes=1024 * GIB, on_array_bytes=500 * GIB,
                path=f"/s/{n}", read_at=READ_AT,
            ),
            history(f"path.v{n}:a", last=500 * GIB, per_day=GIB) if n < 2
            else arrived(f"path.v{n}:a", size=500 * GIB),
        ]  # fmt: skip
    import_documents(
        [
            ArrayDocument(uid="serial.h", name="heron-1", site="Skerry", read_at=READ_AT),
            PoolDocument(uid="uuid.p", array_uid="serial.h", name="swift-1",
                         usable_bytes=20 * TIB, used_bytes=8 * TIB, read_at=READ_AT),
            VolumeDocument(uid="naa.1", pool_uid="uuid.p", name="seabed-1", size_bytes=10 * TIB,
                           written_bytes=8 * TIB, read_at=READ_AT),
            ClusterDocument(uid="id.kelp", name="kelp", site="Skerry", read_at=READ_AT),
            *(HostDocument(uid=f"wwn.h{n}", name=f"kelp-{n}", cluster_uid="id.kelp", state="up",
                           n_cpus=16, memory_bytes=64 * GIB, read_at=READ_AT) for n in (1, 2)),
            DatastoreDocument(uid="uuid.s", name="kelp-ds", kind="block", size_bytes=10 * TIB,
                              used_bytes=6 * TIB, cluster_uid="id.kelp", extents=["naa.1"],
                              read_at=READ_AT),
            TenantDocument(uid="id.seabed", name="Seabed Mapping", read_at=READ_AT),
            ProjectDocument(uid="id.charts", name="charts", tenant_uid="id.seabed",
                            read_at=READ_AT),
            *disks,
            history("uuid.p", last=8 * TIB, per_day=20 * GIB),
            history("naa.1", last=8 * TIB, per_day=20 * GIB),
            history("uuid.s", last=6 * TIB, per_day=2 * GIB, step=1500 * GIB),
        ],
        into=Imported(),
    )  # fmt: skip
    if is_forecast:
        refresh(now=NOW)
        carry_out(plan_forecasts(now=NOW))
    return dict(Entity.objects.values_list("uid", "pk"))


def tell(*documents):
    """Bring more in, and look at it anew."""
    import_documents(list(documents), into=Imported())
    build_revision(now=NOW)


def about(uid, **says):
    """What somebody says of a thing."""
    return AboutDocument(uid=uid, read_at=NOW, says=says)
