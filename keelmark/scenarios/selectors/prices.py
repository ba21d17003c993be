"""What bytes cost, by the price list that counts."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from keelmark.bearings.selectors.picture import reading_at
from keelmark.core.arrays import Bools
from keelmark.core.estate.columns import Amounts
from keelmark.core.estate.kinds import OBJECT_TIERS
from keelmark.core.estate.reading import LIKELY, Reading
from keelmark.core.prices import (
    NO_PRICES,
    Basis,
    Prices,
    classes_of_pools,
    costs_of_objects,
    costs_of_pools,
)
from keelmark.estate import selectors as estate
from keelmark.scenarios.models import PriceRevision

MOST_REVISIONS = 30


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassCosts:
    """A service class or a tier of objects: its price, and what it holds and costs a month now.

    ``n_pools`` counts pools of a class, buckets with something in a tier.
    """

    name: str
    is_tier: bool
    price: str | None  # for a TiB and month, exact
    n_pools: int
    promised_bytes: int | None
    written_bytes: int | None
    costs_a_month: float | None


def price_revisions() -> Sequence[PriceRevision]:
    """Return the price lists, the one that counts first."""
    return list(PriceRevision.objects.all()[:MOST_REVISIONS])


def standing_prices() -> Prices:
    """Return what bytes cost as it counts now."""
    one = PriceRevision.objects.first()
    return NO_PRICES if one is None else prices_of(one)


def currency_of_prices() -> str:
    """Return the money of the list that counts, empty where there is none."""
    return PriceRevision.objects.values_list("currency", flat=True).first() or ""


def prices_of(one: PriceRevision) -> Prices:
    """Return what a list says, to reckon with."""
    by_class = {name: float(price) for name, price in one.by_class.items()}
    return Prices(by_class=by_class, basis=Basis(one.basis))


def classes_told(one: PriceRevision | None) -> list[ClassCosts]:
    """Return every service class on offer or priced, then the tiers, as the estate is now."""
    reading = reading_at(day=None, quantile=LIKELY)
    of_pools, books = np.array(classes_of_pools(reading), dtype=object), reading.books["pool"]
    priced = {} if one is None else one.by_class
    prices = NO_PRICES if one is None else prices_of(one)
    names = [offer.name for offer in estate.service_classes()]
    costs = costs_of_pools(reading, prices)
    told = []
    others = (each for each in priced if each not in names and each not in OBJECT_TIERS)
    for name in [*names, *others]:
        at = reading.is_there["pool"] & (of_pools == name)
        told.append(
            ClassCosts(
                name=name, is_tier=False, price=priced.get(name), n_pools=int(at.sum()),
                promised_bytes=_sum(books.promised, at), written_bytes=_sum(books.used, at),
                costs_a_month=costs.total(at),
            )
        )  # fmt: skip
    return [*told, *_tiers_told(reading, prices, priced=priced)]


def _tiers_told(
    reading: Reading, prices: Prices, *, priced: Mapping[str, str]
) -> Iterator[ClassCosts]:  # fmt: skip
    are_there = reading.is_there["bucket"]
    costs = costs_of_objects(reading, prices, are_there)
    for tier in OBJECT_TIERS:
        amounts = reading.estate.table("bucket").amounts(tier)
        written = _sum(amounts, are_there)
        yield ClassCosts(
            name=tier, is_tier=True, price=priced.get(tier), promised_bytes=written,
            n_pools=int((are_there & amounts.is_known & (amounts.values > 0)).sum()),
            written_bytes=written, costs_a_month=costs[tier],
        )  # fmt: skip


def _sum(told: Amounts, at: Bools) -> int | None:
    known = at & told.is_known
    return int(told.values[known].sum()) if known.any() else None
