"""What would be left if some volumes failed."""

import numpy as np

from keelmark.core.arrays import Bools, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading


def copied_elsewhere(reading: Reading, *, failing: Bools) -> tuple[Bools, int | None]:
    """Return which disks are still somewhere if volumes fail.

    Parameters
    ----------
    failing : (n_volumes,) bool
        The volumes that would be gone.

    Returns
    -------
    (n_disks,) bool, int or None
        A disk is still there if every failing volume under its datastore has a copy that does
        not fail with it; and the day, counted from 1970, of the oldest of these copies, None
        where nobody told of any. A disk whose datastore or volume nobody knows has no copy.
    """
    table = reading.estate.table("volume")
    has_copy = ~failing
    pairs = reading.estate.pairs.get("replicas")
    if pairs is not None and len(pairs):
        has_copy[pairs.left[~failing[pairs.right]]] = True
    stores = np.zeros(len(reading.estate.table("datastore")), dtype=np.bool_)
    lost = stores.copy()
    extents = reading.estate.pairs.get("extents")
    if extents is not None:
        stores[extents.left] = True
        lost[extents.left[~has_copy[extents.right]]] = True
    kept = np.append(stores & ~lost, False)  # the last stands for nowhere, −1
    at = reading.store_of_disk
    copied = table.amounts("copied")
    counted = failing & has_copy & copied.is_known
    oldest = int(copied.values[counted].min()) if counted.any() else None
    is_kept: Bools = np.where(at == NOWHERE, False, kept[at])
    return is_kept, oldest


def pools_of_copies(reading: Reading, *, failing: Bools) -> tuple[Int64s, Int64s]:
    """Return the pools that would carry on if some volumes failed, and how many copies in each.

    Parameters
    ----------
    failing : (n_volumes,) bool
        The volumes that would be gone.

    Returns
    -------
    (n_pools_of_copies,) int64 twice
        Rows of the pools in which copies lie that do not fail, and the volumes copied there.
        What is written to a copy now is what is written to its original, so none of them fills
        sooner for it; but from then on they alone hold it.
    """
    pairs = reading.estate.pairs.get("replicas")
    if pairs is None or not len(pairs):
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64)
    is_left = failing[pairs.left] & ~failing[pairs.right]
    at = reading.link("volume", "pool")[pairs.right[is_left]]
    pools, n_copies = np.unique(at[at != NOWHERE], return_counts=True)
    return pools, n_copies
