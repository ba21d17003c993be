"""An array, a cluster on it and two tenants, each with somebody who provisions."""

import pytest

from keelmark.access.clock import now
from keelmark.bearings.packs.building import build_revision
from keelmark.core.units import GIB, TIB
from keelmark.estate.documents import (
    ClusterDocument,
    DatastoreDocument,
    HostDocument,
    ProjectDocument,
    TenantDocument,
    VirtualMachineDocument,
)
from keelmark.estate.models import Entity
from tests.server.cluster import tell
from tests.server.conftest import NOW, for_a_module
from tests.server.scenarios.allotments.allotting import NAME, of_tenant
from tests.server.scenarios.collecting import forget_volumes


@pytest.fixture(scope="module")
def ground(collected, array, django_db_blocker):
    """The array with a cluster that lies on it and runs VMs of one of two tenants."""
    with for_a_module(django_db_blocker):
        at_array = array.service.tree.ground
        ports = at_array.ports_seen[:2]
        volume = Entity.objects.filter(kind="volume", retired_at=None).order_by("pk").first()
        tell(
            ClusterDocument(uid="id.kelp", name="kelp", read_at=NOW),
            *(
                HostDocument(
                    uid=f"wwn.{port}", name=f"kelp-{n}", cluster_uid="id.kelp", read_at=NOW,
                    n_cpus=64, memory_bytes=512 * GIB,
                )
                for n, port in enumerate(ports, start=1)
            ),
            DatastoreDocument(uid="uuid.old", name="kelp-old", cluster_uid="id.kelp", kind="block",
                              extents=[volume.uid], size_bytes=TIB, read_at=NOW),
            *(TenantDocument(uid=f"id.{name}", name=name, read_at=NOW)
              for name in ("Tide Gauges", "Public Web")),
            ProjectDocument(uid="id.tides", name="tides", tenant_uid="id.Tide Gauges",
                            read_at=NOW),
            VirtualMachineDocument(uid="uuid.vm", name="gauge-1", cluster_uid="id.kelp",
                                   project_uid="id.tides", read_at=NOW),
        )  # fmt: skip
        build_revision(now=now())
        ids = {one.uid: one.pk for one in Entity.objects.all()}
        pool = at_array.pools["steady-1"]
        yield {**ids, "pool": ids[f"uuid.{pool.uuid}"], "tides": ids["id.Tide Gauges"],
               "web": ids["id.Public Web"], "kelp": ids["id.kelp"]}  # fmt: skip


@pytest.fixture
def estate(ground, array, db, settings):
    settings.FEED_NETWORKS = ["127.0.0.0/8"]
    settings.PICTURE_IS_MADE_WHEN_ASKED = False
    array.fault("none")
    yield ground
    forget_volumes(array, named=NAME)


@pytest.fixture
def tides(estate):
    """The operator of Tide Gauges."""
    return of_tenant("tides", estate["tides"])
