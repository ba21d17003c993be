"""The small shapes of which resources are made."""

from typing import Any

from standins.demand import KIB, Counts

Resource = dict[str, Any]  # JSON as the published schemas describe it
ROOT = "/redfish/v1"
MAKER = "TernCoast"  # who made the arrays, as their own part of a resource calls them
SETTABLE = ("MinimumIOPS", "MaximumIOPS")  # of a volume
OK = {"State": "Enabled", "Health": "OK"}


def typed(
    kind: str, *, path: str, name: str, identifier: str = "", **facts: Any
) -> Resource:  # Any: JSON
    """Return a resource of a published schema."""
    return {
        "@odata.type": f"#{kind}.{kind.split('.')[0]}",
        "@odata.id": path,
        "Id": identifier or path.rsplit("/", 1)[-1],
        "Name": name,
        **facts,
    }


def link(path: str) -> Resource:
    """Return a link to a resource."""
    return {"@odata.id": path}


def durable(form: str, name: str) -> Resource:
    """Return a durable name."""
    return {"DurableNameFormat": form, "DurableName": name}


def capacity(
    *, allocated: int, consumed: int | None, provisioned: int | None, snapshots: int = 0
) -> Resource:
    """Return the bytes of something, what is unknown left out."""
    known = {
        "AllocatedBytes": allocated,
        "ConsumedBytes": consumed,
        "ProvisionedBytes": provisioned,
    }
    told = {"Data": {name: amount for name, amount in known.items() if amount is not None}}
    return told | ({"Snapshot": {"ConsumedBytes": snapshots}} if snapshots else {})


def io_statistics(counts: Counts) -> Resource:
    """Return reads, writes and the bytes of both, (4,), as counters."""
    reads, writes, read_bytes, written_bytes = counts.tolist()
    return {
        "ReadIORequests": int(reads),
        "WriteIORequests": int(writes),
        "ReadIOKiBytes": int(read_bytes / KIB),
        "WriteIOKiBytes": int(written_bytes / KIB),
    }
