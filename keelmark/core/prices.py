"""What bytes cost: money for a TiB and month by service class, or by tier of objects."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from math import isfinite
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import NOWHERE, Words
from keelmark.core.estate.kinds import OBJECT_TIERS
from keelmark.core.estate.reading import Reading
from keelmark.core.units import TIB


class Basis(StrEnum):
    """Which bytes are paid for."""

    PROMISED = "promised"
    WRITTEN = "written"


@dataclass(frozen=True, slots=True, kw_only=True)
class Prices:
    """Money for a TiB and month by service class or tier; what is not named has no price.

    Raises
    ------
    RangeError
        If a price is below nought or no number.
    """

    by_class: Mapping[str, float] = field(default_factory=dict)
    basis: Basis = Basis.PROMISED

    def __post_init__(self) -> None:
        """Refuse what is no price."""
        for name, price in self.by_class.items():
            if not isfinite(price) or price < 0:
                raise RangeError(argument=name, found=price, wanted="a price of 0 or more")

    def of(self, classes: Sequence[str]) -> Float64s:
        """Return the price of each of some classes, (n,), NaN where it has none."""
        return np.array([self.by_class.get(one, np.nan) for one in classes], dtype=np.float64)

    def bytes_paid(self, *, promised: Float64s | Int64s, written: Float64s | Int64s) -> Float64s:
        """Return those of two amounts that are paid for."""
        told = promised if self.basis is Basis.PROMISED else written
        return np.asarray(told, dtype=np.float64)


NO_PRICES: Final = Prices()


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class PoolCosts:
    """What pools (n_pools,) cost a month: NaN where they have no price or nobody tells the bytes.

    ``is_priced`` are those whose class has a price.
    """

    a_month: Float64s
    is_priced: Bools

    def total(self, of: Bools) -> float | None:
        """Return the sum over some pools of what is known, None where nothing is."""
        told = self.a_month[of & np.isfinite(self.a_month)]
        return float(told.sum()) if len(told) else None


def costs_of_pools(reading: Reading, prices: Prices) -> PoolCosts:
    """Return what the bytes of each pool cost a month, as it stands at a reading."""
    books = reading.books["pool"]
    paid = books.promised if prices.basis is Basis.PROMISED else books.used
    price = prices.of(classes_of_pools(reading))
    amounts = np.where(paid.is_known, paid.values, np.nan)
    return PoolCosts(a_month=amounts / TIB * price, is_priced=np.isfinite(price))


def costs_of_objects(reading: Reading, prices: Prices, of: Bools) -> dict[str, float | None]:
    """Return what some buckets cost a month by tier: of objects what is written is paid for.

    None where a tier has no price, or nobody tells what is in it. On another day each bucket's
    tiers have the shares that were read of them.
    """
    table, used = reading.estate.table("bucket"), reading.books["bucket"].used
    tiers = {tier: table.amounts(tier) for tier in OBJECT_TIERS}
    whole = sum(np.where(one.is_known, one.values, 0) for one in tiers.values())
    scale = np.where(used.is_known & (whole > 0), used.values / np.maximum(whole, 1), 1.0)
    told: dict[str, float | None] = {}
    for price, (tier, amounts) in zip(prices.of(OBJECT_TIERS), tiers.items(), strict=True):
        known = of & amounts.is_known
        cost = float((amounts.values * scale)[known].sum()) / TIB * float(price)
        told[tier] = cost if known.any() and isfinite(cost) else None
    return told


def sum_of(costs: Iterable[float | None]) -> float | None:
    """Return the sum of what is known, None where nothing is."""
    known = [one for one in costs if one is not None]
    return sum(known) if known else None


def classes_of_pools(reading: Reading) -> Sequence[str]:
    """Return the service class of each pool, empty where none is told."""
    table = reading.estate.table("pool")
    told = table.columns.get("class")
    if not isinstance(told, Words):
        return [""] * len(table)
    words = [*told.words, ""]  # NOWHERE is the last
    return [words[code] for code in np.where(told.codes == NOWHERE, -1, told.codes).tolist()]
