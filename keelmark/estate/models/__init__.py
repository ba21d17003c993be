"""What is inventoried, who said it, and what joining found."""

from keelmark.estate.models.compute import (
    Account,
    Bucket,
    Cluster,
    Datastore,
    Extent,
    File,
    Host,
    HostDevice,
    Project,
    Sight,
    Snapshot,
    Tenant,
    VirtualDisk,
    VirtualMachine,
)
from keelmark.estate.models.entity import (
    MAX_NAME,
    Entity,
    Kind,
    KindTable,
    MarksMixin,
    ReadTable,
    ServiceClass,
    Site,
)
from keelmark.estate.models.joining import (
    Alias,
    Event,
    Finding,
    FindingKind,
    LooseEnd,
    ProtectionRun,
    Protocol,
    Source,
    Statement,
)
from keelmark.estate.models.notes import Note
from keelmark.estate.models.reservations import Allotment, DrawnVolume, Reservation
from keelmark.estate.models.storage import (
    Array,
    Drive,
    Link,
    Mapping,
    Pool,
    PoolBacking,
    Port,
    Replica,
    Shelf,
    Volume,
)

__all__ = [
    "MAX_NAME", "Account", "Alias", "Allotment", "Array", "Bucket", "Cluster", "Datastore",
    "DrawnVolume", "Drive", "Entity", "Event", "Extent", "File", "Finding", "FindingKind",
    "Host", "HostDevice", "Kind", "KindTable", "Link", "LooseEnd", "Mapping", "MarksMixin",
    "Note", "Pool", "PoolBacking", "Port", "Project", "ProtectionRun", "Protocol", "ReadTable",
    "Replica", "Reservation", "ServiceClass", "Shelf", "Sight", "Site", "Snapshot", "Source",
    "Statement", "Tenant", "VirtualDisk", "VirtualMachine", "Volume",
]  # fmt: skip
