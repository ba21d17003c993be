"""Resources of what holds bytes: pools, volumes, file systems and their exports."""

from datetime import UTC, datetime, time, timedelta

from standins.arrays import Pool, Volume, written_bytes
from standins.holding import snapshot_bytes
from standins.redfish.ground import N_SNAPSHOTS, Ground
from standins.redfish.mirroring import actions_of, told_of
from standins.redfish.shapes import (
    MAKER,
    OK,
    ROOT,
    SETTABLE,
    Resource,
    capacity,
    durable,
    io_statistics,
    link,
    typed,
)


def file_system(ground: Ground, name: str, *, path: str) -> Resource:
    """Return the file system on a volume that is exported."""
    store = ground.exports[name]
    volume = f"{ground.storage}/Volumes/{store.pool.name}-{store.volume.name}"
    return typed(
        "FileSystem.v1_4_1",
        path=path,
        name=name,
        CapacitySources=[
            {
                "@odata.id": f"{path}#/CapacitySources/0",
                "ProvidingVolumes": [link(volume)],
            }
        ],
        ExportedShares=link(f"{path}/ExportedFileShares"),
        Status=OK,
    )


def share(ground: Ground, name: str, *, path: str) -> Resource:
    """Return an export."""
    server, folder = ground.exports[name].export
    return typed(
        "FileShare.v1_3_0",
        path=path,
        name=folder,
        FileSharePath=folder,
        FileSharingProtocols=["NFSv4_1"],
        FileSharingServer=server,
        Status=OK,
    )


def storage(ground: Ground) -> Resource:
    """Return the storage subsystem."""
    drives = f"{ROOT}/Chassis/{ground.array.name}/Drives"
    return typed(
        "Storage.v1_17_0",
        path=ground.storage,
        name=ground.array.name,
        Identifiers=[durable("UUID", ground.array.uuid)],
        Controllers=link(f"{ground.storage}/Controllers"),
        StoragePools=link(f"{ground.storage}/StoragePools"),
        Volumes=link(f"{ground.storage}/Volumes"),
        FileSystems=link(f"{ground.storage}/FileSystems"),
        Drives=[link(f"{drives}/{number}") for number in ground.drives],
        Links={"Enclosures": [link(f"{ROOT}/Chassis/{ground.array.name}")]},
        Status=OK,
    )


def storage_service(ground: Ground) -> Resource:
    """Return the service with its classes."""
    path = f"{ROOT}/StorageServices/{ground.array.name}"
    return typed(
        "StorageService.v1_7_0",
        path=path,
        name=ground.array.name,
        ClassesOfService=link(f"{path}/ClassesOfService"),
        StoragePools=link(f"{ground.storage}/StoragePools"),
        Volumes=link(f"{ground.storage}/Volumes"),
        Status=OK,
    )


