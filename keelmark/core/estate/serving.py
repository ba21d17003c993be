"""Which clusters a datastore serves: its own, and every one whose hosts all see it."""

import numpy as np

from keelmark.core.arrays import Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading


def served(reading: Reading) -> tuple[Int64s, Int64s]:
    """Return datastores that are there beside the clusters that they serve, by both.

    A VM may run on any host of its cluster: a datastore that some of them do not see is no place
    for it, unless it is told as the cluster's own.

    Returns
    -------
    (n_served,) int64, (n_served,) int64
        Rows of datastores and of clusters, each two once.
    """
    is_there, n = reading.is_there["datastore"], len(reading.estate.table("cluster"))
    own = reading.link("datastore", "cluster")
    rows = np.flatnonzero(is_there & (own != NOWHERE))
    both = np.sort(np.append(rows * n + own[rows], _seen_by_all(reading, n_clusters=n)))
    both = both[np.diff(both, prepend=-1) > 0]
    return (both // n, both % n) if n else (both, both)


def _seen_by_all(reading: Reading, *, n_clusters: int) -> Int64s:
    """Datastore and cluster as one number, where every host of the one sees the other."""
    pairs = reading.estate.pairs.get("seen_by")
    if pairs is None or not len(pairs):
        return np.zeros(0, dtype=np.int64)
    cluster_of = np.where(reading.is_there["host"], reading.link("host", "cluster"), NOWHERE)
    n_hosts = np.bincount(cluster_of[cluster_of != NOWHERE], minlength=n_clusters)
    cluster = cluster_of[pairs.right]
    is_told = (cluster != NOWHERE) & reading.is_there["datastore"][pairs.left]
    both = (pairs.left * n_clusters + cluster)[is_told]
    told, n_seeing = np.unique(both, return_counts=True)
    all_see: Int64s = told[n_seeing == n_hosts[told % n_clusters]]
    return all_see
