"""What hands do at the hosts of a cluster: a datastore on a new volume, and VMs on it."""

import uuid
from typing import Any

from standins.compute import SYSTEMS, TENANTS, Cluster, Datastore, Disk, Machine
from standins.estate import Estate
from standins.redfish.ground import Ground

_NAMESPACE = uuid.UUID("5f0c7a52-6a0e-4a54-8f0d-2b6e1d3c9a11")


def deploy(estate: Estate, *, ground: Ground, told: dict[str, Any]) -> int:  # Any: JSON
    """Make a datastore on a volume of an array and deploy VMs on it; return how many.

    ``told`` names ``cluster``, ``datastore``, ``volume`` and the VMs in ``names``, with
    ``n_cpus``, ``memory_bytes`` and ``disk_bytes`` of each and the share of it that is
    ``written``. Raise ValueError where something of it is not there.
    """
    cluster = next((one for one in estate.clusters if one.story.name == told["cluster"]), None)
    pool, volume = next(
        (one for one in ground.volumes.values() if one[1].name == told["volume"]), (None, None)
    )
    if cluster is None or pool is None or volume is None:
        raise ValueError(f"no cluster {told['cluster']}, or no volume {told['volume']}")
    store = Datastore(
        name=told["datastore"], uuid=_uuid(told["datastore"], volume.naa), array=ground.array,
        pool=pool, volume=volume, is_nfs=False,
    )  # fmt: skip
    hosts = _hosts_of(cluster)
    names = told["names"]
    for at, name in enumerate(names):
        machine = Machine(
            name=name, uuid=_uuid(name, volume.naa), host=hosts[at % len(hosts)],
            n_cpus=told["n_cpus"], memory_bytes=told["memory_bytes"], is_on=True, off_days=0,
            os=SYSTEMS[0], tenant=TENANTS[0], project=TENANTS[0].projects[0],
        )  # fmt: skip
        disk = Disk(
            slot="vda", path=f"{store.path}/{name}.qcow2", size_bytes=told["disk_bytes"],
            share=1 / len(names), guest_share=1.0, datastore=store,
        )  # fmt: skip
        machine.disks.append(disk)
        store.disks.append(disk)
        cluster.machines.append(machine)
    volume.injected_bytes += int(told["disk_bytes"] * len(names) * told["written"])
    cluster.datastores.append(store)
    return len(names)


def _hosts_of(cluster: Cluster) -> list[int]:
    """Numbers of the hosts that answer."""
    every = range(1, cluster.story.n_hosts + 1)
    return [number for number in every if number != cluster.story.faulted_host]


def _uuid(name: str, naa: str) -> str:
    return str(uuid.uuid5(_NAMESPACE, f"{name}/{naa}"))
