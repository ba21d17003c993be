"""Berths of every cluster at a reading: how many more reference VMs, and what runs out first."""

from collections.abc import Sequence
from typing import Final

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import maximum_flow

from keelmark.core.arrays import Bools, Int64s
from keelmark.core.berths import Berths, ReferenceVm, Room, berths_free
from keelmark.core.estate.reading import Reading
from keelmark.core.estate.serving import served
from keelmark.core.placement.of_estate import clusters_of
from keelmark.core.units import percent_of

DISKS: Final = "disk_bytes"
MOST_FLOW: Final = 2**31 - 1  # what is counted in 32 bits


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
                Room(resource=DISKS, free=spaces[row]),
            ],
            reference=reference,
        )
        for row in range(len(spaces))
    ]


def _part(left: float | np.float64) -> tuple[int, ...] | None:
    return None if np.isnan(left) else (int(left),)


def berths_together(
    reading: Reading, told: Sequence[Berths], *, of: Int64s, reference: ReferenceVm
) -> int | None:  # fmt: skip
    """Return how many berths some clusters have at once: what they share is counted once.

    Parameters
    ----------
    reading : Reading
        At a day.
    told : sequence of Berths
        Of each cluster by itself, as :func:`berths_at` returns them, by the same reading.
    of : (n_asked,) int64
        Rows of clusters, ascending; those of which nothing is known count for nothing.
    reference : ReferenceVm
        What one berth takes.

    Returns
    -------
    int
        The greatest flow from the hosts of clusters to the datastores that serve them; None where
        nothing is known of any.
    """
    known: dict[int, int] = {
        row: n for row in of.tolist() if (n := told[row].n_free) is not None
    }  # fmt: skip
    if not known:
        return None
    stores, clusters = served(reading)
    is_in = np.isin(clusters, list(known)) & _is_read(reading)[stores]
    stores, clusters = stores[is_in], clusters[is_in]
    if len(np.unique(stores)) == len(stores) or reference.disk_bytes == 0:
        return sum(known.values())
    rows, at = np.unique(stores, return_inverse=True)
    begins, ends = list(known), np.maximum(_left(reading)[rows], 0) // reference.disk_bytes
    n = len(begins)
    source, sink = n + len(rows), n + len(rows) + 1
    hosts = [_of_hosts(told[row]) for row in begins]
    most = MOST_FLOW // (n + len(rows))
    edges = [
        *((source, one, most if cap is None else cap) for one, cap in enumerate(hosts)),
        *((begin, n + one, most) for begin, one in zip(
            np.searchsorted(begins, clusters).tolist(), at.tolist(), strict=True)),
        *((n + one, sink, cap) for one, cap in enumerate(ends.tolist())),
    ]  # fmt: skip
    tails, heads, caps = np.array(edges, dtype=np.int64).T
    graph = csr_array((np.minimum(caps, most).astype(np.int32), (tails, heads)), (sink + 1,) * 2)
    return int(maximum_flow(graph, source, sink).flow_value)


def _of_hosts(told: Berths) -> int | None:
    """What the hosts of a cluster have room for, without regard to disks."""
    some = [n for name, n in told.by_resource.items() if name != DISKS and n is not None]
    return min(some, default=None)


def _spaces(reading: Reading, *, n: int) -> list[tuple[int, ...] | None]:
    """What each datastore that serves a cluster has below its limit mark."""
    left, is_read = _left(reading), _is_read(reading)
    told: list[list[int]] = [[] for _ in range(n)]
    for store, cluster in zip(*(one.tolist() for one in served(reading)), strict=True):
        if is_read[store]:
            told[cluster].append(int(left[store]))
    return [tuple(one) or None for one in told]


def _left(reading: Reading) -> Int64s:
    books, marks = reading.books["datastore"], reading.estate.marks["datastore"]
    return percent_of(books.size.values, marks.limit_percent) - books.used.values


def _is_read(reading: Reading) -> Bools:
    books = reading.books["datastore"]
    return books.size.is_known & books.used.is_known
