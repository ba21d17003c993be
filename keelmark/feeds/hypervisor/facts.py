"""Makes estate documents of what libvirt tells of the hosts of a cluster."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any
from xml.etree.ElementTree import Element, ParseError

from defusedxml.ElementTree import fromstring

from keelmark.estate.documents import (
    AnyDocument,
    ClusterDocument,
    CompleteDocument,
    DatastoreDocument,
    FileDocument,
    HostDeviceDocument,
    HostDocument,
    SnapshotDocument,
    VirtualDiskDocument,
    VirtualMachineDocument,
)
from keelmark.estate.uids import safe_uid

Raw = dict[str, Any]  # Any: what the library tells, before it is made sense of
MIB = 1024**2
POWER = {1: "on", 2: "on", 3: "suspended", 4: "off", 5: "off", 6: "off", 7: "suspended"}
WORLDWIDE_DIGITS = {16: "naa", 32: "naa"}
CATEGORIES = {
    ".qcow2": "disk", ".img": "disk", ".raw": "disk", ".iso": "image", ".log": "log",
    ".snap": "snapshot",
}  # fmt: skip
NAME_SPACE = "{urn:keelmark:owner}"


@dataclass(slots=True, kw_only=True)
class ClusterFacts:
    """Everything of a cluster, being put together host by host."""

    cluster: str
    site: str | None
    read_at: datetime
    hosts: list[HostDocument] = field(default_factory=list)
    devices: list[HostDeviceDocument] = field(default_factory=list)
    datastores: dict[str, DatastoreDocument] = field(default_factory=dict)
    vms: list[VirtualMachineDocument] = field(default_factory=list)
    disks: list[VirtualDiskDocument] = field(default_factory=list)
    snapshots: list[SnapshotDocument] = field(default_factory=list)
    files: list[FileDocument] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)
    _volumes: dict[str, tuple[str, Raw]] = field(default_factory=dict)  # by path: datastore, told
    _n_unsized: int = 0

    @property
    def cluster_uid(self) -> str:
        """A cluster has no worldwide name: its own is unique in the installation."""
        return f"id.cluster/{safe_uid(self.cluster)}"

    def add_host(self, name: str, *, raw: Raw) -> None:
        """Take a host with its devices, datastores and VMs."""
        devices = [one for one in map(_parsed, raw["devices"]) if one is not None]
        ports = [f"wwn.{w.lower()}" for d in devices if (w := d.findtext(".//wwpn"))]
        place = f"path.libvirt:{safe_uid(name)}"
        host = HostDocument(
            uid=ports[0] if ports else place,
            also=[*ports[1:], place] if ports else [],
            name=name,
            cluster_uid=self.cluster_uid,
            state="up",
            n_cpus=raw["n_cpus"],
            cpu_hz=raw["mhz"] * 1_000_000,
            memory_bytes=raw["memory_mib"] * MIB,
            read_at=self.read_at,
        )
        self.hosts.append(host)
        sizes = self._add_devices(devices, host=host, raw=raw)
        for pool in raw["pools"]:
            self._add_datastore(pool, host=host, sizes=sizes)
        for domain in raw["domains"]:
            self._add_vm(domain, host=host)

    def documents(self, *, is_whole: bool) -> list[AnyDocument]:
        """Everything, parents first; only hosts that answered are complete."""
        self._add_lone_files()
        if self._n_unsized:
            self.warnings.append(
                f"{self._n_unsized} datastores say they hold more than their own size: "
                "the size of their device is taken."
            )
        cluster = ClusterDocument(
            uid=self.cluster_uid, name=self.cluster, site=self.site, read_at=self.read_at
        )
        complete = [CompleteDocument(of_uid=host.uid, read_at=self.read_at) for host in self.hosts]
        if is_whole:
            complete += [
                CompleteDocument(of_uid=uid, read_at=self.read_at)
                for uid in [*self.datastores, self.cluster_uid]
            ]
        return [
            cluster,
            *self.hosts,
            *self.devices,
            *self.datastores.values(),
            *self.vms,
            *self.disks,
            *self.snapshots,
            *self.files,
            *complete,
        ]

    def _add_devices(
        self, devices: list[Element], *, host: HostDocument, raw: Raw
    ) -> dict[str, int]:
        """The volumes that the host sees, under its own names; sizes by worldwide name."""
        used = {uid for pool in raw["pools"] for uid in _extents_of(_parsed(pool["xml"]))}
        sizes: dict[str, int] = {}
        for device in devices:
            storage = device.find("capability[@type='storage']")
            name, serial = device.findtext(".//block"), device.findtext(".//serial")
            if storage is None or not name:
                continue
            volume_uid = _worldwide(serial or "")
            size = int(device.findtext(".//size") or 0) or None
            if volume_uid and size:
                sizes[volume_uid] = size
            self.devices.append(
                HostDeviceDocument(
                    uid=f"path.{safe_uid(host.name)}:{safe_uid(serial or name)}",
                    name=name,
                    host_uid=host.uid,
                    volume_uid=volume_uid,
                    size_bytes=size,
                    use=None if volume_uid is None else "in-use" if volume_uid in used else "free",
                    read_at=self.read_at,
                )
            )
        return sizes

    def _add_datastore(self, pool: Raw, *, host: HostDocument, sizes: dict[str, int]) -> None:
        uid = f"uuid.{pool['uuid']}"
        known = self.datastores.get(uid)
        if known is not None and known.seen_by is not None:
            known.seen_by.append(host.uid)
            return
        tree = _parsed(pool["xml"])
        extents = _extents_of(tree)
        export = _export_of(tree)
        held: int = pool["allocation_bytes"]
        size: int | None = pool["capacity_bytes"]
        if size is not None and held > size:
            self._n_unsized += 1
            size = sum(sizes[e] for e in extents) if all(e in sizes for e in extents) else None
        is_shared = bool(extents or export)
        self.datastores[uid] = DatastoreDocument(
            uid=uid,
            name=pool["name"],
            kind="nfs" if export else "block" if extents else "local",
            size_bytes=size or None,
            used_bytes=held,
            provisioned_bytes=sum(v["capacity_bytes"] for v in pool["volumes"]),
            cluster_uid=self.cluster_uid if is_shared else None,
            seen_by=[host.uid],
            extents=extents or ([f"path.nfs:{export[1]}:{export[2]}"] if export else None),
            nfs_version=export[0] if export else None,
            nfs_server=export[1] if export else None,
            nfs_path=export[2] if export else None,
            read_at=self.read_at,
        )
        for volume in pool["volumes"]:
            self._volumes[volume["path"]] = (uid, volume)

    def _add_vm(self, domain: Raw, *, host: HostDocument) -> None:
        tree = _parsed(domain["xml"])
        if tree is None:
            return
        uid = f"uuid.{domain['uuid']}"
        project = tree.findtext(f"metadata/{NAME_SPACE}project")
        self.vms.append(
            VirtualMachineDocument(
                uid=uid,
                name=domain["name"],
                host_uid=host.uid,
                cluster_uid=self.cluster_uid,
                project_uid=f"id.{safe_uid(project)}" if project else None,
                power=POWER.get(domain["state"]),  # type: ignore[arg-type]  # the document's literal
                os=tree.findtext(f"metadata/{NAME_SPACE}os"),
                n_cpus=int(tree.findtext("vcpu") or 0) or None,
                memory_bytes=_bytes_of(tree.find("memory")),
                read_at=self.read_at,
            )
        )
        for disk in tree.findall("devices/disk[@device='disk']"):
            self._add_disk(disk, vm_uid=uid, vm_name=domain["name"])
        for snapshot in domain["snapshots"]:
            self._add_snapshot(_parsed(snapshot), vm_uid=uid)

    def _add_disk(self, disk: Element, *, vm_uid: str, vm_name: str) -> None:
        source, target = disk.find("source"), disk.find("target")
        path = "" if source is None else source.get("file") or source.get("dev") or ""
        slot = "disk" if target is None else target.get("dev") or "disk"
        datastore_uid, told = self._volumes.get(path, (None, None))
        if told is None:
            self.warnings.append(f"Disk {slot} of {vm_name} left out: no datastore knows {path}.")
            return
        self.disks.append(
            VirtualDiskDocument(
                uid=f"path.{vm_uid.partition('.')[2]}:{safe_uid(slot)}",
                name=f"{vm_name} {slot}"[:200],
                vm_uid=vm_uid,
                datastore_uid=datastore_uid,
                path=path,
                size_bytes=told["capacity_bytes"],
                on_array_bytes=told["allocation_bytes"],
                provisioning=(
                    "thin" if told["allocation_bytes"] < told["capacity_bytes"] else "thick"
                ),
                qos_max_iops=limit_of(disk),
                read_at=self.read_at,
            )
        )

    def _add_snapshot(self, tree: Element | None, *, vm_uid: str) -> None:
        name = "" if tree is None else tree.findtext("name") or ""
        created = "" if tree is None else tree.findtext("creationTime") or ""
        if tree is None or not name or not created.isdigit():
            return
        own = vm_uid.partition(".")[2]
        parent = tree.findtext("parent/name")
        self.snapshots.append(
            SnapshotDocument(
                uid=f"path.{own}:snapshot:{safe_uid(name)}",
                name=name[:200],
                of_uid=vm_uid,
                taken_at=datetime.fromtimestamp(int(created), tz=UTC),
                parent_uid=f"path.{own}:snapshot:{safe_uid(parent)}" if parent else None,
                read_at=self.read_at,
            )
        )

    def _add_lone_files(self) -> None:
        """The index of the datastores: every file, told by its path."""
        owners = {disk.path: disk.vm_uid for disk in self.disks}
        for path, (datastore_uid, told) in self._volumes.items():
            suffix = f".{path.rpartition('.')[2]}"
            self.files.append(
                FileDocument(
                    uid=f"path.{datastore_uid.partition('.')[2]}:{safe_uid(path)}"[:400],
                    name=path[-200:],
                    datastore_uid=datastore_uid,
                    category=CATEGORIES.get(suffix, "other"),  # type: ignore[arg-type]  # literal
                    size_bytes=told["allocation_bytes"],
                    vm_uid=owners.get(path),
                    read_at=self.read_at,
                )
            )


def _parsed(text: str) -> Element | None:
    if not text:
        return None
    try:
        return fromstring(text)  # type: ignore[no-any-return]  # defusedxml has no types
    except ParseError:
        return None


def _extents_of(pool: Element | None) -> list[str]:
    """The worldwide names of the devices under a datastore."""
    if pool is None:
        return []
    return list(_worldwide_names(device.get("path") or "" for device in pool.findall(
        "source/device"
    )))  # fmt: skip


def _worldwide_names(paths: Iterator[str]) -> Iterator[str]:
    for path in paths:
        uid = _worldwide(path.rpartition("/")[2].removeprefix("wwn-0x").removeprefix("scsi-"))
        if uid:
            yield uid


def _worldwide(serial: str) -> str | None:
    """A SCSI serial that is an NAA name; some systems put the name's type digit before it."""
    digits = serial.lower().removeprefix("0x")
    if not digits or any(c not in "0123456789abcdef" for c in digits):
        return None
    if len(digits) in WORLDWIDE_DIGITS:
        return f"naa.{digits}"
    if len(digits) - 1 in WORLDWIDE_DIGITS and digits[0] == "3":
        return f"naa.{digits[1:]}"
    return None


