"""Writes each host as the XML that libvirt's own test driver reads: `test:///…/kelp-1.xml`."""

from collections.abc import Iterator, Mapping
from pathlib import Path
from xml.etree.ElementTree import Element, ElementTree, SubElement

from standins.arrays import written_bytes
from standins.compute import Cluster, Datastore, Machine
from standins.estate import Estate
from standins.holding import held_bytes, other_files

OWNER = "urn:keelmark:owner"
TEST = "http://libvirt.org/schemas/domain/test/1.0"
HOST_CPUS, HOST_MHZ, HOST_MEMORY_KIB = 192, 2600, 2 * 1024 * 1024 * 1024
SHUT_OFF = "5"
BURST = 2  # times its limit, that a disk may do for a moment
NO_LIMITS: Mapping[str, float] = {}


def write_hosts(
    estate: Estate,
    *,
    folder: Path,
    day: float,
    epoch_seconds: int,
    limits: Mapping[str, float] = NO_LIMITS,
) -> list[Path]:
    """Write a file a host that answers, whole or not at all; return their paths.

    ``limits`` are operations a second by disk, as ``Demand`` knows them.
    """
    folder.mkdir(parents=True, exist_ok=True)
    paths = []
    for cluster in estate.clusters:
        for number in range(1, cluster.story.n_hosts + 1):
            path = folder / f"{cluster.host_name(number)}.xml"
            if number == cluster.story.faulted_host:
                path.unlink(missing_ok=True)
                continue
            tree = ElementTree(
                _host(cluster, number, day=day, epoch_seconds=epoch_seconds, limits=limits)
            )
            fresh = path.with_suffix(".writing")
            tree.write(fresh, encoding="unicode")
            fresh.replace(path)
            paths.append(path)
    return paths


def _host(
    cluster: Cluster,
    number: int,
    *,
    day: float,
    epoch_seconds: int,
    limits: Mapping[str, float],
) -> Element:
    node = Element("node")
    for machine in cluster.machines:
        if machine.host == number:
            node.append(_domain(machine, epoch_seconds=epoch_seconds, limits=limits))
    for store in cluster.datastores:
        node.append(_pool(store, day=day))
    for device in _devices(cluster, number):
        node.append(device)
    cpu = SubElement(node, "cpu")
    for name, amount in (
        ("mhz", HOST_MHZ), ("model", "x86_64"), ("active", HOST_CPUS), ("nodes", 2),
        ("sockets", 1), ("cores", HOST_CPUS // 4), ("threads", 2),
    ):  # fmt: skip
        SubElement(cpu, name).text = str(amount)
    SubElement(node, "memory").text = str(HOST_MEMORY_KIB)
    return node


def _domain(machine: Machine, *, epoch_seconds: int, limits: Mapping[str, float]) -> Element:
    domain = _bare_domain(machine)
    metadata = SubElement(domain, "metadata")
    SubElement(metadata, f"{{{OWNER}}}os").text = machine.os
    devices = SubElement(domain, "devices")
    for disk in machine.disks:
        one = SubElement(devices, "disk", type="file", device="disk")
        SubElement(one, "driver", name="qemu", type="qcow2")
        SubElement(one, "source", file=disk.path)
        SubElement(one, "target", dev=disk.slot, bus="virtio")
        limit = limits.get(f"path.{machine.uuid}:{disk.slot}")
        if limit is not None:
            tune = SubElement(one, "iotune")
            SubElement(tune, "total_iops_sec").text = str(int(limit))
            SubElement(tune, "total_iops_sec_max").text = str(int(limit) * BURST)
    if not machine.is_on:
        SubElement(domain, f"{{{TEST}}}runstate").text = SHUT_OFF
    for name, days_back, parent in machine.snapshots:
        snapshot = SubElement(domain, f"{{{TEST}}}domainsnapshot")
        SubElement(snapshot, "name").text = name
        SubElement(snapshot, "state").text = "shutoff"
        SubElement(snapshot, "creationTime").text = str(epoch_seconds - days_back * 86_400)
        SubElement(snapshot, "active").text = "0"
        if parent:
            SubElement(SubElement(snapshot, "parent"), "name").text = parent
        snapshot.append(_bare_domain(machine))
    return domain


def _bare_domain(machine: Machine) -> Element:
    domain = Element("domain", type="test")
    SubElement(domain, "name").text = machine.name
    SubElement(domain, "uuid").text = machine.uuid
    SubElement(domain, "memory", unit="bytes").text = str(machine.memory_bytes)
    SubElement(domain, "vcpu").text = str(machine.n_cpus)
    SubElement(SubElement(domain, "os"), "type").text = "hvm"
    return domain


def _pool(store: Datastore, *, day: float) -> Element:
    pool = Element("pool", type="netfs" if store.is_nfs else "fs")
    SubElement(pool, "name").text = store.name
    SubElement(pool, "uuid").text = store.uuid
    source = SubElement(pool, "source")
    if store.is_nfs:
        server, path = store.export
        SubElement(source, "host", name=server)
        SubElement(source, "dir", path=path)
        SubElement(source, "format", type="nfs")
        SubElement(source, "protocol", ver="4.1")
    else:
        SubElement(source, "device", path=f"/dev/disk/by-id/wwn-0x{store.volume.naa}")
    SubElement(SubElement(pool, "target"), "path").text = store.path
    written = written_bytes(store.volume, day=day)
    for disk in store.disks:
        pool.append(_file(disk.path, size=disk.size_bytes, held=held_bytes(disk, written=written)))
    for path, size, held in other_files(store, written=written):
        pool.append(_file(path, size=size, held=held))
    return pool


def _file(path: str, *, size: int, held: int) -> Element:
    volume = Element("volume", type="file")
    SubElement(volume, "name").text = path.rpartition("/")[2]
    SubElement(volume, "key").text = path
    SubElement(volume, "capacity", unit="bytes").text = str(size)
    SubElement(volume, "allocation", unit="bytes").text = str(held)
    SubElement(SubElement(volume, "target"), "path").text = path
    return volume


def _devices(cluster: Cluster, number: int) -> Iterator[Element]:
    port = Element("device")
    SubElement(port, "name").text = "scsi_host0"
    capability = SubElement(port, "capability", type="scsi_host")
    SubElement(capability, "host").text = "0"
    channel = SubElement(capability, "capability", type="fc_host")
    SubElement(channel, "wwnn").text = f"2{cluster.port_of(number)[1:]}"
    SubElement(channel, "wwpn").text = cluster.port_of(number)
    yield port
    volumes = [s.volume for s in cluster.datastores if not s.is_nfs] + cluster.spare_volumes
    if number == cluster.story.n_hosts:
        volumes += [store.volume for store in cluster.foreign]
    for index, volume in enumerate(volumes):
        block = cluster.device_name(number, index)
        device = Element("device")
        SubElement(device, "name").text = f"block_{block.rpartition('/')[2]}"
        SubElement(device, "parent").text = "scsi_host0"
        storage = SubElement(device, "capability", type="storage")
        for name, text in (
            ("block", block), ("bus", "scsi"), ("drive_type", "disk"), ("serial", volume.naa),
            ("size", str(volume.size_bytes)),
        ):  # fmt: skip
            SubElement(storage, name).text = text
        yield device
