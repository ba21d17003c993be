"""Draws up what bytes cost: each list a revision, nothing of an earlier one is lost."""

from collections.abc import Mapping
from decimal import Decimal

from django.contrib.auth.models import User
from django.db import connection, transaction

from keelmark.access.clock import now
from keelmark.access.errors import wrong_field
from keelmark.access.services.audit import Facts, audit
from keelmark.access.versions import check_version
from keelmark.core.estate.kinds import OBJECT_TIERS
from keelmark.core.prices import Basis
from keelmark.estate import selectors as estate
from keelmark.scenarios.models import PriceRevision

MOST_PRICE = Decimal(10**9)


def facts_of_prices(one: PriceRevision | None) -> Facts:
    """Return what may be written of the list that counts: its version is made of it."""
    if one is None:
        return {"number": 0}
    return {
        "number": one.number, "currency": one.currency, "basis": one.basis,
        "by_class": one.by_class, "note": one.note,
    }  # fmt: skip


@transaction.atomic
def draw_up_prices(
    *, actor: User, seen_version: str | None, currency: str, basis: Basis,
    by_class: Mapping[str, Decimal], note: str = "",
) -> PriceRevision:  # fmt: skip
    """Write down what a TiB and month costs by service class, from now on.

    Raise StaleError where somebody else drew one up since, a wrong field where a class is not
    offered and had no price before.
    """
    with connection.cursor() as cursor:  # two who draw one up do it one after the other
        cursor.execute("LOCK TABLE scenarios_pricerevision IN SHARE ROW EXCLUSIVE MODE")
    stands = PriceRevision.objects.first()
    before = facts_of_prices(stands)
    check_version(seen_version, facts=before)
    known = (
        {offer.name for offer in estate.service_classes()}
        | set(OBJECT_TIERS)
        | set(stands.by_class if stands else ())
    )
    for name, price in by_class.items():
        if name not in known:
            raise wrong_field(
                "by_class",
                f"No service class and no tier of objects is called {name}.",
                code="unknown",
            )
        if not 0 <= price <= MOST_PRICE:
            raise wrong_field("by_class", f"{name}: use 0 to {MOST_PRICE:,}.")
    made = PriceRevision.objects.create(
        number=stands.number + 1 if stands else 1, currency=currency.strip(), basis=basis,
        by_class={name: f"{price.normalize():f}" for name, price in by_class.items()}, note=note,
        made_at=now(), made_by=actor.get_username(),
    )  # fmt: skip
    audit(
        actor, action="draw up prices", kind="prices", subject_id=made.pk,
        name=f"prices r{made.number}", before=before if stands else None,
        after=facts_of_prices(made),
    )  # fmt: skip
    return made
