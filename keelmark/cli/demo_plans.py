"""The demo's allotments and scenarios, made by its planner out of what the estate leaves."""

from datetime import timedelta
from decimal import Decimal
from typing import Any

from keelmark.access.clock import utc_today
from keelmark.core.units import GIB, TIB

TENANT_OPERATOR = "tidewaiter"
# Whose, of the roomiest pool of which class, how much.
ALLOTTED = (
    ("Seabed Mapping", "Deep", 24 * TIB, 6_000), ("Tide Gauges", "Deep", 8 * TIB, 2_000),
    ("Tide Gauges", "Steady", 3 * TIB, 0),
)  # fmt: skip
# What a TiB and month costs by class, as it was drawn up, and drawn up anew.
CURRENCY = "crowns"
PRICES = (
    ({"Swift": "46", "Steady": "24", "Deep": "8.5", "hot": "19", "cold": "4"},
     "As of the last contracts."),
    ({"Swift": "42", "Steady": "24", "Deep": "9.25", "hot": "19", "warm": "11", "cold": "3.5"},
     "Fast drives became cheaper, floor space dearer."),
)  # fmt: skip
INTAKE, BUYING = "Sonar intake", "Buy first"
SONAR = {
    "name": "sonar-ingest", "n_vms": 24, "n_cpus": 8, "memory_bytes": 32 * GIB,
    "disks": [{"size_bytes": 6 * TIB // 5, "written_percent": 30, "bytes_a_week": 9 * GIB,
               "is_thick": False, "min_iops": 0, "busy_iops": 0}],
}  # fmt: skip


def plan_ahead(*, planner: str, password: str) -> None:
    """Allot to two tenants, one with an operator of its own, and draw two plans up, once."""
    from django.contrib.auth.models import User

    from keelmark.access.models import Membership, Role
    from keelmark.access.services.people import ensure_person
    from keelmark.estate.models import Allotment, Entity
    from keelmark.scenarios.models import Scenario
    from keelmark.scenarios.services.allotting import allot

    actor = User.objects.get(username=planner)
    person = ensure_person(name=TENANT_OPERATOR, password=password, role=Role.TENANT_OPERATOR)
    tides = Entity.objects.filter(kind="tenant", name="Tide Gauges", retired_at=None)
    Membership.objects.get(user=person).tenants.set(tides)
    if Scenario.objects.exists() or Allotment.objects.exists():
        return
    _price(actor)
    rooms = _rooms()
    for tenant, service_class, n_bytes, min_iops in ALLOTTED:
        of = Entity.objects.filter(kind="tenant", name=tenant, retired_at=None).first()
        pool = next((pk for pk, klass, left in rooms if klass == service_class and left > n_bytes),
                    None)  # fmt: skip
        if of is not None and pool is not None:
            rooms = [one for one in rooms if one[0] != pool]
            allot(
                actor=actor, pool_id=pool, tenant_id=of.pk, allotted_bytes=n_bytes,
                min_iops=min_iops, note="For the year.",
            )  # fmt: skip
    _draw_up(actor)


def _price(actor: Any) -> None:  # Any: a person; Django is not ready where this is imported
    from keelmark.core.prices import Basis
    from keelmark.scenarios.models import PriceRevision
    from keelmark.scenarios.services.pricing import draw_up_prices

    for by_class, note in PRICES if not PriceRevision.objects.exists() else ():
        draw_up_prices(
            actor=actor, seen_version=None, currency=CURRENCY, basis=Basis.PROMISED, note=note,
            by_class={name: Decimal(price) for name, price in by_class.items()},
        )  # fmt: skip


def _rooms() -> list[tuple[int, str, int]]:
    """Pools that a cluster reaches, by what is plannable on the bad case: id, class, bytes."""
    from keelmark.bearings.selectors.picture import newest_estate, reading_at
    from keelmark.bearings.selectors.views import BAD_CASE
    from keelmark.core.estate.columns import NOWHERE, Words
    from keelmark.core.placement.of_estate import reached

    then = reading_at(day=newest_estate().day, quantile=BAD_CASE)
    table = then.estate.table("pool")
    left = then.books["pool"].plannable(then.estate.marks["pool"].limit_percent)
    classes = table.columns["class"]
    pools, clusters = reached(then)
    are_reached = set(pools[clusters != NOWHERE].tolist())
    told = [
        (int(pk), classes.told(row) or "", left.told(row) or 0)
        for row, pk in enumerate(table.ids.tolist())
        if row in are_reached and isinstance(classes, Words)
    ]
    return sorted(told, key=lambda one: (-one[2], one[0]))


def _draw_up(actor: Any) -> None:  # Any: a person; Django is not ready where this is imported
    from django.db.models import F

    from keelmark.estate.models import Datastore, Kind, VirtualMachine
    from keelmark.forecasts.models import KeptForecast, Metric
    from keelmark.scenarios.services.keeping import draw_up

    store = (
        Datastore.objects.filter(entity__retired_at=None, cluster__isnull=False)
        .exclude(used_bytes=None)
        .order_by(F("used_bytes") - F("size_bytes"), "pk")
        .first()
    )
    off = VirtualMachine.objects.filter(power="off", entity__retired_at=None).order_by("pk")
    ends = KeptForecast.objects.filter(
        kind=Kind.POOL, metric=Metric.USED, crossed_on=None, limit_likely_on__isnull=False
    )
    first = ends.order_by("limit_likely_on", "pk").first()
    if store is None or first is None:
        return
    today = utc_today()
    idle = list(off.values_list("pk", flat=True)[:5])
    comes = _move(today + timedelta(days=21), "place", {**SONAR, "to": store.pk})
    bought = _move(
        today + timedelta(days=14), "extend_pool",
        {"pool": first.entity_id, "added_bytes": 40 * TIB, "n_drives": 12, "cost": 84_000},
    )  # fmt: skip
    freed = [_move(today + timedelta(days=7), "free", {"what": idle})] if idle else []
    draw_up(
        actor=actor, name=INTAKE, is_shared=True, moves=[*freed, comes],
        note="Free what is off for a quarter first, then take the new machines in.",
    )  # fmt: skip
    draw_up(
        actor=actor, name=BUYING, is_shared=True, moves=[bought, comes],
        note="The same, with drives for the pool that ends first.",
    )  # fmt: skip


def _move(on: Any, kind: str, fields: dict[str, Any]) -> dict[str, Any]:  # Any: a date, JSON
    return {"on": on.isoformat(), "kind": kind, "fields": fields, "is_off": False, "note": ""}
