"""Documents of what runs on it, and of what copies it."""

from typing import Annotated, Literal

import msgspec

from keelmark.estate.documents.base import (
    Bytes,
    Count,
    Labels,
    Moment,
    Name,
    Text,
    Thing,
    Uid,
    Uids,
)


class ClusterDocument(Thing, tag="cluster", kw_only=True):
    """Hosts that share datastores."""

    site: Name | None = None


class HostDocument(Thing, tag="host", kw_only=True):
    """A hypervisor; `also` holds the initiator names under which arrays know it."""

    cluster_uid: Uid | None = None
    site: Name | None = None
    state: Literal["up", "maintenance", "faulted", "unreachable"] | None = None
    n_cpus: Count | None = None
    cpu_hz: Count | None = None
    memory_bytes: Bytes | None = None
    n_network_errors: Count | None = None


class HostDeviceDocument(Thing, tag="host-device", kw_only=True):
    """A volume as one host sees it: its name there is the host's own."""

    host_uid: Uid
    volume_uid: Uid | None = None
    size_bytes: Bytes | None = None
    use: Literal["in-use", "free"] | None = None


class DatastoreDocument(Thing, tag="datastore", kw_only=True):
    """A container for virtual disks; block ones have extents, NFS ones an export."""

    kind: Literal["block", "nfs", "local"]
    size_bytes: Bytes | None = None
    used_bytes: Bytes | None = None
    provisioned_bytes: Bytes | None = None
    cluster_uid: Uid | None = None
    seen_by: Uids | None = None
    extents: Uids | None = None
    nfs_version: Name | None = None
    nfs_server: Text | None = None
    nfs_path: Text | None = None
    policy: Name | None = None
    labels: Labels | None = None


class VirtualMachineDocument(Thing, tag="vm", kw_only=True):
    """A guest."""

    host_uid: Uid | None = None
    cluster_uid: Uid | None = None
    project_uid: Uid | None = None
    power: Literal["on", "off", "suspended"] | None = None
    power_since_at: Moment | None = None
    os: Text | None = None
    n_cpus: Count | None = None
    memory_bytes: Bytes | None = None
    policy: Name | None = None
    labels: Labels | None = None
    site: Name | None = None


class GuestFileSystem(msgspec.Struct, forbid_unknown_fields=True, omit_defaults=True, kw_only=True):
    """What the guest itself says of one of its file systems."""

    path: Text
    size_bytes: Bytes
    used_bytes: Bytes | None = None


class VirtualDiskDocument(Thing, tag="disk", kw_only=True):
    """A virtual disk: what it was promised, what the guest wrote, what it takes."""

    vm_uid: Uid
    size_bytes: Bytes
    datastore_uid: Uid | None = None
    path: Text | None = None
    inside_bytes: Bytes | None = None
    on_array_bytes: Bytes | None = None
    unshared_bytes: Bytes | None = None
    provisioning: Literal["thin", "thick"] | None = None
    policy: Name | None = None
    labels: Labels | None = None
    tier: Name | None = None
    qos_max_iops: Count | None = None
    guest_file_systems: Annotated[list[GuestFileSystem], msgspec.Meta(max_length=256)] | None = None


class SnapshotDocument(Thing, tag="snapshot", kw_only=True):
    """A point-in-time copy of a VM or a volume; its parent is the one taken before it."""

    of_uid: Uid
    taken_at: Moment
    parent_uid: Uid | None = None
    unshared_bytes: Bytes | None = None


class FileDocument(Thing, tag="file", kw_only=True):
    """One file of a datastore's index; its name is its path there."""

    datastore_uid: Uid
    category: Literal["disk", "image", "log", "snapshot", "other"]
    size_bytes: Bytes
    vm_uid: Uid | None = None
    changed_at: Moment | None = None