def _export_of(pool: Element | None) -> tuple[str | None, str, str] | None:
    if pool is None or pool.get("type") != "netfs":
        return None
    host, folder = pool.find("source/host"), pool.find("source/dir")
    if host is None or folder is None:
        return None
    protocol = pool.find("source/protocol")
    version = protocol.get("ver") if protocol is not None else None
    return version, safe_uid(host.get("name") or ""), safe_uid(folder.get("path") or "")


def limit_of(disk: Element) -> int | None:
    """Return how many operations a second the host lets through; 0 and none told mean no limit."""
    tune = disk.find("iotune")
    if tune is None:
        return None
    told = {
        name: int(text) if (text := tune.findtext(f"{name}_iops_sec") or "").isdigit() else 0
        for name in ("total", "read", "write")
    }
    both = told["read"] + told["write"] if told["read"] and told["write"] else 0
    return told["total"] or both or None


def _bytes_of(element: Element | None) -> int | None:
    if element is None or not element.text:
        return None
    units = {"b": 1, "bytes": 1, "KB": 1000, "KiB": 1024, "k": 1024, "MB": 10**6, "MiB": MIB,
             "GB": 10**9, "GiB": 1024**3}  # fmt: skip
    return int(element.text) * units.get(element.get("unit") or "KiB", 1024)
