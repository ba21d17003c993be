"""Documents of readings: daily bytes and other measures, five-minute means, counters."""

from datetime import date
from typing import Annotated, Literal

import msgspec

from keelmark.estate.documents.base import MAX_DAYS, MAX_STEPS, Amount, Bytes, Document, Moment, Uid


class ReadingsDocument(Document, tag="readings", kw_only=True):
    """Daily readings of one object from `first_on` on, an element a day, null where unread."""

    uid: Uid
    first_on: date
    used_bytes: Annotated[list[Bytes | None], msgspec.Meta(min_length=1, max_length=MAX_DAYS)]
    provisioned_bytes: list[Bytes | None] | None = None
    capacity_bytes: list[Bytes | None] | None = None
    inside_bytes: list[Bytes | None] | None = None
    unshared_bytes: list[Bytes | None] | None = None


# What is read daily beside the bytes that a thing holds.
MeasureName = Literal[
    "snapshots", "objects_hot", "objects_warm", "objects_cold", "cpu", "memory", "iops",
    "throughput",
]  # fmt: skip


class MeasuresDocument(Document, tag="measures", kw_only=True):
    """Daily amounts of one measure from `first_on` on, an element a day, null where unread.

    Bytes for snapshots, objects and memory; CPUs for cpu; operations a second for iops; bytes
    a second for throughput. The last two tell the level exceeded in a twentieth of the day.
    """

    uid: Uid
    measure: MeasureName
    first_on: date
    amounts: Annotated[list[Bytes | None], msgspec.Meta(min_length=1, max_length=MAX_DAYS)]


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
    read_latency_ms: list[Amount | None] | None = None
    write_latency_ms: list[Amount | None] | None = None


class CountersDocument(Document, tag="counters", kw_only=True):
    """What counters of one object stood at; rates are made of two samples of a source."""

    uid: Uid
    read_at: Moment
    read_ops: Amount | None = None
    write_ops: Amount | None = None
    read_bytes: Amount | None = None
    write_bytes: Amount | None = None
    busy_seconds: Amount | None = None  # summed over operations: latency = busy / operations
    array_seconds: Amount | None = None  # of these, at the array
    network_seconds: Amount | None = None  # on the way
    queue_seconds: Amount | None = None  # in line before it was sent
    qos_seconds: Amount | None = None  # held back by a limit
    read_seconds: Amount | None = None  # of all that, spent on reads
    write_seconds: Amount | None = None
