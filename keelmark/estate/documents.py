"""Estate documents: what every feed yields and every estate file holds, version 0."""

from collections.abc import Sequence
from datetime import date, datetime
from typing import Annotated, Literal

import msgspec

VERSION = 0
# The top of an int64, which a bound of ours could not name: larger numbers do not decode.
Bytes = Annotated[int, msgspec.Meta(ge=0, le=2**63 - 1, description="exact bytes")]
Uid = Annotated[
    str,
    msgspec.Meta(
        pattern=r"^(serial|uuid|naa|eui|nguid)\.[A-Za-z0-9._:-]+$",
        max_length=200,
        description="worldwide name, UUID or serial with its kind before the dot",
    ),
]
Name = Annotated[str, msgspec.Meta(min_length=1, max_length=200)]
Moment = Annotated[datetime, msgspec.Meta(tz=True, description="ISO 8601 with its offset")]


class Document(
    msgspec.Struct, tag_field="doc", forbid_unknown_fields=True, omit_defaults=True, kw_only=True
):
    """One line of an estate file."""


class Header(Document, tag="header"):
    """First line: what the file is."""

    format: Literal["keelmark-estate"]
    version: Literal[0]
    source: Name


class ArrayDocument(Document, tag="array"):
    """A storage system."""

    uid: Uid
    name: Name
    read_at: Moment
    site: Name | None = None
    model: str | None = None
    n_ports: Annotated[int, msgspec.Meta(ge=0, le=100_000)] | None = None


class PoolDocument(Document, tag="pool"):
    """A pool with its books at one moment; used counts what is written."""

    uid: Uid
    array_uid: Uid
    name: Name
    usable_bytes: Bytes
    used_bytes: Bytes
    read_at: Moment
    provisioned_bytes: Bytes | None = None
    logical_written_bytes: Bytes | None = None
    service_class: Name | None = None


class VolumeDocument(Document, tag="volume"):
    """A volume; `written_bytes` is missing where the source gave nothing usable."""

    uid: Uid
    pool_uid: Uid
    name: Name
    size_bytes: Bytes
    read_at: Moment
    written_bytes: Bytes | None = None
    provisioning: Literal["thin", "thick"] | None = None
    is_mapped: bool | None = None


class DriveDocument(Document, tag="drive"):
    """A drive and its role."""

    uid: Uid
    array_uid: Uid
    name: Name
    capacity_bytes: Bytes
    role: Literal["pooled", "unpooled", "spare", "system", "failed"]
    read_at: Moment
    pool_uid: Uid | None = None
    media: Literal["ssd", "hdd"] | None = None


class ReadingsDocument(Document, tag="readings"):
    """Daily readings of one object from `first_on` on, an element a day, null where unread."""

    uid: Uid
    first_on: date
    used_bytes: Annotated[list[Bytes | None], msgspec.Meta(min_length=1, max_length=40_000)]
    provisioned_bytes: list[Bytes | None] | None = None
    capacity_bytes: list[Bytes | None] | None = None


class CompleteDocument(Document, tag="complete"):
    """Says that everything of one array came before: what was not named is gone."""

    array_uid: Uid


AnyDocument = (
    Header
    | ArrayDocument
    | PoolDocument
    | VolumeDocument
    | DriveDocument
    | ReadingsDocument
    | CompleteDocument
)
InventoryDocument = ArrayDocument | PoolDocument | VolumeDocument | DriveDocument
Documents = Sequence[AnyDocument]

decoder: msgspec.json.Decoder[AnyDocument] = msgspec.json.Decoder(AnyDocument)


def to_line(document: AnyDocument) -> bytes:
    """Return the document as one line of NDJSON, without its line end."""
    return msgspec.json.encode(document)


def published_schema() -> dict[str, object]:
    """Return the JSON Schema of one line, as docs/estate-file-v0.schema.json holds it."""
    schema = msgspec.json.schema(AnyDocument)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Keel Mark estate file, version 0: one line",
        **schema,
    }
