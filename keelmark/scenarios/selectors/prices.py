"""What bytes cost, by the price list that counts."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from keelmark.bearings.selectors.picture import reading_at
from keelmark.core.arrays import Bools
from keelmark.core.estate.columns import Amounts
from keelmark.core.estate.reading import LIKELY
from keelmark.core.prices import NO_PRICES, Basis, Prices, classes_of_pools, costs_of_pools
from keelmark.estate import selectors as estate
from keelmark.scenarios.models import PriceRevision

MOST_REVISIONS = 30


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassCosts:
    """One service class: its price, and what its pools hold and cost a month as it is."""

    name: str
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
    """Return every service class on offer or priced, as the estate is now."""
    reading = reading_at(day=None, quantile=LIKELY)
    of_pools, books = np.array(classes_of_pools(reading), dtype=object), reading.books["pool"]
    costs = costs_of_pools(reading, NO_PRICES if one is None else prices_of(one))
    priced = {} if one is None else one.by_class
    names = [offer.name for offer in estate.service_classes()]
    told = []
    for name in [*names, *(each for each in priced if each not in names)]:
        at = reading.is_there["pool"] & (of_pools == name)
        told.append(
            ClassCosts(
                name=name, price=priced.get(name), n_pools=int(at.sum()),
                promised_bytes=_sum(books.promised, at), written_bytes=_sum(books.used, at),
                costs_a_month=costs.total(at),
            )
        )  # fmt: skip
    return told


def _sum(told: Amounts, at: Bools) -> int | None:
    known = at & told.is_known
    return int(told.values[known].sum()) if known.any() else None
