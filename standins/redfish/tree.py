"""The resource tree of one array at one moment, as plain dictionaries by path."""

from collections.abc import Callable, Container, Iterable
from datetime import datetime

from standins.arrays import Array
from standins.estate import Estate
from standins.flow import Flow
from standins.redfish import frame, space
from standins.redfish.ground import SHELF_BAYS, Ground
from standins.redfish.shapes import ROOT, Resource, typed


class Tree:
    """Builds each resource when it is asked for; ``None`` where there is no such path."""

    def __init__(self, estate: Estate, *, array: Array, flow: Flow) -> None:
        """Serve one array of an estate."""
        self.ground = Ground(estate, array=array, flow=flow)

    def members(self, path: str) -> list[str] | None:
        """Return the member paths of a collection."""
        storage, name = self.ground.storage, self.ground.array.name
        is_systems = self.ground.array.story.location == "systems"
        collections: dict[str, Iterable[str]] = {
            f"{ROOT}/StorageServices": [f"{ROOT}/StorageServices/{name}"],
            f"{ROOT}/StorageServices/{name}/ClassesOfService": (
                f"{ROOT}/StorageServices/{name}/ClassesOfService/{offered}"
                for offered in sorted({p.story.service_class for p in self.ground.array.pools})
            ),
            f"{ROOT}/Chassis": [
                f"{ROOT}/Chassis/{chassis}" for chassis in (name, *self.ground.shelves)
            ],
            f"{ROOT}/Fabrics": [f"{ROOT}/Fabrics/front"],
            f"{ROOT}/Fabrics/front/Endpoints": (
                f"{ROOT}/Fabrics/front/Endpoints/{port}" for port in self.ground.ports_seen
            ),
            f"{storage}/FileSystems": (
                f"{storage}/FileSystems/{system}" for system in self.ground.exports
            ),
            f"{ROOT}/Chassis/{name}/Drives": (
                f"{ROOT}/Chassis/{name}/Drives/{number}" for number in self.ground.drives
            ),
            f"{storage}/StoragePools": (
                f"{storage}/StoragePools/{pool}" for pool in self.ground.pools
            ),
            f"{storage}/Volumes": (
                f"{storage}/Volumes/{volume}"
                for volume in (*self.ground.volumes, *self.ground.snapshots)
            ),
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
        for pool in self.ground.array.pools:
            base = f"{storage}/StoragePools/{pool.name}"
            collections[f"{base}/AllocatedVolumes"] = [
                self.ground.path_of(volume) for volume in pool.volumes
            ]
            collections[f"{base}/CapacitySources"] = [f"{base}/CapacitySources/0"]
        for system in self.ground.exports:
            shares = f"{storage}/FileSystems/{system}/ExportedFileShares"
            collections[shares] = [f"{shares}/0"]
        for at, shelf in enumerate(self.ground.shelves):
            collections[f"{ROOT}/Chassis/{shelf}/Drives"] = [
                f"{ROOT}/Chassis/{name}/Drives/{number:04d}"
                for number in range(at * SHELF_BAYS, (at + 1) * SHELF_BAYS)
                if f"{number:04d}" in self.ground.drives
            ]
        found = collections.get(path)
        return None if found is None else list(found)

    def resource(self, path: str, *, moment: datetime) -> Resource | None:
        """Return one resource that is not a collection."""
        day = self.ground.estate.day_of(moment)
        storage, name = self.ground.storage, self.ground.array.name
        fixed = {
            ROOT: frame.service_root,
            f"{ROOT}/SessionService": frame.session_service,
            storage: space.storage,
            f"{ROOT}/StorageServices/{name}": space.storage_service,
            f"{ROOT}/Chassis/{name}": frame.chassis,
            f"{ROOT}/Fabrics/front": frame.fabric,
        }
        if self.ground.array.story.location == "systems":
            fixed[f"{ROOT}/Systems/{name}"] = frame.system
        if path in fixed:
            return fixed[path](self.ground)
        parent, _, leaf = path.rpartition("/")
        return self._member(parent, leaf=leaf, path=path, day=day) or self._part(
            parent, leaf=leaf, path=path, day=day
        )

    def _member(self, parent: str, *, leaf: str, path: str, day: float) -> Resource | None:
        """A member of one of the large collections."""
        storage = self.ground.storage
        known: dict[str, tuple[Container[str], Callable[[], Resource]]] = {
            f"{ROOT}/Chassis": (
                self.ground.shelves,
                lambda: frame.shelf(self.ground, leaf, path=path),
            ),
            f"{ROOT}/Fabrics/front/Endpoints": (
                self.ground.ports_seen,
                lambda: frame.endpoint(self.ground, leaf, path=path),
            ),
            f"{storage}/FileSystems": (
                self.ground.exports,
                lambda: space.file_system(self.ground, leaf, path=path),
            ),
            f"{storage}/StoragePools": (
                self.ground.pools,
                lambda: space.pool(self.ground, self.ground.pools[leaf], path=path, day=day),
            ),
            f"{storage}/Volumes": (
                self.ground.volumes,
                lambda: space.volume(self.ground, *self.ground.volumes[leaf], path=path, day=day),
            ),
            f"{ROOT}/Chassis/{self.ground.array.name}/Drives": (
                self.ground.drives,
                lambda: frame.drive(self.ground, leaf, path=path),
            ),
        }
        if parent == f"{storage}/Volumes" and leaf in self.ground.snapshots:
            return space.snapshot(self.ground, *self.ground.snapshots[leaf], path=path, day=day)
        members, make = known.get(parent, ((), dict))
        return make() if leaf in members else None

    def _part(self, parent: str, *, leaf: str, path: str, day: float) -> Resource | None:
        for pool in self.ground.array.pools:
            if parent == f"{self.ground.storage}/StoragePools/{pool.name}/CapacitySources":
                return (
                    space.capacity_source(self.ground, pool, path=path, day=day)
                    if leaf == "0"
                    else None
                )
        for system in self.ground.exports:
            if parent == f"{self.ground.storage}/FileSystems/{system}/ExportedFileShares":
                return space.share(self.ground, system, path=path) if leaf == "0" else None
        classes = f"{ROOT}/StorageServices/{self.ground.array.name}/ClassesOfService"
        if parent == classes and any(
            p.story.service_class == leaf for p in self.ground.array.pools
        ):
            return typed("ClassOfService.v1_2_0", path=path, name=leaf, ClassOfServiceVersion="1")
        return self._controller_part(parent, leaf=leaf, path=path, day=day)

    def _controller_part(self, parent: str, *, leaf: str, path: str, day: float) -> Resource | None:
        if parent == f"{self.ground.storage}/Controllers" and leaf in ("A", "B"):
            return frame.controller(self.ground, leaf, path=path)
        ports = {f"{self.ground.storage}/Controllers/{side}/Ports" for side in "AB"}
        if leaf == "Metrics" and parent.rpartition("/")[0] in ports:
            return frame.port_metrics(self.ground, path=path, day=day)
        return (
            frame.port(self.ground, leaf, path=path) if parent in ports and leaf in "0123" else None
        )
