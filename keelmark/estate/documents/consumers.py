"""Documents of who consumes, and of object storage."""

from datetime import datetime
from typing import Annotated, Literal

import msgspec

from keelmark.estate.documents.base import Bytes, Count, Name, Thing, Uid


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


class LargeObject(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    """One of the largest objects of a bucket."""

    key: Annotated[str, msgspec.Meta(max_length=1024)]
    n_bytes: Bytes
    tier: Literal["hot", "warm", "cold"]
    written_at: datetime


class BucketDocument(Thing, tag="bucket", kw_only=True):
    """A bucket with its objects counted by tier and age; the largest alone are named."""

    account_uid: Uid
    n_objects: Count
    used_bytes: Bytes
    age_since: Literal["access", "write"] | None = None
    shares: Annotated[list[BucketShare], msgspec.Meta(max_length=256)] | None = None
    largest: Annotated[list[LargeObject], msgspec.Meta(max_length=50)] | None = None
    project_uid: Uid | None = None
