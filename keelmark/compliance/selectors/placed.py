"""When subjects came to lie where they lie: what moved lately settles before it is judged."""

from datetime import timedelta

import numpy as np

from keelmark.access.clock import now
from keelmark.compliance.selectors.definitions import MINUTE_SECONDS
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading, When
from keelmark.estate.models import Event, Kind


def placed_at(reading: Reading, *, kind: str, within: timedelta) -> Float64s:
    """Return the minute in which subjects of a kind came to their place, (n,).

    NaN where that is longer ago or nobody saw it. A disk comes to another place with its
    datastore, and that with its volumes; a VM with its disks. To run on another host is no other
    place of its bytes.
    """
    n = len(reading.estate.table(kind))
    moved = _moved(within=within) if reading.when is When.NOW else {}
    if not moved:
        return np.full(n, np.nan)
    volumes = _of(reading, "volume", moved)
    if kind == "volume":
        return volumes
    stores: Float64s = np.full(len(reading.estate.table("datastore")) + 1, np.nan)
    pairs = reading.estate.pairs.get("extents")
    if pairs is not None:
        np.fmax.at(stores, pairs.left, np.append(volumes, np.nan)[pairs.right])
    if kind == "datastore":
        return stores[:-1]
    disks: Float64s = np.fmax(
        _of(reading, "disk", moved), stores[reading.link("disk", "datastore")]
    )
    if kind == "disk":
        return disks
    vms: Float64s = np.full(n + 1, np.nan)
    there = np.where(reading.is_there["disk"], reading.link("disk", "vm"), NOWHERE)
    np.fmax.at(vms, there, disks)
    return vms[:-1]


def _moved(*, within: timedelta) -> dict[int, float]:
    """The last minute in which each disk and volume was seen to move."""
    events = Event.objects.filter(
        what="moved", at__gte=now() - within, of__kind__in=[Kind.DISK, Kind.VOLUME]
    )
    told: dict[int, float] = {}
    for pk, at in events.order_by("at").values_list("of_id", "at"):
        told[pk] = float(at.timestamp() // MINUTE_SECONDS)
    return told


def _of(reading: Reading, kind: str, moved: dict[int, float]) -> Float64s:
    table = reading.estate.table(kind)
    told = np.full(len(table), np.nan)
    rows: Int64s = table.rows_of(np.array(list(moved), dtype=np.int64))
    is_of = rows != NOWHERE
    told[rows[is_of]] = np.array(list(moved.values()))[is_of]
    return told
