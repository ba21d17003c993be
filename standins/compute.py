"""Clusters, hosts, datastores, VMs and disks that lie on the volumes of the arrays."""

import hashlib
import uuid
from dataclasses import dataclass, field

import numpy as np

from standins.arrays import Array, Pool, Volume

GIB = 1024**3
TIB = 1024**4
RENAMED_EVERY, RENAMED_AT = 113, 7  # of a cluster's VMs, by number
_NAMESPACE = uuid.UUID("c1d5a8c2-0d4f-4f0e-8a53-9d1f7f5b3a77")


@dataclass(frozen=True, slots=True, kw_only=True)
class ClusterStory:
    """One cluster: where it is, how large, and what is odd about it."""

    name: str
    site: str
    n_hosts: int
    n_datastores: int
    n_vms: int
    n_vms_share_before: float = 0.85  # that were there when the history begins
    n_nfs: int = 0
    n_orphans: int = 0  # disk files that no VM uses
    n_off: int = 0  # VMs off for a quarter
    has_old_snapshots: bool = False
    faulted_host: int | None = None  # does not answer
    renaming_host: int | None = None  # sees two of its volumes under other names
    sees_foreign: str = ""  # a host of it sees a volume of that cluster and calls it free
    shared_pool: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class TenantStory:
    """Who consumes: the prefix of their volumes leads to them."""

    name: str
    prefix: str
    projects: tuple[str, ...]
    words: tuple[str, ...]  # their VMs are named for these
    quota_tib: int


TENANTS = (
    TenantStory(
        name="Satellite Archive", prefix="sat-archive", projects=("scenes", "index"),
        words=("scene", "tile", "catalog"), quota_tib=2600,
    ),
    TenantStory(
        name="Seabed Mapping", prefix="seabed", projects=("sonar", "charts"),
        words=("sonar", "chart", "grid"), quota_tib=900,
    ),
    TenantStory(
        name="Tide Gauges", prefix="tide-gauge", projects=("gauges", "alerts"),
        words=("gauge", "alert", "surge"), quota_tib=1500,
    ),
    TenantStory(
        name="Public Web", prefix="public-web", projects=("site", "tiles"),
        words=("web", "cache", "feed"), quota_tib=1500,
    ),
    TenantStory(
        name="Shore Office", prefix="shore-office", projects=("desks", "books"),
        words=("desk", "mail", "ledger"), quota_tib=1500,
    ),
)  # fmt: skip
KELP = ClusterStory(
    name="kelp", site="Skerry", n_hosts=4, n_datastores=64, n_vms=860, n_nfs=4, n_orphans=5,
    n_off=14, has_old_snapshots=True, n_vms_share_before=0.55,
)  # fmt: skip
DULSE = ClusterStory(
    name="dulse", site="Marram", n_hosts=4, n_datastores=50, n_vms=660, n_nfs=2, n_orphans=3,
    n_off=9, renaming_host=1, sees_foreign="kelp",
)  # fmt: skip
SAMPHIRE = ClusterStory(
    name="samphire", site="Holmgate", n_hosts=4, n_datastores=36, n_vms=480, n_orphans=1,
    n_off=6, faulted_host=2, shared_pool=True,
)  # fmt: skip
SMALL_KELP = ClusterStory(
    name="kelp", site="Skerry", n_hosts=2, n_datastores=8, n_vms=40, n_nfs=1, n_orphans=2,
    n_off=3, has_old_snapshots=True, renaming_host=1,
)  # fmt: skip
CLUSTERS = {"demo": (KELP, DULSE, SAMPHIRE), "small": (SMALL_KELP,)}
NIGHTLY_EVERY, NIGHTLY_AT = 29, 5  # VMs that are snapshotted every night, by number
STOPPED_NIGHTLY, STOPPED_DAYS = 121, 6  # one of which nobody took for days
FERRY_PORT = "10000000feed0001"  # of a host that no feed manages
SYSTEMS = ("Shoreline Linux 12", "Shoreline Linux 11", "Headland Server 9")


@dataclass(slots=True, kw_only=True)
class Disk:
    """A virtual disk: a fixed share of what its volume holds."""

    slot: str
    path: str
    size_bytes: int
    share: float  # of the volume's written bytes
    guest_share: float  # of what it takes, that the guest itself holds
    datastore: "Datastore"


