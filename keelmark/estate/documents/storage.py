"""Documents of what stores."""

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
    """A volume; `written_bytes` is missing where the source gave nothing usable.

    It lies in a pool, or straight on an array that tells of no pool for it.
    """

    size_bytes: Bytes
    pool_uid: Uid | None = None
    array_uid: Uid | None = None
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
    labels: Labels | None = None
    last_io_at: Moment | None = None
    qos_min_iops: Count | None = None
    qos_max_iops: Count | None = None
    replicated_to: Uids | None = None
    rpo_seconds: Count | None = None
    snapshot_every_minutes: Count | None = None
    project_uid: Uid | None = None
