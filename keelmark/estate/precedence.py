"""Whom to believe where several sources tell of the same thing, attribute by attribute.

The array knows what is written on it, the hypervisor what runs on it, the owners' records who
pays. Where the preferred source is silent, the next one is heard; among equals the youngest, save
what each knows a part of and what would go to and fro between them.
"""

from keelmark.estate.models import Kind, Protocol

P = Protocol
STORAGE = (P.REDFISH, P.PUSH, P.FILE, P.TABLE, P.LIBVIRT, P.OPENMETRICS, P.S3)
COMPUTE = (P.LIBVIRT, P.PUSH, P.FILE, P.TABLE, P.OPENMETRICS, P.REDFISH, P.S3)
OBJECTS = (P.S3, P.PUSH, P.FILE, P.TABLE, P.OPENMETRICS, P.REDFISH, P.LIBVIRT)
OWNERS = (P.PUSH, P.FILE, P.TABLE, P.LIBVIRT, P.REDFISH, P.OPENMETRICS, P.S3)

OF_KIND: dict[Kind, tuple[Protocol, ...]] = {
    Kind.TENANT: OWNERS,
    Kind.PROJECT: OWNERS,
    Kind.ARRAY: STORAGE,
    Kind.PORT: STORAGE,
    Kind.SHELF: STORAGE,
    Kind.POOL: STORAGE,
    Kind.VOLUME: STORAGE,
    Kind.DRIVE: STORAGE,
    Kind.CLUSTER: COMPUTE,
    Kind.HOST: COMPUTE,
    Kind.HOST_DEVICE: COMPUTE,
    Kind.DATASTORE: COMPUTE,
    Kind.VM: COMPUTE,
    Kind.DISK: COMPUTE,
    Kind.SNAPSHOT: COMPUTE,
    Kind.FILE: COMPUTE,
    Kind.ACCOUNT: OBJECTS,
    Kind.BUCKET: OBJECTS,
}
# Whose it is, what was promised and where it stands is known best by those who keep records.
OF_ATTRIBUTE: dict[str, tuple[Protocol, ...]] = {
    "project_uid": OWNERS,
    "tenant_uid": OWNERS,
    "policy": OWNERS,
    "tier": OWNERS,
    "labels": OWNERS,
    "workload": OWNERS,
    "quota_bytes": OWNERS,
    "site": OWNERS,
    "cluster_uid": OWNERS,
    "on_array_bytes": STORAGE,
    "unshared_bytes": STORAGE,
}
# Equals each tell a part of it: hosts of two clusters see a datastore, each told by their feed.
IN_PARTS: frozenset[tuple[Kind, str]] = frozenset({(Kind.DATASTORE, "seen_by")})
# What was told first by one of equals stays, however often others tell theirs.
STAYING: frozenset[tuple[Kind, str]] = frozenset({(Kind.DATASTORE, "cluster_uid")})
# What two sources cannot both be right about, whenever they read it.
MUST_AGREE: dict[Kind, tuple[str, ...]] = {
    Kind.VOLUME: ("pool_uid", "array_uid", "size_bytes"),
    Kind.POOL: ("array_uid", "cluster_uid"),
    Kind.DRIVE: ("array_uid", "host_uid", "capacity_bytes"),
    Kind.DATASTORE: ("kind", "nfs_path"),
    Kind.VM: ("project_uid",),
    Kind.DISK: ("vm_uid", "size_bytes"),
    Kind.HOST: ("cluster_uid", "memory_bytes"),
    Kind.BUCKET: ("account_uid",),
}


def order_of(kind: Kind, *, attribute: str) -> tuple[Protocol, ...]:
    """Return the protocols in the order in which they are believed."""
    return OF_ATTRIBUTE.get(attribute) or OF_KIND[kind]