@dataclass(slots=True, kw_only=True)
class Machine:
    """A VM."""

    name: str
    uuid: str
    host: int
    n_cpus: int
    memory_bytes: int
    is_on: bool
    off_days: int
    os: str
    tenant: TenantStory
    project: str
    disks: list[Disk] = field(default_factory=list)
    snapshots: tuple[tuple[str, int, str], ...] = ()  # (name, days back, parent)


@dataclass(slots=True, kw_only=True)
class Datastore:
    """A datastore on one volume."""

    name: str
    uuid: str
    array: Array
    pool: Pool
    volume: Volume
    is_nfs: bool
    orphans: list[tuple[str, float]] = field(default_factory=list)  # (file, share)
    disks: list[Disk] = field(default_factory=list)

    @property
    def path(self) -> str:
        """Where its hosts mount it."""
        return f"/datastores/{self.name}"

    @property
    def export(self) -> tuple[str, str]:
        """Server and path of an NFS one."""
        site = self.array.story.site.lower()
        return f"{self.array.name}.{site}.test", f"/export/{self.pool.name}/{self.volume.name}"


@dataclass(slots=True, kw_only=True)
class Cluster:
    """A cluster with all that runs on it."""

    story: ClusterStory
    datastores: list[Datastore] = field(default_factory=list)
    machines: list[Machine] = field(default_factory=list)
    foreign: list[Datastore] = field(default_factory=list)  # seen by its last host, not its own
    spare_volumes: list[Volume] = field(default_factory=list)  # under its shared pool

    def host_name(self, number: int) -> str:
        """Name of a host, counted from 1."""
        return f"{self.story.name}-{number}"

    def port_of(self, number: int) -> str:
        """Worldwide name of a host's port."""
        return _hex(f"port/{self.host_name(number)}", n=16, first="1")

    def device_name(self, number: int, index: int) -> str:
        """Name of the index-th device on a host; one host has two of them the other way round."""
        swapped = {0: 1, 1: 0}.get(index, index)
        at = swapped if number == self.story.renaming_host else index
        letters = "abcdefghijklmnopqrstuvwxyz"
        return f"/dev/sd{letters[at // 26]}{letters[at % 26]}"


def make_clusters(arrays: list[Array], *, size: str) -> list[Cluster]:
    """Return the clusters of a size upon these arrays."""
    made = [_cluster(story, arrays=arrays) for story in CLUSTERS[size]]
    for cluster in made:
        others = [c for c in made if c.story.name == cluster.story.sees_foreign]
        cluster.foreign = others[0].datastores[:1] if others else []
    map_the_rest(arrays, clusters=made)
    return made


def map_the_rest(arrays: list[Array], *, clusters: list[Cluster]) -> None:
    """Map what no cluster uses to the bare host of its site; a few go to one nobody manages."""
    exported = {id(d.volume) for c in clusters for d in c.datastores if d.is_nfs}
    for number, array in enumerate(arrays):
        for volume in (v for pool in array.pools for v in pool.volumes):
            if volume.is_mapped and not volume.seen_by and id(volume) not in exported:
                volume.seen_by = [bare_port(array.story.site)]
        if number == 0:
            for volume in array.pools[-1].volumes[-3:]:
                volume.seen_by = [FERRY_PORT]
    for cluster in clusters:
        for volume in cluster.spare_volumes:
            volume.seen_by = [cluster.port_of(n) for n in range(1, cluster.story.n_hosts + 1)]


def bare_port(site: str) -> str:
    """Worldwide name of the port of a site's host without guests."""
    return _hex(f"bare/{site}", n=16, first="1")


def _cluster(story: ClusterStory, *, arrays: list[Array]) -> Cluster:
    rng = np.random.default_rng(int(_hex(f"cluster/{story.name}", n=12), 16))
    cluster = Cluster(story=story)
    mapped = [
        (array, pool, volume)
        for array in arrays
        if array.story.site == story.site
        for pool in array.pools
        if not pool.name.startswith("deep")
        for volume in pool.volumes
        if volume.is_mapped
    ]
    if story.shared_pool:
        cluster.spare_volumes = [v for *_, v in mapped[-4:]]
        mapped = mapped[:-4]
    wanted = mapped[: story.n_datastores] if len(mapped) > story.n_datastores else mapped
    for at, (array, pool, volume) in enumerate(wanted):
        name = f"{story.name}-{volume.name.rsplit('-', 1)[0]}-{at + 1:02d}"
        cluster.datastores.append(
            Datastore(
                name=name,
                uuid=str(uuid.uuid5(_NAMESPACE, name)),
                array=array,
                pool=pool,
                volume=volume,
                is_nfs=at >= len(wanted) - story.n_nfs,
            )
        )
        volume.seen_by = [
            cluster.port_of(n)
            for n in range(1, story.n_hosts + 1)
            if not cluster.datastores[-1].is_nfs
        ]
    _machines(cluster, rng=rng)
    _orphans(cluster)
    return cluster


