"""QoS tiers: what each promises, what is wrong with one, and what places must offer for all."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import ShapeError
from keelmark.core.estate.columns import NOWHERE

DEFAULT_BURST: Final = 2.0
MOST_BURST: Final = 10.0
MOST_IOPS: Final = 100_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Tier:
    """What a tier promises, to each of its disks or to all of them together.

    The burst factor is by how much an instant may pass the maximum while the five-minute mean
    keeps it; means of five minutes show none of it.
    """

    name: str
    min_iops: int
    max_iops: int
    burst: float = DEFAULT_BURST
    max_bytes_per_second: int | None = None
    latency_ms: float | None = None
    is_together: bool = False


@dataclass(frozen=True, slots=True)
class TierFault:
    """What is wrong with one field of a tier, and what would be right."""

    field: str
    why: str


def faults_of(tier: Tier) -> Iterator[TierFault]:
    """Yield what is wrong with a tier."""
    if tier.min_iops < 0:
        yield TierFault("min_iops", "0 or more")
    if not 0 < tier.max_iops <= MOST_IOPS:
        yield TierFault("max_iops", f"1 to {MOST_IOPS:,}: without a maximum no tier is needed")
    elif tier.min_iops > tier.max_iops:
        yield TierFault(
            "min_iops", f"the minimum is above the maximum of {tier.max_iops:,}; lower it"
        )
    if not 1 <= tier.burst <= MOST_BURST:
        yield TierFault("burst", f"1 (none) to {MOST_BURST:g}")
    if tier.max_bytes_per_second is not None and tier.max_bytes_per_second <= 0:
        yield TierFault("max_bytes_per_second", "more than 0, or none")
    if tier.latency_ms is not None and not tier.latency_ms > 0:
        yield TierFault("latency_ms", "more than 0, or none")


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Offer:
    """What places must offer for the disks that lie on them, (n_places,) float64.

    ``n_disks`` have a tier; a place without any must offer nothing.
    """

    min_iops: Float64s
    max_iops: Float64s
    n_disks: Int64s


def offer(tiers: list[Tier], *, tier: Int64s, place: Int64s, n_places: int) -> Offer:
    """Return what each place must offer: the sums over its disks.

    Parameters
    ----------
    tiers : list of Tier
    tier, place : (n_disks,) int64
        Places in the tiers and rows of what disks lie on, NOWHERE where there is none.
    n_places : int
        How many places there are.

    Notes
    -----
    A tier of disks together counts once a place: all that it promises may be asked for there.
    """
    if tier.shape != place.shape:
        raise ShapeError(argument="place", wanted=str(tier.shape), found=place.shape)
    has = (tier != NOWHERE) & (place != NOWHERE)
    of, at = tier[has], place[has]
    n_disks = np.bincount(at, minlength=n_places)
    is_together = np.array([one.is_together for one in tiers], dtype=np.bool_)
    lowest = np.array([one.min_iops for one in tiers], dtype=np.float64)
    highest = np.array([one.max_iops for one in tiers], dtype=np.float64)
    shared = is_together[of] if len(tiers) else np.zeros(0, dtype=np.bool_)
    pairs = np.unique(np.stack([at[shared], of[shared]]), axis=1)
    where = np.concatenate([at[~shared], pairs[0]])
    what = np.concatenate([of[~shared], pairs[1]])
    return Offer(
        min_iops=_summed(where, lowest, what, n=n_places),
        max_iops=_summed(where, highest, what, n=n_places),
        n_disks=n_disks.astype(np.int64),
    )


def _summed(where: Int64s, amounts: Float64s, what: Int64s, *, n: int) -> Float64s:
    weights = amounts[what] if len(amounts) else np.zeros(0)
    total: Float64s = np.bincount(where, weights=weights, minlength=n).astype(np.float64)
    return total


def shares_of_minimum(wanted: Float64s, *, place: Int64s, configured: Float64s) -> Float64s:
    """Return what each disk really has of the minimum that its place is set to, in proportion.

    Parameters
    ----------
    wanted : (n_disks,) float64
        The minimum that each is promised, NaN or 0 where none.
    place : (n_disks,) int64
        Row of its place, NOWHERE where there is none.
    configured : (n_places,) float64
        The minimum that each place is set to, NaN where nobody tells: then each has its own.
    """
    plain = np.nan_to_num(wanted)
    is_at = place != NOWHERE
    total = np.bincount(place[is_at], weights=plain[is_at], minlength=len(configured))
    with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
        share = np.minimum(configured / total, 1.0)
    share = np.where(np.isnan(share), 1.0, share)
    told: Float64s = plain * np.append(share, 1.0)[place]
    return told


BOUND_BY: Final = ("tier", "disk", "volume", "pool", "none")


def effective(limits: list[Float64s]) -> tuple[Float64s, Int64s]:
    """Return the least of the limits that bear on each disk, and which of them it is.

    Parameters
    ----------
    limits : list of (n_disks,) float64
        In the order of BOUND_BY; NaN where there is none.

    Returns
    -------
    least : (n_disks,) float64
        NaN where there is none at all.
    by : (n_disks,) int64
        Place in BOUND_BY; of equals the first.
    """
    stack = np.stack([np.where(np.isnan(one), np.inf, one) for one in limits])
    least = stack.min(axis=0)
    by = np.where(np.isinf(least), BOUND_BY.index("none"), stack.argmin(axis=0))
    return np.where(np.isinf(least), np.nan, least), by.astype(np.int64)


def is_oversold(minimum: Float64s, *, sustains: Float64s) -> Bools:
    """Return which places promise more in minimums than they sustain; unknown is not oversold."""
    with np.errstate(invalid="ignore"):
        told = minimum > sustains
    return np.asarray(told, dtype=np.bool_)
