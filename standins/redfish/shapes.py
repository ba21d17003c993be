"""The small shapes of which resources are made."""

import math
from typing import Any

Resource = dict[str, Any]  # JSON as the published schemas describe it
ROOT = "/redfish/v1"
BASE_IOPS = 220
SWING_OPS = 3_000_000  # between night and day
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


def io_statistics(day: float, *, weight: float) -> Resource:
    """Return counters since the beginning of the history, busier by day than by night."""
    seconds = day * 86_400
    swing = SWING_OPS * (1 - math.cos(2 * math.pi * day))
    busy = weight * (seconds * BASE_IOPS + swing)
    return {
        "ReadIORequests": int(busy * 0.7),
        "WriteIORequests": int(busy * 0.3),
        "ReadIOKiBytes": int(busy * 0.7 * 16),
        "WriteIOKiBytes": int(busy * 0.3 * 24),
    }
