"""Means of steps as arrays (…, n_parts, n_steps): rates add up, waits are weighted.

The wait of a read is weighted by reads, that of a write by writes, all others by both together.

A part that was not read is NaN; what is not known of one is not known of a sum.
"""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.errors import ShapeError

RATES: Final = ("read_iops", "write_iops", "read_bytes_per_second", "write_bytes_per_second")
LATENCIES: Final = (
    "latency_ms", "array_latency_ms", "network_latency_ms", "queue_latency_ms", "qos_latency_ms",
    "read_latency_ms", "write_latency_ms",
)  # fmt: skip
PARTS: Final = (*RATES, *LATENCIES)
STEPS_A_DAY: Final = 288
N_RATES: Final = len(RATES)
_OF_WAIT: Final = {
    "read_latency_ms": RATES.index("read_iops"), "write_latency_ms": RATES.index("write_iops"),
}  # fmt: skip
Floats = NDArray[np.float32] | NDArray[np.float64]


def operations(steps: Floats) -> Floats:
    """Return reads and writes a second together (…, n_steps), NaN where neither was read.

    Parameters
    ----------
    steps : (…, n_parts, n_steps) float
        Means by part in the order of PARTS.
    """
    reads, writes = steps[..., 0, :], steps[..., 1, :]
    both = np.nan_to_num(reads) + np.nan_to_num(writes)
    told: Floats = np.where(np.isnan(reads) & np.isnan(writes), np.nan, both)
    return told


def busy(done: Floats, *, share: float, least_read: int) -> Float64s:
    """Return what each row exceeds in all but a share of its steps, (n_rows,), NaN unknown.

    Parameters
    ----------
    done : (n_rows, n_steps) float
        NaN where unread.
    share : float
        Of the steps that were read, 0 to 1, that is no busier; between two steps by straight line.
    least_read : int
        Steps, below which a row tells nothing.
    """
    n_read = (~np.isnan(done)).sum(axis=1)
    ordered = np.sort(done, axis=1).astype(np.float64)  # the unread last
    place = np.maximum(n_read - 1, 0) * share
    low = place.astype(np.int64)
    high = np.minimum(low + 1, np.maximum(n_read - 1, 0))
    below, above = (np.take_along_axis(ordered, at[:, None], axis=1)[:, 0] for at in (low, high))
    told: Float64s = np.where(n_read >= least_read, below + (above - below) * (place - low), np.nan)
    return told


def weights_of_waits(steps: Floats) -> Floats:
    """Return by how many operations a second each wait counts (…, n_waits, n_steps), 0 unread."""
    done = np.nan_to_num(operations(steps))
    told: Floats = np.stack(
        [
            np.nan_to_num(steps[..., _OF_WAIT[wait], :]) if wait in _OF_WAIT else done
            for wait in LATENCIES
        ],
        axis=-2,
    )
    return told


def added(steps: Floats, *, of: Int64s, n_groups: int) -> tuple[Floats, Int64s]:
    """Return things added up by group, and how many were read at each step.

    Parameters
    ----------
    steps : (n_things, n_parts, n_steps) float
        Means by part in the order of PARTS.
    of : (n_things,) int64
        To which group a thing belongs.
    n_groups : int
        How many groups there are.

    Returns
    -------
    sums : (n_groups, n_parts, n_steps) float64
        Rates are sums and waits means weighted by operations over those that were read; NaN
        where none was.
    n_read : (n_groups, n_steps) int64
        Of how many things any operations were read at a step: a sum with fewer than the group
        has is of a part of it, which is for the reader to say.

    Raises
    ------
    ShapeError
        When the arrays do not fit.
    """
    if steps.ndim != len("tps") or steps.shape[1] != len(PARTS) or len(of) != len(steps):
        raise ShapeError(argument="steps", wanted="(n_things, n_parts, n_steps)", found=steps.shape)
    order = np.argsort(of, kind="stable")
    groups, begins = np.unique(of[order], return_index=True)
    steps = steps[order]
    is_known = ~np.isnan(steps)
    told = np.where(is_known, steps, 0).astype(np.float64)
    done = operations(steps)
    share = np.where(is_known[:, N_RATES:], weights_of_waits(steps), 0)
    told[:, N_RATES:] *= share
    sums = np.full((n_groups, len(PARTS), steps.shape[2]), np.nan)
    n_read = np.zeros((n_groups, steps.shape[2]), dtype=np.int64)
    if len(groups):
        total = np.add.reduceat(told, begins)
        weights = np.add.reduceat(share, begins)
        with np.errstate(invalid="ignore", divide="ignore"):
            total[:, N_RATES:] /= np.where(weights > 0, weights, np.nan)
        total[np.add.reduceat(is_known, begins, dtype=np.int64) == 0] = np.nan
        sums[groups] = total
        n_read[groups] = np.add.reduceat(~np.isnan(done), begins, dtype=np.int64)
    return sums, n_read


def rolled(steps: Floats, *, width: int) -> tuple[Floats, Floats, Int64s]:
    """Return means over so many steps each, the most operations in one, and how many were read.

    Parameters
    ----------
    steps : (…, n_parts, n_steps) float
        Means by part in the order of PARTS; n_steps is a multiple of the width.
    width : int
        Steps a mean: 12 for an hour, 288 for a day.

    Returns
    -------
    means : (…, n_parts, n_steps / width) float64
        Rates are plain means of what was read; waits are weighted by operations, and plain
        means where there were none.
    peak : (…, n_steps / width) float64
        The most operations a second of a step, NaN where none was read.
    n_read : (…, n_steps / width) int64
        Steps in which anything was read.

    Raises
    ------
    ShapeError
        When the steps cannot be cut in equal parts.
    """
    n_steps = steps.shape[-1]
    if n_steps % width:
        raise ShapeError(argument="steps", wanted=f"a multiple of {width} steps", found=steps.shape)
    cut = steps.reshape(*steps.shape[:-1], n_steps // width, width).astype(np.float64)
    weight = operations(steps).reshape(*steps.shape[:-2], n_steps // width, width)
    means = _mean(cut)
    weights = weights_of_waits(steps)
    weights = weights.reshape(*weights.shape[:-1], n_steps // width, width)
    share = np.where(np.isnan(cut[..., N_RATES:, :, :]), 0, weights)
    total = share.sum(axis=-1)
    waits = (np.nan_to_num(cut[..., N_RATES:, :, :]) * share).sum(axis=-1)
    plain = means[..., N_RATES:, :]
    means[..., N_RATES:, :] = np.where(total > 0, waits / np.where(total > 0, total, 1), plain)
    is_read = ~np.isnan(cut).all(axis=-3)
    peak = np.where(np.isnan(weight), -1.0, weight).max(axis=-1)
    return means, np.where(peak < 0, np.nan, peak), is_read.sum(axis=-1)


def _mean(cut: Floats) -> Floats:
    """The mean of what is known along the last axis, without numpy's warning of nothing."""
    is_known = ~np.isnan(cut)
    n = is_known.sum(axis=-1)
    total = np.where(is_known, cut, 0).sum(axis=-1)
    mean: Floats = np.where(n > 0, total / np.maximum(n, 1), np.nan)
    return mean
