"""Turns resources into estate documents; says what it had to leave out."""

from dataclasses import dataclass, field
from datetime import datetime

from keelmark.core.units import MAX_BYTES, format_bytes
from keelmark.estate.documents import (
    AnyDocument,
    ArrayDocument,
    CountersDocument,
    DriveDocument,
    PoolDocument,
    PortDocument,
    ProtectionDocument,
    ShelfDocument,
    SnapshotDocument,
    VolumeDocument,
)
from keelmark.estate.uids import safe_uid
from keelmark.feeds.errors import AnswerError
from keelmark.feeds.redfish.resource import (
    Resource,
    amount_in,
    backing_of,
    class_of,
    dig,
    far_place,
    first_text_in,
    is_mirror,
    limits_of,
    link_of,
    links_in,
    mirrored_at,
    name_of,
    number_in,
    path_of,
    provisioning_of,
    role_of,
    safe_name,
    serial_of,
    snapshot_bytes_of,
    source_place,
    targets_of,
    truth_in,
    uid_of,
)

GIGABIT = 1_000_000_000
MOST_COUNTED, MOST_NAME = 2**53, 200
COUNTED = (
    ("read_ops", "ReadIORequests", 1),
    ("write_ops", "WriteIORequests", 1),
    ("read_bytes", "ReadIOKiBytes", 1024),
    ("write_bytes", "WriteIOKiBytes", 1024),
)
MEDIA = {"SSD": "ssd", "HDD": "hdd"}


