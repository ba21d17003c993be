"""Documents that add to things told of elsewhere: facts, runs, events, completeness."""

from typing import Any, Literal

from keelmark.estate.documents.base import Bytes, Document, Moment, Name, Text, Uid


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


class CompleteDocument(Document, tag="complete", kw_only=True):
    """Says that all of a thing came before: what lies under it and was not named is gone.

    Without `of_uid`, all that its source knows came before.
    """

    of_uid: Uid | None = None
    array_uid: Uid | None = None  # version 0's name of of_uid
    read_at: Moment | None = None