def _machines(cluster: Cluster, *, rng: np.random.Generator) -> None:
    """Spread VMs over the datastores of their tenants, then share each volume among its disks."""
    story = cluster.story
    by_tenant = {t.name: [d for d in cluster.datastores if t.prefix in d.name] for t in TENANTS}
    weights = np.array([len(by_tenant[t.name]) for t in TENANTS], dtype=np.float64)
    for number in range(1, story.n_vms + 1):
        tenant = TENANTS[int(rng.choice(len(TENANTS), p=weights / weights.sum()))]
        name = f"{tenant.words[number % len(tenant.words)]}-{story.name[0]}{number:04d}"
        is_off = number <= story.n_off
        machine = Machine(
            name=name,
            uuid=str(uuid.uuid5(_NAMESPACE, f"vm/{name}")),
            host=1 + number % story.n_hosts,
            n_cpus=int(rng.choice([1, 2, 2, 2, 4])),
            memory_bytes=int(rng.choice([1, 2, 2, 4, 8])) * GIB,
            is_on=not is_off,
            off_days=95 + 3 * number if is_off else 0,
            os=SYSTEMS[number % len(SYSTEMS)],
            tenant=tenant,
            project=tenant.projects[number % len(tenant.projects)],
            snapshots=_snapshots(number) if story.has_old_snapshots else (),
        )
        stores = by_tenant[tenant.name]
        for at in range(int(rng.choice([1, 2, 2, 3, 4]))):
            store = stores[int(rng.integers(len(stores)))]
            slot = f"vd{'abcd'[at]}"
            path = f"{store.path}/{_file_name(name, number=number)}-{slot}.qcow2"
            disk = Disk(
                slot=slot, path=path, size_bytes=0, share=float(rng.gamma(1.2)),
                guest_share=float(rng.uniform(0.55, 0.97)), datastore=store,
            )  # fmt: skip
            store.disks.append(disk)
            machine.disks.append(disk)
        cluster.machines.append(machine)
    for store in cluster.datastores:
        _share_out(store, rng=rng)


def _file_name(name: str, *, number: int) -> str:
    """The name in a VM's files: one that was given another name keeps them under the first."""
    was_renamed = number % RENAMED_EVERY == RENAMED_AT
    return f"trial-{name.rpartition('-')[2]}" if was_renamed else name


def _share_out(store: Datastore, *, rng: np.random.Generator) -> None:
    total = sum(disk.share for disk in store.disks) * 1.03 or 1.0  # the rest is other files
    peak = int(store.volume.curve_bytes.max())
    for disk in store.disks:
        disk.share /= total
        fill = float(rng.uniform(0.35, 0.93))
        disk.size_bytes = max(GIB, int(disk.share * peak / fill) // GIB * GIB + GIB)


def _snapshots(number: int) -> tuple[tuple[str, int, str], ...]:
    if number % 41 == 3:
        return (("before-upgrade", 260, ""), ("after-upgrade", 258, "before-upgrade"),
                ("test", 190, "before-upgrade"))  # fmt: skip
    if number % NIGHTLY_EVERY != NIGHTLY_AT:
        return ()
    return (("nightly", STOPPED_DAYS if number == STOPPED_NIGHTLY else 1, ""),)


def _orphans(cluster: Cluster) -> None:
    for at in range(cluster.story.n_orphans):
        store = cluster.datastores[at % len(cluster.datastores)]
        store.orphans.append((f"{store.path}/left-behind-{at + 1}.qcow2", 0.008))


def _hex(key: str, *, n: int, first: str = "") -> str:
    return first + hashlib.sha256(key.encode()).hexdigest()[: n - len(first)]