@dataclass(slots=True, kw_only=True)
class Facts:
    """Everything of one array, being put together."""

    url: str
    read_at: datetime
    array: ArrayDocument
    pools: dict[str, PoolDocument] = field(default_factory=dict)  # by resource path
    volumes: list[VolumeDocument] = field(default_factory=list)
    drives: list[DriveDocument] = field(default_factory=list)
    ports: list[PortDocument] = field(default_factory=list)
    shelves: dict[str, ShelfDocument] = field(default_factory=dict)  # by resource path
    snapshots: list[SnapshotDocument] = field(default_factory=list)
    copies: list[ProtectionDocument] = field(default_factory=list)
    counters: list[CountersDocument] = field(default_factory=list)
    pool_of_drive: dict[str, str] = field(default_factory=dict)  # both paths, where implied
    endpoints: dict[str, str] = field(default_factory=dict)  # uid by resource path
    exports: dict[str, list[str]] = field(default_factory=dict)  # uids by volume's path
    warnings: list[str] = field(default_factory=list)

    @property
    def documents(self) -> list[AnyDocument]:
        """Everything, parents first."""
        return [
            self.array,
            *self.ports,
            *self.shelves.values(),
            *self.pools.values(),
            *self.volumes,
            *self.drives,
            *self.snapshots,
            *self.copies,
            *self.counters,
        ]

    def _count(self, uid: str, resource: Resource) -> None:
        """Take the counters of a pool or a volume, where it has any."""
        told = dig(resource, "IOStatistics")
        counted = {
            name: amount * scale
            for name, key, scale in COUNTED
            if (amount := amount_in(told, key)[0]) is not None
        }
        if counted:
            self.counters.append(CountersDocument(uid=uid, read_at=self.read_at, **counted))

    def count_port(self, port: PortDocument, metrics: Resource) -> None:
        """Take how much went through a port: to the hosts is read, from them is written."""
        sent, _ = amount_in(metrics, "TXBytes")
        received, _ = amount_in(metrics, "RXBytes")
        if sent is not None or received is not None:
            self.counters.append(
                CountersDocument(
                    uid=port.uid, read_at=self.read_at, read_bytes=sent, write_bytes=received
                )
            )

    def add_port(self, resource: Resource, *, controller: str) -> PortDocument:
        """Take a front-end port of a controller."""
        most = MAX_BYTES // GIGABIT
        speed = number_in(resource, "CurrentSpeedGbps", most=most)
        speed = speed or number_in(resource, "MaxSpeedGbps", most=most)
        channel = dig(resource, "FibreChannel")
        wwpn = channel.get("WWPN")
        n_remote = number_in(channel, "NumberDiscoveredRemotePorts", most=MOST_COUNTED)
        status = resource.get("LinkStatus")
        place = self._place(resource)
        port = PortDocument(
            uid=f"wwn.{safe_name(str(wwpn).lower())}" if wwpn else place,
            also=[place] if wwpn else [],
            name=f"{controller} {name_of(resource)}"[:200],
            array_uid=self.array.uid,
            controller=controller,
            protocol=(
                str(resource["PortProtocol"])[:MOST_NAME] if resource.get("PortProtocol") else None
            ),
            speed_bits_per_second=None if speed is None else int(speed * GIGABIT),
            is_up=None if status is None else status == "LinkUp",
            n_logins=None if n_remote is None else int(n_remote),
            read_at=self.read_at,
        )
        self.ports.append(port)
        return port

    def add_shelf(self, resource: Resource) -> None:
        """Take an enclosure that holds drives."""
        serial = resource.get("SerialNumber")
        if serial == serial_of(self.array):
            serial = None  # the enclosure that gave the array its identity
        place = self._place(resource)
        n_bays = number_in(resource, "DriveSlots", most=MOST_COUNTED)
        n_bays = n_bays or number_in(
            dig(resource, "Drives"), "Members@odata.count", most=MOST_COUNTED
        )  # fmt: skip
        self.shelves[path_of(resource)] = ShelfDocument(
            uid=f"serial.{safe_name(str(serial))}" if serial else place,
            also=[place] if serial else [],
            name=name_of(resource),
            array_uid=self.array.uid,
            n_bays=None if n_bays is None else int(n_bays),
            read_at=self.read_at,
        )

    def add_endpoint(self, resource: Resource) -> None:
        """Take an initiator: the name under which hosts are mapped."""
        self.endpoints[path_of(resource)] = uid_of(resource) or self._place(resource)

    def add_file_system(self, resource: Resource, *, shares: list[Resource]) -> None:
        """Take the exports of a file system, so that who mounts them finds their volume."""
        sources = resource.get("CapacitySources")
        volumes = [
            path
            for source in (sources if isinstance(sources, list) else [])
            if isinstance(source, dict)
            for path in links_in(source.get("ProvidingVolumes"))
        ]
        for share in shares:
            server, path = share.get("FileSharingServer"), share.get("FileSharePath")
            server = server or dig(resource, "Links").get("HostName") or share.get("Hostname")
            if path and server:
                for volume in volumes:
                    name = f"path.nfs:{safe_uid(str(server))}:{safe_uid(str(path))}"
                    self.exports.setdefault(str(volume), []).append(name)

    def _place(self, resource: Resource) -> str:
        """Where it stands in this array: its name when it has no durable one."""
        return self.place(path_of(resource))

    def place(self, path: str) -> str:
        """Return the name of what stands at a path of this array."""
        return f"path.{safe_uid(serial_of(self.array))}:{safe_uid(path)}"

    def add_pool(self, resource: Resource) -> None:
        """Take a pool; its own books must be right, or the last good state stands."""
        path, name = path_of(resource), name_of(resource)
        data = dig(resource, "Capacity", "Data")
        amounts = {}
        for field_name in ("AllocatedBytes", "ConsumedBytes", "ProvisionedBytes"):
            amounts[field_name], fault = amount_in(data, field_name)
            if fault:
                raise AnswerError(url=self.url + path, why=f"pool {name}, {fault}")
        usable, used = amounts["AllocatedBytes"], amounts["ConsumedBytes"]
        if usable is None or used is None:
            missing = "AllocatedBytes" if usable is None else "ConsumedBytes"
            self.warnings.append(f"Pool {name} left out: no Capacity.Data.{missing}.")
            return
        self.pools[path] = PoolDocument(
            uid=uid_of(resource) or self._place(resource),
            also=[self._place(resource)],
            array_uid=self.array.uid,
            name=name,
            usable_bytes=usable,
            used_bytes=used,
            provisioned_bytes=amounts["ProvisionedBytes"],
            snapshot_bytes=snapshot_bytes_of(resource),
            service_class=class_of(resource),
            backing=backing_of(resource),
            raid=first_text_in(resource.get("SupportedRAIDTypes")),
            read_at=self.read_at,
        )
        self._count(self.pools[path].uid, resource)

    def add_volume(
        self, resource: Resource, *, pool_path: str | None, may_lack_pool: bool = False
    ) -> None:
        """Take a volume; a figure that cannot be is left out with a warning.

        Where an array has no pools at all, a volume may lie straight on it.
        """
        name = name_of(resource)
        if dig(resource, "ReplicaInfo").get("ReplicaType") == "Snapshot":
            self._add_snapshot(resource, name=name)
            return
        pool = self.pools.get(pool_path or "")
        if pool is None and not may_lack_pool:
            self.warnings.append(f"Volume {name} left out: no known pool provides it.")
            return
        size, fault = amount_in(resource, "CapacityBytes")
        if size is None and not fault:
            size, fault = amount_in(dig(resource, "Capacity", "Data"), "ProvisionedBytes")
        if size is None:
            self.warnings.append(f"Volume {name} left out: {fault or 'no CapacityBytes'}.")
            return
        mapped_to = self._mapped_to(resource)
        least, most = limits_of(resource)
        self.volumes.append(
            VolumeDocument(
                uid=uid_of(resource) or self._place(resource),
                also=self._also(resource),
                pool_uid=pool.uid if pool else None,
                array_uid=None if pool else self.array.uid,
                name=name,
                size_bytes=size,
                written_bytes=self._written(resource, name=name, pool=pool),
                snapshot_bytes=snapshot_bytes_of(resource),
                provisioning=provisioning_of(resource),
                access="file" if path_of(resource) in self.exports else "block",
                is_mapped=self._is_mapped(resource, mapped_to=mapped_to),
                mapped_to=mapped_to,
                is_encrypted=truth_in(resource, "Encrypted"),
                is_compressed=truth_in(resource, "Compressed"),
                is_deduplicated=truth_in(resource, "Deduplicated"),
                qos_min_iops=least,
                qos_max_iops=most,
                replicated_to=targets_of(resource, url=self.url),
                read_at=self.read_at,
            )
        )
        self._count(self.volumes[-1].uid, resource)
        self._add_copy(resource, uid=self.volumes[-1].uid, name=name)

    def _add_copy(self, resource: Resource, *, uid: str, name: str) -> None:
        """Take when a mirror was last as its volume: of each the last time alone is kept."""
        at = mirrored_at(resource, read_at=self.read_at)
        path, far = source_place(resource, url=self.url)
        of_uid = self.place(path) if path else far
        if at is not None and of_uid:
            self.copies.append(
                ProtectionDocument(
                    uid=f"id.mirror/{safe_uid(uid)}", of_uid=of_uid, method="replication",
                    job=f"mirror {name}"[:MOST_NAME], started_at=at, ended_at=at, result="done",
                )
            )  # fmt: skip

    def _also(self, resource: Resource) -> list[str]:
        """The other names of a volume; of mirrors, other arrays know both by address alone."""
        is_known = is_mirror(resource) or targets_of(resource, url=self.url)
        far = [far_place(path_of(resource), of=self.url)] if is_known else []
        return [self._place(resource), *far, *self.exports.get(path_of(resource), [])]

    def _is_mapped(self, resource: Resource, *, mapped_to: list[str] | None) -> bool | None:
        """An exported volume is seen by whoever mounts it."""
        if path_of(resource) in self.exports:
            return True
        return None if mapped_to is None else bool(mapped_to)

    def _mapped_to(self, resource: Resource) -> list[str] | None:
        """The initiators that see a volume; None where the array does not say."""
        endpoints = dig(resource, "Links").get("ClientEndpoints")
        if not isinstance(endpoints, list):
            return None
        return [self.endpoints.get(path) or self.place(path) for path in links_in(endpoints)]

    def _add_snapshot(self, resource: Resource, *, name: str) -> None:
        """Take a snapshot, which the standard shows as a volume that was made from another."""
        info = dig(resource, "ReplicaInfo")
        of_path = dig(info, "Replica").get("@odata.id")
        taken = str(info.get("WhenSynced") or info.get("WhenActivated") or "")
        try:
            taken_at = datetime.fromisoformat(taken)
        except ValueError:
            taken_at = None
        if not of_path or taken_at is None or taken_at.tzinfo is None:
            self.warnings.append(f"Snapshot {name} left out: not told of what or when.")
            return
        held, _ = amount_in(dig(resource, "Capacity", "Data"), "ConsumedBytes")
        self.snapshots.append(
            SnapshotDocument(
                uid=uid_of(resource) or self._place(resource),
                name=name,
                of_uid=self.place(of_path),
                taken_at=taken_at,
                unshared_bytes=held,
                read_at=self.read_at,
            )
        )

    def _written(self, resource: Resource, *, name: str, pool: PoolDocument | None) -> int | None:
        written, fault = amount_in(dig(resource, "Capacity", "Data"), "ConsumedBytes")
        full_name = f"{pool.name}/{name}" if pool else name
        if fault:
            self.warnings.append(f"Volume {full_name}: {fault}; its last good figure stays.")
            return None
        if pool is not None and written is not None and written > pool.usable_bytes:
            self.warnings.append(
                f"Volume {full_name}: says {format_bytes(written)} written, its pool has "
                f"{format_bytes(pool.usable_bytes)}; its last good figure stays."
            )
            return None
        return written

    def add_drive(self, resource: Resource) -> None:
        """Take a drive and the role it plays."""
        name = name_of(resource)
        capacity, fault = amount_in(resource, "CapacityBytes")
        if capacity is None:
            self.warnings.append(f"Drive {name} left out: {fault or 'no CapacityBytes'}.")
            return
        serial = resource.get("SerialNumber")
        place = self._place(resource)
        chassis = self.shelves.get(link_of(resource, "Links", "Chassis") or "")
        pools = links_in(dig(resource, "Links").get("StoragePools"))
        told = pools[0] if pools else self.pool_of_drive.get(path_of(resource), "")
        pool = self.pools.get(told)
        self.drives.append(
            DriveDocument(
                uid=f"serial.{safe_name(str(serial))}" if serial else place,
                also=[place] if serial else [],
                array_uid=self.array.uid,
                shelf_uid=chassis.uid if chassis else None,
                name=name,
                capacity_bytes=capacity,
                role=role_of(resource, is_pooled=pool is not None),
                media=MEDIA.get(str(resource.get("MediaType")).upper()),  # type: ignore[arg-type]  # checked by the map
                pool_uid=pool.uid if pool else None,
                read_at=self.read_at,
            )
        )
