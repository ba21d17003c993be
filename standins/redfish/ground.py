"""What all resources of one array are told from."""

from collections.abc import Iterable

import numpy as np

from standins.arrays import Array, Pool, Volume, drives_of
from standins.demand import Counts
from standins.estate import Estate
from standins.flow import Flow
from standins.redfish.shapes import ROOT

SHELF_BAYS = 24
N_SNAPSHOTS = 3


class Ground:
    """One array of an estate, by the names its resources go by."""

    def __init__(self, estate: Estate, *, array: Array, flow: Flow) -> None:
        """Serve one array of an estate."""
        self.estate = estate
        self.flow = flow
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
        self._keys = {volume.naa: key for key, (_, volume) in self.volumes.items()}
        # Of the first volume of each pool that keeps snapshots, one a night.
        self.snapshots = {
            f"{pool.name}-{pool.volumes[0].name}-{back}": (pool, pool.volumes[0], back)
            for pool in array.pools
            if pool.story.snapshot_share and pool.volumes
            for back in range(1, N_SNAPSHOTS + 1)
        }
        self.drives = {f"{number:04d}": (role, pool) for number, role, pool in drives_of(array)}
        self.shelves = [
            f"{name}-shelf-{number + 1}" for number in range(-(-len(self.drives) // SHELF_BAYS))
        ]
        self.ports_seen = sorted({w for *_, v in self.volumes.values() for w in v.seen_by})
        self.ports_known = frozenset(self.ports_seen)  # of all hosts that log in
        self.exports = {
            store.volume.name: store
            for cluster in estate.clusters
            for store in cluster.datastores
            if store.is_nfs and store.array is array
        }
        self.n_drives = dict.fromkeys(self.pools, 0)
        for _, pool in self.drives.values():
            if pool is not None:
                self.n_drives[pool.name] += 1

    def take_in(self, key: str, pool: Pool, volume: Volume) -> None:
        """Have a volume that was made stand among the others."""
        self.volumes[key] = (pool, volume)
        self._keys[volume.naa] = key

    def leave_out(self, volume: Volume) -> Pool:
        """Have a volume stand there no longer; return the pool that it was of."""
        pool, _ = self.volumes.pop(self._keys.pop(volume.naa))
        return pool

    def pool_of(self, volume: Volume) -> Pool:
        """Return the pool of a volume."""
        return self.volumes[self._keys[volume.naa]][0]

    def path_of(self, volume: Volume) -> str:
        """Return where a volume stands."""
        return f"{self.storage}/Volumes/{self._keys[volume.naa]}"

    def path_of_naa(self, naa: str) -> str:
        """Return where the volume of a worldwide name stands, empty where none does."""
        return f"{self.storage}/Volumes/{self._keys[naa]}" if naa in self._keys else ""

    def volume_at(self, path: str) -> Volume | None:
        """Return the volume at a path, None of anything else."""
        place, _, name = path.rpartition("/")
        told = self.volumes.get(name) if place == f"{self.storage}/Volumes" else None
        return told[1] if told else None

    def counted(self, volumes: Iterable[Volume], *, day: float) -> Counts:
        """Return what volumes of the array counted together: reads, writes, bytes of both."""
        told = [self.flow.of_volume(self.array, volume, day=day) for volume in volumes]
        summed: Counts = np.sum(told, axis=0)
        return summed
