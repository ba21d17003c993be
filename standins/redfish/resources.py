"""The resource tree of one array at one moment, as plain dictionaries by path."""

import math
from collections.abc import Callable, Container, Iterable
from datetime import datetime
from typing import Any

from standins.estate import DRIVE_BYTES, Array, Estate, Pool, Volume, written_bytes
from standins.estate_file import drives_of

Resource = dict[str, Any]  # JSON as the published schemas describe it
ROOT = "/redfish/v1"
SHELF_BAYS = 24
OK = {"State": "Enabled", "Health": "OK"}


class Tree:
    """Builds each resource when it is asked for; ``None`` where there is no such path."""

    def __init__(self, estate: Estate, *, array: Array) -> None:
        """Serve one array of an estate."""
        self.estate = estate
        self.array = array
        name = array.name
        self.storage = (
            f"{ROOT}/Systems/{name}/Storage/{name}"
            if array.story.location == "systems"
            else f"{ROOT}/Storage/{name}"
        )
        self.pools = {pool.name: pool for pool in array.pools}
        self.volumes = {
            f"{pool.name}-{volume.name}": (pool, volume)
            for pool in array.pools
            for volume in pool.volumes
        }
        self.drives = {f"{number:04d}": (role, pool) for number, role, pool in drives_of(array)}
        self.shelves = [
            f"{name}-shelf-{number + 1}" for number in range(-(-len(self.drives) // SHELF_BAYS))
        ]
        self.ports_seen = sorted({w for *_, v in self.volumes.values() for w in v.seen_by})
        self.exports = {
            store.volume.name: store
            for cluster in estate.clusters
            for store in cluster.datastores
            if store.is_nfs and store.array is array
        }
        self._n_drives = dict.fromkeys(self.pools, 0)
        for _, pool in self.drives.values():
            if pool is not None:
                self._n_drives[pool.name] += 1

    def members(self, path: str) -> list[str] | None:
        """Return the member paths of a collection."""
        storage, name = self.storage, self.array.name
        is_systems = self.array.story.location == "systems"
        collections: dict[str, Iterable[str]] = {
            f"{ROOT}/StorageServices": [f"{ROOT}/StorageServices/{name}"],
            f"{ROOT}/StorageServices/{name}/ClassesOfService": (
                f"{ROOT}/StorageServices/{name}/ClassesOfService/{offered}"
                for offered in sorted({p.story.service_class for p in self.array.pools})
            ),
            f"{ROOT}/Chassis": [f"{ROOT}/Chassis/{chassis}" for chassis in (name, *self.shelves)],
            f"{ROOT}/Fabrics": [f"{ROOT}/Fabrics/front"],
            f"{ROOT}/Fabrics/front/Endpoints": (
                f"{ROOT}/Fabrics/front/Endpoints/{port}" for port in self.ports_seen
            ),
            f"{storage}/FileSystems": (
                f"{storage}/FileSystems/{system}" for system in self.exports
            ),
            f"{ROOT}/Chassis/{name}/Drives": (
                f"{ROOT}/Chassis/{name}/Drives/{number}" for number in self.drives
            ),
            f"{storage}/StoragePools": (f"{storage}/StoragePools/{pool}" for pool in self.pools),
            f"{storage}/Volumes": (f"{storage}/Volumes/{volume}" for volume in self.volumes),
            f"{storage}/Controllers": (f"{storage}/Controllers/{side}" for side in "AB"),
        }
        if is_systems:
            collections[f"{ROOT}/Systems"] = [f"{ROOT}/Systems/{name}"]
            collections[f"{ROOT}/Systems/{name}/Storage"] = [storage]
        else:
            collections[f"{ROOT}/Storage"] = [storage]
        for side in "AB":
            ports = f"{storage}/Controllers/{side}/Ports"
            collections[ports] = [f"{ports}/{port}" for port in range(4)]
        for pool in self.array.pools:
            base = f"{storage}/StoragePools/{pool.name}"
            collections[f"{base}/AllocatedVolumes"] = [
                f"{storage}/Volumes/{pool.name}-{volume.name}" for volume in pool.volumes
            ]
            collections[f"{base}/CapacitySources"] = [f"{base}/CapacitySources/0"]
        for system in self.exports:
            shares = f"{storage}/FileSystems/{system}/ExportedFileShares"
            collections[shares] = [f"{shares}/0"]
        for at, shelf in enumerate(self.shelves):
            collections[f"{ROOT}/Chassis/{shelf}/Drives"] = [
                f"{ROOT}/Chassis/{name}/Drives/{number:04d}"
                for number in range(at * SHELF_BAYS, (at + 1) * SHELF_BAYS)
                if f"{number:04d}" in self.drives
            ]
        found = collections.get(path)
        return None if found is None else list(found)

    def resource(self, path: str, *, moment: datetime) -> Resource | None:
        """Return one resource that is not a collection."""
        day = self.estate.day_of(moment)
        storage, name = self.storage, self.array.name
        fixed = {
            ROOT: self._service_root,
            f"{ROOT}/SessionService": self._session_service,
            storage: self._storage,
            f"{ROOT}/StorageServices/{name}": self._storage_service,
            f"{ROOT}/Chassis/{name}": self._chassis,
            f"{ROOT}/Fabrics/front": self._fabric,
        }
        if self.array.story.location == "systems":
            fixed[f"{ROOT}/Systems/{name}"] = self._system
        if path in fixed:
            return fixed[path]()
        parent, _, leaf = path.rpartition("/")
        return self._member(parent, leaf=leaf, path=path, day=day) or self._part(
            parent, leaf=leaf, path=path, day=day
        )

    def _member(self, parent: str, *, leaf: str, path: str, day: float) -> Resource | None:
        """A member of one of the large collections."""
        storage = self.storage
        known: dict[str, tuple[Container[str], Callable[[], Resource]]] = {
            f"{ROOT}/Chassis": (self.shelves, lambda: self._shelf(leaf, path=path)),
            f"{ROOT}/Fabrics/front/Endpoints": (
                self.ports_seen,
                lambda: self._endpoint(leaf, path=path),
            ),
            f"{storage}/FileSystems": (self.exports, lambda: self._file_system(leaf, path=path)),
            f"{storage}/StoragePools": (
                self.pools,
                lambda: self._pool(self.pools[leaf], path=path, day=day),
            ),
            f"{storage}/Volumes": (
                self.volumes,
                lambda: self._volume(*self.volumes[leaf], path=path, day=day),
            ),
            f"{ROOT}/Chassis/{self.array.name}/Drives": (
                self.drives,
                lambda: self._drive(leaf, path=path),
            ),
        }
        members, make = known.get(parent, ((), dict))
        return make() if leaf in members else None

    def _part(self, parent: str, *, leaf: str, path: str, day: float) -> Resource | None:
        for pool in self.array.pools:
            if parent == f"{self.storage}/StoragePools/{pool.name}/CapacitySources":
                return self._capacity_source(pool, path=path, day=day) if leaf == "0" else None
        for system in self.exports:
            if parent == f"{self.storage}/FileSystems/{system}/ExportedFileShares":
                return self._share(system, path=path) if leaf == "0" else None
        classes = f"{ROOT}/StorageServices/{self.array.name}/ClassesOfService"
        if parent == classes and any(p.story.service_class == leaf for p in self.array.pools):
            return _typed("ClassOfService.v1_2_0", path=path, name=leaf, ClassOfServiceVersion="1")
        return self._controller_part(parent, leaf=leaf, path=path, day=day)

    def _controller_part(self, parent: str, *, leaf: str, path: str, day: float) -> Resource | None:
        if parent == f"{self.storage}/Controllers" and leaf in ("A", "B"):
            return self._controller(leaf, path=path)
        ports = {f"{self.storage}/Controllers/{side}/Ports" for side in "AB"}
        if leaf == "Metrics" and parent.rpartition("/")[0] in ports:
            return self._port_metrics(path=path, day=day)
        return self._port(leaf, path=path) if parent in ports and leaf in "0123" else None

    def _service_root(self) -> Resource:
        root = _typed(
            "ServiceRoot.v1_16_0",
            path=f"{ROOT}/",
            name=f"{self.array.name} service",
            identifier="RootService",
            RedfishVersion="1.18.0",
            UUID=self.array.uuid,
            SessionService=_link(f"{ROOT}/SessionService"),
            StorageServices=_link(f"{ROOT}/StorageServices"),
            Chassis=_link(f"{ROOT}/Chassis"),
            Fabrics=_link(f"{ROOT}/Fabrics"),
            Links={"Sessions": _link(f"{ROOT}/SessionService/Sessions")},
            ProtocolFeaturesSupported={
                "ExpandQuery": {"ExpandAll": True, "Levels": True, "MaxLevels": 1},
                "TopSkipQuery": True,
            },
        )
        place = "Systems" if self.array.story.location == "systems" else "Storage"
        root[place] = _link(f"{ROOT}/{place}")
        return root

    def _session_service(self) -> Resource:
        return _typed(
            "SessionService.v1_1_9",
            path=f"{ROOT}/SessionService",
            name="Sessions",
            ServiceEnabled=True,
            SessionTimeout=1800,
            Sessions=_link(f"{ROOT}/SessionService/Sessions"),
        )

    def _system(self) -> Resource:
        path = f"{ROOT}/Systems/{self.array.name}"
        return _typed(
            "ComputerSystem.v1_22_0",
            path=path,
            name=self.array.name,
            SerialNumber=self.array.serial,
            HostName=f"{self.array.name}.{self.array.story.site.lower()}.test",
            Storage=_link(f"{path}/Storage"),
            Status=OK,
        )

    def _chassis(self) -> Resource:
        path = f"{ROOT}/Chassis/{self.array.name}"
        return _typed(
            "Chassis.v1_25_0",
            path=path,
            name=self.array.name,
            ChassisType="Enclosure",
            SerialNumber=self.array.serial,
            Model="Shore",
            Location={"PostalAddress": {"Name": self.array.story.site}},
            Drives=_link(f"{path}/Drives"),
            Status=OK,
        )

    def _shelf(self, name: str, *, path: str) -> Resource:
        return _typed(
            "Chassis.v1_25_0",
            path=path,
            name=name,
            ChassisType="StorageEnclosure",
            SerialNumber=f"{self.array.serial}-{name.rsplit('-', 1)[-1]}",
            Model="Ledge",
            Drives=_link(f"{path}/Drives"),
            Status=OK,
        )

    def _fabric(self) -> Resource:
        path = f"{ROOT}/Fabrics/front"
        return _typed(
            "Fabric.v1_3_2",
            path=path,
            name="front",
            FabricType="FC",
            Endpoints=_link(f"{path}/Endpoints"),
            Status=OK,
        )

    def _endpoint(self, port: str, *, path: str) -> Resource:
        return _typed(
            "Endpoint.v1_8_1",
            path=path,
            name=f"initiator {port}",
            EndpointProtocol="FC",
            Identifiers=[_durable("FC_WWN", port)],
            Status=OK,
        )

    def _file_system(self, name: str, *, path: str) -> Resource:
        store = self.exports[name]
        volume = f"{self.storage}/Volumes/{store.pool.name}-{store.volume.name}"
        return _typed(
            "FileSystem.v1_4_1",
            path=path,
            name=name,
            CapacitySources=[
                {
                    "@odata.id": f"{path}#/CapacitySources/0",
                    "ProvidingVolumes": [_link(volume)],
                }
            ],
            ExportedShares=_link(f"{path}/ExportedFileShares"),
            Status=OK,
        )

    def _share(self, name: str, *, path: str) -> Resource:
        server, folder = self.exports[name].export
        return _typed(
            "FileShare.v1_3_0",
            path=path,
            name=folder,
            FileSharePath=folder,
            FileSharingProtocols=["NFSv4_1"],
            FileSharingServer=server,
            Status=OK,
        )

    def _storage(self) -> Resource:
        drives = f"{ROOT}/Chassis/{self.array.name}/Drives"
        return _typed(
            "Storage.v1_17_0",
            path=self.storage,
            name=self.array.name,
            Identifiers=[_durable("UUID", self.array.uuid)],
            Controllers=_link(f"{self.storage}/Controllers"),
            StoragePools=_link(f"{self.storage}/StoragePools"),
            Volumes=_link(f"{self.storage}/Volumes"),
            FileSystems=_link(f"{self.storage}/FileSystems"),
            Drives=[_link(f"{drives}/{number}") for number in self.drives],
            Links={"Enclosures": [_link(f"{ROOT}/Chassis/{self.array.name}")]},
            Status=OK,
        )

    def _storage_service(self) -> Resource:
        path = f"{ROOT}/StorageServices/{self.array.name}"
        return _typed(
            "StorageService.v1_7_0",
            path=path,
            name=self.array.name,
            ClassesOfService=_link(f"{path}/ClassesOfService"),
            StoragePools=_link(f"{self.storage}/StoragePools"),
            Volumes=_link(f"{self.storage}/Volumes"),
            Status=OK,
        )

    def _pool(self, pool: Pool, *, path: str, day: float) -> Resource:
        written = [written_bytes(volume, day=day) for volume in pool.volumes]
        usable = pool.usable_on(int(day))
        classes = f"{ROOT}/StorageServices/{self.array.name}/ClassesOfService"
        return _typed(
            "StoragePool.v1_9_1",
            path=path,
            name=pool.name,
            Identifiers=[_durable("UUID", pool.uuid)],
            Capacity=_capacity(allocated=usable, consumed=sum(written),
                               provisioned=pool.provisioned_bytes),
            CapacitySources=_link(f"{path}/CapacitySources"),
            RemainingCapacityPercent=max(0, 100 - 100 * sum(written) // usable),
            LowSpaceWarningThresholdPercents=[80, 90],
            AllocatedVolumes=_link(f"{path}/AllocatedVolumes"),
            SupportedRAIDTypes=["RAID6"],
            IOStatistics=_io_statistics(day, weight=len(pool.volumes)),
            Links={"DefaultClassOfService": _link(f"{classes}/{pool.story.service_class}")},
            Status=OK,
        )  # fmt: skip

    def _capacity_source(self, pool: Pool, *, path: str, day: float) -> Resource:
        usable = pool.usable_on(int(day))
        return _typed(
            "CapacitySource.v1_4_0",
            path=path,
            name=f"{pool.name} drives",
            ProvidedCapacity=_capacity(allocated=usable, consumed=None, provisioned=None),
            ProvidingDrives={"@odata.count": self._n_drives[pool.name]},
        )

    def _volume(self, pool: Pool, volume: Volume, *, path: str, day: float) -> Resource:
        written = written_bytes(volume, day=day)
        endpoints = [_link(f"{ROOT}/Fabrics/front/Endpoints/{port}") for port in volume.seen_by]
        return _typed(
            "Volume.v1_10_1",
            path=path,
            name=volume.name,
            Identifiers=[_durable("NAA", volume.naa)],
            CapacityBytes=volume.size_bytes,
            Capacity=_capacity(
                allocated=written if volume.is_thin else volume.size_bytes,
                consumed=written,
                provisioned=volume.size_bytes,
            ),
            ProvisioningPolicy="Thin" if volume.is_thin else "Fixed",
            RemainingCapacityPercent=max(0, 100 - 100 * written // volume.size_bytes),
            AccessCapabilities=["Read", "Write"],
            IOStatistics=_io_statistics(day, weight=1),
            Links={
                "ClientEndpoints": endpoints,
                "OwningStorageResource": _link(self.storage),
            },
            CapacitySources=[
                {
                    "@odata.id": f"{path}#/CapacitySources/0",
                    "ProvidingPools": _link(f"{self.storage}/StoragePools/{pool.name}"),
                }
            ],
            Status=OK,
        )

    def _drive(self, number: str, *, path: str) -> Resource:
        role, pool = self.drives[number]
        links: Resource = {}
        if pool is not None:
            links["StoragePools"] = [_link(f"{self.storage}/StoragePools/{pool.name}")]
        return _typed(
            "Drive.v1_20_0",
            path=path,
            name=f"drive-{number}",
            SerialNumber=f"{self.array.serial}-D{number}",
            CapacityBytes=DRIVE_BYTES,
            MediaType="SSD",
            HotspareType="Global" if role == "spare" else "None",
            Links=links,
            Status=OK,
            Oem={"TernCoast": {"Role": "System"}} if role == "system" else {},
        )

    def _controller(self, side: str, *, path: str) -> Resource:
        return _typed(
            "StorageController.v1_8_0",
            path=path,
            name=f"controller {side}",
            Ports=_link(f"{path}/Ports"),
            FirmwareVersion="3.2",
            Status=OK,
        )

    def _port(self, number: str, *, path: str) -> Resource:
        return _typed(
            "Port.v1_12_0",
            path=path,
            name=f"port {number}",
            CurrentSpeedGbps=32,
            MaxSpeedGbps=32,
            LinkStatus="LinkUp" if number != "3" else "NoLink",
            PortProtocol="FC",
            Metrics=_link(f"{path}/Metrics"),
            Status=OK,
        )

    def _port_metrics(self, *, path: str, day: float) -> Resource:
        """What went through a port: its share of what its array reads and writes."""
        told = _io_statistics(day, weight=len(self.volumes) / 8)
        return _typed(
            "PortMetrics.v1_6_0",
            path=path,
            name="traffic",
            TXBytes=told["ReadIOKiBytes"] * 1024,
            RXBytes=told["WriteIOKiBytes"] * 1024,
        )


def _typed(
    kind: str, *, path: str, name: str, identifier: str = "", **facts: Any
) -> Resource:  # Any: JSON
    return {
        "@odata.type": f"#{kind}.{kind.split('.')[0]}",
        "@odata.id": path,
        "Id": identifier or path.rsplit("/", 1)[-1],
        "Name": name,
        **facts,
    }


def _link(path: str) -> Resource:
    return {"@odata.id": path}


def _durable(form: str, name: str) -> Resource:
    return {"DurableNameFormat": form, "DurableName": name}


def _capacity(*, allocated: int, consumed: int | None, provisioned: int | None) -> Resource:
    known = {
        "AllocatedBytes": allocated,
        "ConsumedBytes": consumed,
        "ProvisionedBytes": provisioned,
    }
    return {"Data": {name: amount for name, amount in known.items() if amount is not None}}


def _io_statistics(day: float, *, weight: float) -> Resource:
    """Counters since the beginning of the history, busier by day than by night."""
    seconds = day * 86_400
    busy = weight * (seconds * 220 + 3_000_000 * (1 - math.cos(2 * math.pi * day)))
    return {
        "ReadIORequests": int(busy * 0.7),
        "WriteIORequests": int(busy * 0.3),
        "ReadIOKiBytes": int(busy * 0.7 * 16),
        "WriteIOKiBytes": int(busy * 0.3 * 24),
    }
