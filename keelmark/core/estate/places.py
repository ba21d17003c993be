"""On which place of each kind a disk lies, where that is one alone."""

from itertools import pairwise

import numpy as np

from keelmark.core.arrays import Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading

ABOVE = ("volume", "pool", "array", "site")  # each leads to the next


def places_of_disks(reading: Reading, *, kind: str) -> Int64s:
    """Return the row of a kind of place that each disk lies on, (n_disks,).

    Parameters
    ----------
    reading : Reading
        Disks lie where they lay on its day.
    kind : str
        ``datastore``, ``volume``, ``pool``, ``array`` or ``site``.

    Returns
    -------
    (n_disks,) int64
        NOWHERE where nobody tells, or where its datastore lies on several of the kind: which of
        them holds a disk's bytes is not told by anyone.
    """
    store = reading.link("disk", "datastore")
    if kind == "datastore":
        return store
    n_stores = len(reading.estate.table("datastore"))
    pairs = reading.estate.pairs.get("extents")
    if pairs is None or n_stores == 0:
        return np.full(len(store), NOWHERE, dtype=np.int64)
    at = pairs.right
    for lower, upper in pairwise(ABOVE):
        if lower == kind:
            break
        at = _up(at, links=reading.link(lower, upper))
    least = np.full(n_stores, np.iinfo(np.int64).max)
    most = np.full(n_stores, NOWHERE, dtype=np.int64)
    np.minimum.at(least, pairs.left, at)
    np.maximum.at(most, pairs.left, at)
    only = np.where(least == most, most, NOWHERE)
    return _up(store, links=only)


def _up(rows: Int64s, *, links: Int64s) -> Int64s:
    if len(links) == 0:
        return np.full(len(rows), NOWHERE, dtype=np.int64)
    told: Int64s = np.where(rows == NOWHERE, NOWHERE, links[rows])
    return told
