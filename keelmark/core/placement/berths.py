"""Berths of every cluster at a reading: how many more reference VMs, and what runs out first."""

import numpy as np

from keelmark.core.berths import Berths, ReferenceVm, Room, berths_free
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading
from keelmark.core.placement.of_estate import clusters_of
from keelmark.core.units import percent_of


def berths_at(reading: Reading, *, reference: ReferenceVm, n_host_losses: int = 1) -> list[Berths]:
    """Return the berths of each cluster, (n_clusters,).

    Parameters
    ----------
    reading : Reading
        At a day: datastores as they are then; what VMs ask of hosts does not grow.
    reference : ReferenceVm
        What one berth takes.
    n_host_losses : int
        How many hosts of each cluster must be able to fail.
    """
    left = clusters_of(reading, n_host_losses=n_host_losses)
    spaces = _spaces(reading, n=len(left.cpus_left))
    return [
        berths_free(
            [
                Room(resource="n_cpus", free=_part(left.cpus_left[row])),
                Room(resource="memory_bytes", free=_part(left.memory_left[row])),
                Room(resource="disk_bytes", free=spaces[row]),
            ],
            reference=reference,
        )
        for row in range(len(spaces))
    ]


def _part(left: float | np.float64) -> tuple[int, ...] | None:
    return None if np.isnan(left) else (int(left),)


def _spaces(reading: Reading, *, n: int) -> list[tuple[int, ...] | None]:
    """What each datastore of each cluster has below its limit mark."""
    books, marks = reading.books["datastore"], reading.estate.marks["datastore"]
    left = percent_of(books.size.values, marks.limit_percent) - books.used.values
    is_in = reading.is_there["datastore"] & books.size.is_known & books.used.is_known
    cluster = np.where(is_in, reading.link("datastore", "cluster"), NOWHERE)
    told: list[list[int]] = [[] for _ in range(n)]
    for row in np.flatnonzero(cluster != NOWHERE).tolist():
        told[int(cluster[row])].append(int(left[row]))
    return [tuple(one) or None for one in told]
