"""Estate documents: what every feed yields and every estate file holds, version 1.

A field that ends in ``_uid`` points at another thing. Where it is required, that thing must
be told of first; where it may be missing, it may also be told of later and is joined then.
"""

from collections.abc import Sequence
from datetime import date, datetime
from typing import Annotated, Any, Literal

import msgspec

VERSION = 1
MAX_DAYS = 40_000
MAX_STEPS = 105_120  # a year of five minutes
# The top of an int64, which a bound of ours could not name: larger numbers do not decode.
Bytes = Annotated[int, msgspec.Meta(ge=0, le=2**63 - 1, description="exact bytes")]
Count = Annotated[int, msgspec.Meta(ge=0, le=2**53)]
Amount = Annotated[float, msgspec.Meta(ge=0)]
Uid = Annotated[
    str,
    msgspec.Meta(
        pattern=r"^(serial|uuid|naa|eui|nguid|wwn|iqn|id|path)\.[A-Za-z0-9._:/@+-]+$",
        max_length=400,
        description="worldwide name, UUID, serial, own id or native path, its kind first",
    ),
]
Name = Annotated[str, msgspec.Meta(min_length=1, max_length=200)]
Text = Annotated[str, msgspec.Meta(max_length=400)]
Moment = Annotated[datetime, msgspec.Meta(tz=True, description="ISO 8601 with its offset")]
Uids = Annotated[list[Uid], msgspec.Meta(max_length=4096)]


class Document(
    msgspec.Struct, tag_field="doc", forbid_unknown_fields=True, omit_defaults=True, kw_only=True
):
    """One line of an estate file."""


class Thing(Document, tag="", kw_only=True):
    """What every inventoried thing has: its identity, its other names, when it was read."""

    uid: Uid
    name: Name
    read_at: Moment
    also: Uids = []


class Header(Document, tag="header", kw_only=True):
    """First line: what the file is; a full file names all that its source knows."""

    format: Literal["keelmark-estate"]
    version: Literal[0, 1]
    source: Name
    scope: Literal["full", "delta"] = "delta"


class ArrayDocument(Thing, tag="array", kw_only=True):
    """A storage system."""

    site: Name | None = None
    model: Text | None = None
    n_controllers: Count | None = None
    n_ports: Count | None = None
    sustainable_iops: Count | None = None
    sustainable_bytes_per_second: Bytes | None = None


class PortDocument(Thing, tag="port", kw_only=True):
    """A front-end port of an array's controller."""

    array_uid: Uid
    controller: Name | None = None
    protocol: Name | None = None
    speed_bits_per_second: Bytes | None = None
    is_up: bool | None = None
    n_logins: Count | None = None


class ShelfDocument(Thing, tag="shelf", kw_only=True):
    """An enclosure of drives."""

    array_uid: Uid
    n_bays: Count | None = None


class DriveDocument(Thing, tag="drive", kw_only=True):
    """A drive and its role; it sits in an array or in a host."""

    capacity_bytes: Bytes
    role: Literal["pooled", "unpooled", "spare", "system", "failed"]
    array_uid: Uid | None = None
    host_uid: Uid | None = None
    shelf_uid: Uid | None = None
    pool_uid: Uid | None = None
    media: Literal["ssd", "hdd"] | None = None


class Backing(msgspec.Struct, forbid_unknown_fields=True, omit_defaults=True, kw_only=True):
    """One volume under a shared pool, the mirror side that it stands on, and its tier."""

    volume_uid: Uid
    mirror_side: Name | None = None
    tier: Name | None = None


class PoolDocument(Thing, tag="pool", kw_only=True):
    """A pool with its books at one moment; used counts what is written."""

    usable_bytes: Bytes
    used_bytes: Bytes
    array_uid: Uid | None = None
    cluster_uid: Uid | None = None
    provisioned_bytes: Bytes | None = None
    logical_written_bytes: Bytes | None = None
    snapshot_bytes: Bytes | None = None
    service_class: Name | None = None
    backing: Literal["raid", "distributed-spare", "host-drives", "shared"] | None = None
    raid: Name | None = None
    backed_by: Annotated[list[Backing], msgspec.Meta(max_length=4096)] | None = None


class VolumeDocument(Thing, tag="volume", kw_only=True):
    """A volume; `written_bytes` is missing where the source gave nothing usable."""

    pool_uid: Uid
    size_bytes: Bytes
    written_bytes: Bytes | None = None
    logical_written_bytes: Bytes | None = None
    snapshot_bytes: Bytes | None = None
    provisioning: Literal["thin", "thick"] | None = None
    access: Literal["block", "file"] | None = None
    is_mapped: bool | None = None
    mapped_to: Uids | None = None
    is_encrypted: bool | None = None
    is_compressed: bool | None = None
    is_deduplicated: bool | None = None
    workload: Text | None = None
    last_io_at: Moment | None = None
    qos_min_iops: Count | None = None
    qos_max_iops: Count | None = None
    replicated_to: Uids | None = None
    rpo_seconds: Count | None = None
    snapshot_every_minutes: Count | None = None
    project_uid: Uid | None = None


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
    guest_written_bytes: Bytes | None = None
    on_array_bytes: Bytes | None = None
    exclusive_bytes: Bytes | None = None
    provisioning: Literal["thin", "thick"] | None = None
    policy: Name | None = None
    tier: Name | None = None
    guest_file_systems: Annotated[list[GuestFileSystem], msgspec.Meta(max_length=256)] | None = None


class SnapshotDocument(Thing, tag="snapshot", kw_only=True):
    """A point-in-time copy of a VM or a volume; its parent is the one taken before it."""

    of_uid: Uid
    taken_at: Moment
    parent_uid: Uid | None = None
    exclusive_bytes: Bytes | None = None


