"""Whether what must move would find room: the largest first, each where most is left."""

import heapq

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.errors import ShapeError
from keelmark.core.estate.columns import NOWHERE


def least_seconds(
    sizes: Int64s, *, source: Int64s, target: Int64s, spare: Float64s
) -> float | None:
    """Return for how long what moves keeps the busiest array busy, as fast as arrays have left.

    Parameters
    ----------
    sizes : (n,) int64
        Bytes.
    source, target : (n,) int64
        The array from which each is read and to which it is written; one that stays on its array
        is read and written there.
    spare : (n_arrays,) float64
        Bytes a second that each sustains beyond what it does, NaN where unknown.

    Returns
    -------
    float or None
        At least so many seconds; inf where an array has nothing left, None where one is unknown.
    """
    ends = np.concatenate([source, target])
    if len(sizes) == 0 or (ends == NOWHERE).any():
        return None
    moved = np.bincount(ends, weights=np.tile(sizes, 2), minlength=len(spare))
    busy = moved > 0
    if np.isnan(spare[busy]).any():
        return None
    with np.errstate(divide="ignore"):
        return float((moved[busy] / np.maximum(spare[busy], 0)).max(initial=0.0))


def fitted(
    sizes: Int64s, *, iops: Float64s, room_bytes: Int64s, array: Int64s, room_iops: Float64s
) -> Int64s:
    """Return the pool that each thing would go to, NOWHERE where none has room any more.

    Parameters
    ----------
    sizes : (n,) int64
        Bytes.
    iops : (n,) float64
        Operations a second, NaN where unread: such ask for none.
    room_bytes : (n_pools,) int64
        What may still be promised in each.
    array : (n_pools,) int64
        The row of the array of each pool, NOWHERE where it has none.
    room_iops : (n_arrays,) float64
        What each array sustains beyond what it does, NaN where unknown: that is no bound.

    Returns
    -------
    (n,) int64
        One after another, the largest first, each into the pool with the most room whose array has
        operations left. Where that finds no room a better order might; it never puts more
        anywhere than there is room for.

    Raises
    ------
    ShapeError
        When the columns do not fit each other.
    """
    if iops.shape != sizes.shape:
        raise ShapeError(argument="iops", wanted=str(sizes.shape), found=iops.shape)
    if array.shape != room_bytes.shape:
        raise ShapeError(argument="array", wanted=str(room_bytes.shape), found=array.shape)
    told = np.full(len(sizes), NOWHERE, dtype=np.int64)
    asks = np.nan_to_num(iops)
    left = [*np.nan_to_num(room_iops, nan=np.inf).tolist(), np.inf]
    heap = [(-room, pool) for pool, room in enumerate(room_bytes.tolist()) if room > 0]
    heapq.heapify(heap)
    for row in np.argsort(-sizes, kind="stable").tolist():
        size, ask, passed = int(sizes[row]), float(asks[row]), []
        while heap and -heap[0][0] >= size:
            room, pool = heapq.heappop(heap)
            if ask <= left[array[pool]]:
                left[array[pool]] -= ask
                told[row] = pool
                passed.append((room + size, pool))
                break
            passed.append((room, pool))
        for one in passed:
            heapq.heappush(heap, one)
    return told
