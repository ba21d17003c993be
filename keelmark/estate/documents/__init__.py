"""Estate documents: what every feed yields and every estate file holds, version 1.

A field that ends in ``_uid`` points at another thing. Where it is required, that thing must
be told of first; where it may be missing, it may also be told of later and is joined then.
"""

import re
from collections.abc import Sequence

import msgspec

from keelmark.estate.documents.base import (
    VERSION,
    Document,
    Header,
    Thing,
)
from keelmark.estate.documents.compute import (
    ClusterDocument,
    DatastoreDocument,
    FileDocument,
    GuestFileSystem,
    HostDeviceDocument,
    HostDocument,
    SnapshotDocument,
    VirtualDiskDocument,
    VirtualMachineDocument,
)
from keelmark.estate.documents.consumers import (
    AccountDocument,
    BucketDocument,
    BucketShare,
    LargeObject,
    ProjectDocument,
    TenantDocument,
)
from keelmark.estate.documents.readings import (
    CountersDocument,
    MeasuresDocument,
    PerformanceDocument,
    ReadingsDocument,
)
from keelmark.estate.documents.storage import (
    ArrayDocument,
    Backing,
    DriveDocument,
    PoolDocument,
    PortDocument,
    ShelfDocument,
    VolumeDocument,
)
from keelmark.estate.documents.told import (
    AboutDocument,
    CompleteDocument,
    EventDocument,
    ProtectionDocument,
)

__all__ = [
    "VERSION",
    "AboutDocument",
    "AccountDocument",
    "AnyDocument",
    "ArrayDocument",
    "Backing",
    "BucketDocument",
    "BucketShare",
    "ClusterDocument",
    "CompleteDocument",
    "CountersDocument",
    "DatastoreDocument",
    "Document",
    "Documents",
    "DriveDocument",
    "EventDocument",
    "FileDocument",
    "GuestFileSystem",
    "Header",
    "HostDeviceDocument",
    "HostDocument",
    "InventoryDocument",
    "LargeObject",
    "MeasuresDocument",
    "PerformanceDocument",
    "PoolDocument",
    "PortDocument",
    "ProjectDocument",
    "ProtectionDocument",
    "ReadingsDocument",
    "RecordDocument",
    "ShelfDocument",
    "SnapshotDocument",
    "TenantDocument",
    "Thing",
    "VirtualDiskDocument",
    "VirtualMachineDocument",
    "VolumeDocument",
    "decoder",
    "from_line",
    "published_schema",
    "to_line",
]

InventoryDocument = (
    TenantDocument | ProjectDocument | ArrayDocument | ClusterDocument | HostDocument
    | PortDocument | ShelfDocument | PoolDocument | VolumeDocument | DriveDocument
    | HostDeviceDocument | DatastoreDocument | VirtualMachineDocument | VirtualDiskDocument
    | SnapshotDocument | FileDocument | AccountDocument | BucketDocument
)  # fmt: skip
RecordDocument = ProtectionDocument | EventDocument
AnyDocument = (
    Header | InventoryDocument | AboutDocument | RecordDocument | ReadingsDocument
    | MeasuresDocument | PerformanceDocument | CountersDocument | CompleteDocument
)  # fmt: skip
Documents = Sequence[AnyDocument]

decoder: msgspec.json.Decoder[AnyDocument] = msgspec.json.Decoder(AnyDocument)
# Fields that version 1 called otherwise at first; files of then are read as they are.
_BEFORE = {b"guest_written_bytes": b"inside_bytes", b"exclusive_bytes": b"unshared_bytes"}
_FIELD_BEFORE = re.compile(rb'"(guest_written_bytes|exclusive_bytes)"(\s*:)')


def from_line(line: bytes) -> AnyDocument:
    """Return the document of a line; raise msgspec's errors and UnicodeDecodeError."""
    if any(name in line for name in _BEFORE):
        line = _FIELD_BEFORE.sub(lambda found: b'"%s"%s' % (_BEFORE[found[1]], found[2]), line)
    return decoder.decode(line)


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
