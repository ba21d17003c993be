"""What accepted scenarios hold, and what one would hold if it were accepted."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.contrib.auth.models import User

from keelmark.access.selectors import sees_all
from keelmark.bearings.selectors.picture import reading_at
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE, Table
from keelmark.core.estate.holds import Hold
from keelmark.core.estate.reading import LIKELY
from keelmark.core.scenario.holding import holds_of
from keelmark.estate.models import Reservation
from keelmark.estate.reservations import come_bytes, hold_of
from keelmark.forecasts.definitions.wholes import places_of
from keelmark.scenarios.models import Scenario
from keelmark.scenarios.selectors.kept import drawn, standing_revision


@dataclass(frozen=True, slots=True, kw_only=True)
class HeldPlace:
    """What is held of one pool or datastore, and how much of it has come."""

    entity_id: int
    kind: str
    name: str
    home: str  # of a pool the array, of a datastore the cluster
    hold: Hold
    come_bytes: int = 0


def would_hold(scenario: Scenario) -> list[HeldPlace]:
    """Return what a scenario takes of what there is, as it stands."""
    told = drawn(standing_revision(scenario)).compiled
    now = reading_at(day=None, quantile=LIKELY)
    return [
        HeldPlace(
            entity_id=int(told.estate.table(one.kind).ids[one.row]), kind=one.kind,
            name=told.estate.table(one.kind).names[one.row],
            home=_home(now.estate.tables, one), hold=one,
        )
        for one in holds_of(told, now=now, owner=scenario.pk)
    ]  # fmt: skip


def held_by(scenario: Scenario) -> list[HeldPlace]:
    """Return what is held for an accepted scenario, lapsed or not."""
    found = Reservation.objects.filter(scenario_id=scenario.pk).select_related("entity")
    return _places(list(found))


def last_day_of(scenario: Scenario) -> date:
    """Return the day of the last thing that a scenario does; today where it does nothing."""
    told = drawn(standing_revision(scenario)).compiled
    day = max((one.day for one in told.plan.effects), default=told.estate.day)
    return EPOCH + timedelta(days=day)


def held_places(
    actor: User, *, of: int | None = None
) -> list[tuple[Reservation, HeldPlace]]:  # fmt: skip
    """Return all that is held, the next first; of one thing, what is held of it or its parts.

    Tenants' viewers see nothing of it.
    """
    if not sees_all(actor):
        return []
    found = Reservation.objects.select_related("entity").order_by("lapses_on", "pk")
    if of is not None:
        found = found.filter(entity__in=places_of(of))
    some = list(found)
    told = zip(some, _places(some), strict=True)
    return sorted(told, key=lambda one: (one[1].hold.first_day, one[0].pk))


def _places(some: Sequence[Reservation]) -> list[HeldPlace]:
    come = come_bytes(some)
    estate = reading_at(day=None, quantile=LIKELY).estate
    told = []
    for one in some:
        row = estate.table(one.entity.kind).row_of(one.entity_id)
        hold = hold_of(one, row=-1 if row is None else row)
        told.append(
            HeldPlace(
                entity_id=one.entity_id, kind=one.entity.kind, name=one.entity.name,
                home="" if row is None else _home(estate.tables, hold), hold=hold,
                come_bytes=min(come[one.pk], hold.most_bytes),
            )
        )  # fmt: skip
    return told


def _home(tables: Mapping[str, Table], one: Hold) -> str:
    to = "array" if one.kind == "pool" else "cluster"
    row = int(tables[one.kind].links[to][one.row])
    return "" if row == NOWHERE else tables[to].names[row]