class FileDocument(Thing, tag="file", kw_only=True):
    """One file of a datastore's index; its name is its path there."""

    datastore_uid: Uid
    category: Literal["disk", "image", "log", "snapshot", "other"]
    size_bytes: Bytes
    vm_uid: Uid | None = None
    changed_at: Moment | None = None


class TenantDocument(Thing, tag="tenant", kw_only=True):
    """Who consumes."""

    quota_bytes: Bytes | None = None


class ProjectDocument(Thing, tag="project", kw_only=True):
    """A part of a tenant's work, with what it may take."""

    tenant_uid: Uid
    quota_bytes: Bytes | None = None
    quota_vms: Count | None = None


class AccountDocument(Thing, tag="account", kw_only=True):
    """An owner of buckets in object storage."""

    tenant_uid: Uid | None = None
    site: Name | None = None
    quota_bytes: Bytes | None = None


class BucketShare(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    """Objects of one tier and one age: the whole days since the access or the write."""

    tier: Literal["hot", "warm", "cold"]
    from_days: Count
    n_objects: Count
    n_bytes: Bytes


class BucketDocument(Thing, tag="bucket", kw_only=True):
    """A bucket with its objects counted by tier and age, never listed one by one."""

    account_uid: Uid
    n_objects: Count
    used_bytes: Bytes
    age_since: Literal["access", "write"] | None = None
    shares: Annotated[list[BucketShare], msgspec.Meta(max_length=256)] | None = None
    project_uid: Uid | None = None


class AboutDocument(Document, tag="about", kw_only=True):
    """Some facts of a thing that another source tells of: its fields, by name."""

    uid: Uid
    read_at: Moment
    says: dict[str, Any]  # Any: fields of the thing's own document


class ProtectionDocument(Document, tag="protection", kw_only=True):
    """One run of a backup, a replication or a snapshot job."""

    uid: Uid
    of_uid: Uid
    job: Name
    method: Literal["backup", "replication", "snapshot"]
    started_at: Moment
    result: Literal["done", "partial", "failed", "running"]
    ended_at: Moment | None = None
    n_bytes: Bytes | None = None


class EventDocument(Document, tag="event", kw_only=True):
    """Something that happened to a thing, and who did it."""

    uid: Uid
    of_uid: Uid
    at: Moment
    what: Literal["created", "grown", "shrunk", "moved", "deleted"]
    by: Text | None = None
    from_uid: Uid | None = None
    to_uid: Uid | None = None
    bytes_before: Bytes | None = None
    bytes_after: Bytes | None = None


class ReadingsDocument(Document, tag="readings", kw_only=True):
    """Daily readings of one object from `first_on` on, an element a day, null where unread."""

    uid: Uid
    first_on: date
    used_bytes: Annotated[list[Bytes | None], msgspec.Meta(min_length=1, max_length=MAX_DAYS)]
    provisioned_bytes: list[Bytes | None] | None = None
    capacity_bytes: list[Bytes | None] | None = None
    guest_written_bytes: list[Bytes | None] | None = None
    exclusive_bytes: list[Bytes | None] | None = None


class PerformanceDocument(Document, tag="performance", kw_only=True):
    """Five-minute means of one object from `first_at` on, null where unread."""

    uid: Uid
    first_at: Moment
    read_iops: Annotated[list[Amount | None], msgspec.Meta(min_length=1, max_length=MAX_STEPS)]
    write_iops: list[Amount | None] | None = None
    read_bytes_per_second: list[Amount | None] | None = None
    write_bytes_per_second: list[Amount | None] | None = None
    latency_ms: list[Amount | None] | None = None
    array_latency_ms: list[Amount | None] | None = None
    network_latency_ms: list[Amount | None] | None = None
    queue_latency_ms: list[Amount | None] | None = None
    qos_latency_ms: list[Amount | None] | None = None


class CountersDocument(Document, tag="counters", kw_only=True):
    """What counters of one object stood at; rates are made of two samples of a source."""

    uid: Uid
    read_at: Moment
    read_ops: Amount | None = None
    write_ops: Amount | None = None
    read_bytes: Amount | None = None
    write_bytes: Amount | None = None
    busy_seconds: Amount | None = None  # summed over operations: latency = busy / operations


class CompleteDocument(Document, tag="complete", kw_only=True):
    """Says that all of a thing came before: what lies under it and was not named is gone.

    Without `of_uid`, all that its source knows came before.
    """

    of_uid: Uid | None = None
    array_uid: Uid | None = None  # version 0's name of of_uid
    read_at: Moment | None = None


InventoryDocument = (
    TenantDocument | ProjectDocument | ArrayDocument | ClusterDocument | HostDocument
    | PortDocument | ShelfDocument | PoolDocument | VolumeDocument | DriveDocument
    | HostDeviceDocument | DatastoreDocument | VirtualMachineDocument | VirtualDiskDocument
    | SnapshotDocument | FileDocument | AccountDocument | BucketDocument
)  # fmt: skip
RecordDocument = ProtectionDocument | EventDocument
AnyDocument = (
    Header | InventoryDocument | AboutDocument | RecordDocument | ReadingsDocument
    | PerformanceDocument | CountersDocument | CompleteDocument
)  # fmt: skip
Documents = Sequence[AnyDocument]

decoder: msgspec.json.Decoder[AnyDocument] = msgspec.json.Decoder(AnyDocument)


def to_line(document: Document) -> bytes:
    """Return the document as one line of NDJSON, without its line end."""
    return msgspec.json.encode(document)


def published_schema() -> dict[str, object]:
    """Return the JSON Schema of one line, as docs/estate-file-v1.schema.json holds it."""
    schema = msgspec.json.schema(AnyDocument)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Keel Mark estate file, version 1: one line",
        **schema,
    }