def pool(ground: Ground, pool: Pool, *, path: str, day: float) -> Resource:
    """Return a pool and its books of the day."""
    written = [written_bytes(volume, day=day) for volume in pool.volumes]
    usable = pool.usable_on(int(day))
    classes = f"{ROOT}/StorageServices/{ground.array.name}/ClassesOfService"
    return typed(
        "StoragePool.v1_9_1",
        path=path,
        name=pool.name,
        Identifiers=[durable("UUID", pool.uuid)],
        Capacity=capacity(allocated=usable, consumed=sum(written),
                           provisioned=pool.provisioned_bytes,
                           snapshots=snapshot_bytes(pool, day=day)),
        CapacitySources=link(f"{path}/CapacitySources"),
        RemainingCapacityPercent=max(0, 100 - 100 * sum(written) // usable),
        LowSpaceWarningThresholdPercents=[80, 90],
        AllocatedVolumes=link(f"{path}/AllocatedVolumes"),
        SupportedRAIDTypes=["RAID6"],
        IOStatistics=io_statistics(ground.counted(pool.volumes, day=day)),
        Links={"DefaultClassOfService": link(f"{classes}/{pool.story.service_class}")},
        Status=OK,
    )  # fmt: skip


def capacity_source(ground: Ground, pool: Pool, *, path: str, day: float) -> Resource:
    """Return the drives a pool is made of."""
    usable = pool.usable_on(int(day))
    return typed(
        "CapacitySource.v1_4_0",
        path=path,
        name=f"{pool.name} drives",
        ProvidedCapacity=capacity(allocated=usable, consumed=None, provisioned=None),
        ProvidingDrives={"@odata.count": ground.n_drives[pool.name]},
    )


def volume(ground: Ground, pool: Pool, volume: Volume, *, path: str, day: float) -> Resource:
    """Return a volume and its books of the day."""
    written = written_bytes(volume, day=day)
    endpoints = [link(f"{ROOT}/Fabrics/front/Endpoints/{port}") for port in volume.seen_by]
    return typed(
        "Volume.v1_10_1",
        path=path,
        name=volume.name,
        Identifiers=[durable("NAA", volume.naa)],
        CapacityBytes=volume.size_bytes,
        Capacity=capacity(
            allocated=written if volume.is_thin else volume.size_bytes,
            consumed=written,
            provisioned=volume.size_bytes,
        ),
        ProvisioningPolicy="Thin" if volume.is_thin else "Fixed",
        RemainingCapacityPercent=max(0, 100 - 100 * written // volume.size_bytes),
        AccessCapabilities=["Read", "Write"],
        Encrypted=pool.story.service_class != "Deep",
        Compressed=pool.story.service_class == "Deep",
        IOStatistics=io_statistics(ground.counted([volume], day=day)),
        Links={
            "ClientEndpoints": endpoints,
            "OwningStorageResource": link(ground.storage),
        },
        CapacitySources=[
            {
                "@odata.id": f"{path}#/CapacitySources/0",
                "ProvidingPools": link(f"{ground.storage}/StoragePools/{pool.name}"),
            }
        ],
        Status=OK,
        Actions=actions_of(path),
        **_limits(ground, volume),
        **_replica(ground, volume),
        **told_of(volume),
    )


def snapshot(
    ground: Ground, pool: Pool, volume: Volume, back: int, *, path: str, day: float
) -> Resource:
    """Return a snapshot of a volume: a volume that was made from it some nights ago."""
    held = snapshot_bytes(pool, day=day) // (2 * N_SNAPSHOTS)
    taken = datetime.combine(ground.estate.on(int(day) + 1), time(), tzinfo=UTC)
    return typed(
        "Volume.v1_10_1",
        path=path,
        name=f"{volume.name} nightly {back}",
        CapacityBytes=volume.size_bytes,
        Capacity=capacity(allocated=held, consumed=held, provisioned=volume.size_bytes),
        ReplicaInfo={
            "ReplicaType": "Snapshot",
            "Replica": link(f"{ground.storage}/Volumes/{pool.name}-{volume.name}"),
            "WhenSynced": (taken - timedelta(days=back - 1)).isoformat(),
        },
        CapacitySources=[
            {
                "@odata.id": f"{path}#/CapacitySources/0",
                "ProvidingPools": link(f"{ground.storage}/StoragePools/{pool.name}"),
            }
        ],
        Status=OK,
    )


def _replica(ground: Ground, volume: Volume) -> Resource:
    """Of what a clone is one, as long as that is there."""
    path = ground.path_of_naa(volume.clone_of)
    if not path:
        return {}
    return {"ReplicaInfo": {"ReplicaType": "Clone", "Replica": link(path)}}


def _limits(ground: Ground, volume: Volume) -> Resource:
    """To what a volume is set: the published schemas know limits a terabyte alone."""
    told = ground.flow.limits_of(volume)
    return (
        {} if told is None else
        {"Oem": {MAKER: dict(zip(SETTABLE, told, strict=True))}}
    )  # fmt: skip
