"""Objects asked about: which buckets take them, in which tier, as far as quotas of accounts go."""

from dataclasses import dataclass, field

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError
from keelmark.core.estate.kinds import OBJECT_TIERS
from keelmark.core.forecast import runway
from keelmark.core.placement.ground import SpaceColumns, space_left
from keelmark.core.placement.ranking import Remains, Weights, scores
from keelmark.core.prices import NO_PRICES, Prices
from keelmark.core.units import MAX_BYTES, TIB


@dataclass(frozen=True, slots=True, kw_only=True)
class ObjectsAsked:
    """Objects that are to be held: bytes at first, growth, and from which to which day.

    Raises
    ------
    RangeError
        If nothing is asked for, or a day is out of order.
    """

    first_bytes: int
    last_day: int
    growth_bytes_per_day: int = 0
    first_day: int = 1
    tiers: frozenset[str] = frozenset(OBJECT_TIERS)

    def __post_init__(self) -> None:
        """Refuse what cannot be asked for."""
        if not 0 < self.first_bytes <= MAX_BYTES:
            raise RangeError(argument="first_bytes", found=self.first_bytes, wanted="1 to 8 EiB")
        if not 0 <= self.growth_bytes_per_day <= MAX_BYTES:
            raise RangeError(argument="growth", found=self.growth_bytes_per_day, wanted="0 or more")
        if not 1 <= self.first_day <= self.last_day:
            raise RangeError(
                argument="first_day", found=self.first_day, wanted="a day up to the last one"
            )
        if not self.tiers or not self.tiers <= set(OBJECT_TIERS):
            raise RangeError(
                argument="tiers", found=", ".join(sorted(self.tiers)) or "none",
                wanted=f"some of {', '.join(OBJECT_TIERS)}",
            )  # fmt: skip

    def held_on(self, days: Int64s) -> Float64s:
        """Return what is held on some days from today, nothing before the first."""
        since = days - self.first_day
        told: Float64s = np.where(
            since >= 0, self.first_bytes + since * float(self.growth_bytes_per_day), 0.0
        )
        return told


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class ObjectGround:
    """Buckets (n_buckets,) and the accounts (n_accounts,) whose quotas end them.

    ``accounts`` are limited by their limit mark of their quota; ``has_quota`` says which have one.
    ``bucket`` are rows of buckets that are there, ``account`` of each, NOWHERE where none is told.
    """

    bucket: Int64s
    account: Int64s
    accounts: SpaceColumns
    has_quota: Bools
    quota_bytes: Int64s
    prices: Prices = field(default=NO_PRICES)


@dataclass(frozen=True, slots=True, kw_only=True)
class ObjectCandidate:
    """A bucket and a tier of it: ``rank`` from 1 where it takes all, None where it does not.

    ``quota_bytes`` is by how much the quota is cleared (≥ 0) or missed, None where the account has
    none; ``is_judged`` is False where its future is not known. ``early_days`` is its account's
    runway with all of it, None where nothing ends it; ``cost_a_month`` by the last day.
    """

    bucket: int
    tier: str
    rank: int | None
    has_quota: bool
    is_judged: bool
    quota_bytes: float | None
    early_days: float | None
    cost_a_month: float | None


def answer_objects(
    ground: ObjectGround, asked: ObjectsAsked, *, weights: Weights, horizon_days: int
) -> list[ObjectCandidate]:
    """Return the buckets and tiers that may hold objects, the best first, then those that do not.

    Notes
    -----
    A quota is cleared by first passage on the bad case, as a pool's limit mark is; a bucket whose
    account has no quota is ended by nothing that anybody tells.
    """
    last = float(asked.held_on(np.array([asked.last_day]))[0])
    left = space_left(ground.accounts, until_day=asked.last_day, horizon_days=horizon_days)
    early = _early_with(ground, asked, horizon_days=horizon_days)
    has_quota = np.append(ground.has_quota, False)[ground.account]

    def of_account(told: Float64s, otherwise: float) -> Float64s:
        """What holds for each bucket: of its account, or where no quota ends it."""
        return np.where(has_quota, np.append(told, np.nan)[ground.account], otherwise)

    margin = of_account(left, np.inf) - last
    days = of_account(early, np.inf)
    share = of_account((left - last) / np.maximum(ground.quota_bytes, 1), 1.0)
    tiers = [one for one in OBJECT_TIERS if one in asked.tiers]
    cost = np.repeat(ground.prices.of(tiers) * last / TIB, len(margin))
    n = len(tiers)
    score = scores(
        Remains(
            early_days=np.tile(days, n)[None], space_share=np.tile(share, n)[None],
            iops_share=np.full((1, len(cost)), np.nan), cost_a_month=cost[None],
        ),
        weights, horizon_days=horizon_days,
    )[0]  # fmt: skip
    clears = margin >= 0
    told: list[ObjectCandidate] = []
    for row in np.lexsort((-score, ~np.tile(clears, n))).tolist():
        tier, at = divmod(row, len(margin))
        told.append(
            ObjectCandidate(
                bucket=int(ground.bucket[at]), tier=tiers[tier],
                rank=len(told) + 1 if clears[at] else None, has_quota=bool(has_quota[at]),
                is_judged=not np.isnan(margin[at]), quota_bytes=_finite(margin[at]),
                early_days=_finite(days[at]), cost_a_month=_finite(cost[row]),
            )
        )  # fmt: skip
    return told


def _early_with(ground: ObjectGround, asked: ObjectsAsked, *, horizon_days: int) -> Float64s:
    """Early days of accounts to their limit with all of it, from today; NaN where not judged."""
    columns = ground.accounts
    ages = columns.age_days
    n_days = horizon_days + int(ages.max(initial=0))
    since = np.arange(1, n_days + 1)[None, :] - ages[:, None]
    added = asked.held_on(since) + np.reshape(np.asarray(columns.planned_bytes), (-1, 1))
    way = runway(
        columns.outlook, mark_bytes=columns.limit_bytes, horizon_days=n_days, added_bytes=added
    )
    return np.maximum(way.early_days - ages, 0.0)


def _finite(told: float | np.float64) -> float | None:
    return float(told) if np.isfinite(told) else None
