"""What the hosts of clusters hold for VMs when the largest of them are lost."""

from typing import Final

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import Amounts

VCPUS_A_CORE: Final = 4  # what is promised of a core before VMs wait for one another
HOLDS_NOTHING: Final = frozenset({"maintenance", "faulted"})  # states of hosts


def held_after_losses(
    told: Amounts, *, cluster: Int64s, n_clusters: int, n_lost: int = 1
) -> Float64s:
    """Return what clusters hold of something without their largest hosts.

    Parameters
    ----------
    told : Amounts
        (n_hosts,) of those that hold anything.
    cluster : (n_hosts,) int64
        Row of the cluster of each host, negative where it has none.
    n_clusters : int
    n_lost : int
        How many of the largest hosts of each cluster are lost.

    Returns
    -------
    (n_clusters,) float64
        NaN where a cluster has no host, or one of them did not tell: a sum with an unknown part
        is unknown.
    """
    is_in = cluster >= 0
    rows, amounts = cluster[is_in], told.values[is_in].astype(np.float64)
    n_hosts = np.bincount(rows, minlength=n_clusters)
    n_unknown = np.bincount(rows[~told.is_known[is_in]], minlength=n_clusters)
    # The largest first within each cluster: how many stand before each is its rank.
    order = np.lexsort((-amounts, rows))
    begins = np.concatenate([[0], np.cumsum(n_hosts)])[:-1]
    rank = np.arange(len(order)) - begins[rows[order]]
    stays = order[rank >= n_lost]
    held = np.bincount(rows[stays], weights=amounts[stays], minlength=n_clusters)
    return np.where((n_hosts > 0) & (n_unknown == 0), held, np.nan)
