"""What accepted scenarios hold, and what one would hold if it were accepted."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from django.contrib.auth.models import User

from keelmark.access.selectors import sees_all
from keelmark.bearings.selectors.picture import reading_at
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE, Table
from keelmark.core.estate.holds import Hold
from keelmark.core.estate.reading import LIKELY
from keelmark.core.scenario.holding import holds_of
from keelmark.estate.allotments import allotments_for, hold_of_allotment, takings_of
from keelmark.estate.models import Allotment, Reservation
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


Held = tuple[Reservation | Allotment, HeldPlace]


def held_places(actor: User, *, of: int | None = None) -> list[Held]:
    """Return all that is held, the next first; of one thing, what is held of it or its parts.

    Tenants' viewers see nothing of it.
    """
    if not sees_all(actor):
        return []
    found = Reservation.objects.select_related("entity").order_by("lapses_on", "pk")
    if of is not None:
        found = found.filter(entity__in=places_of(of))
    some = list(found)
    told: list[Held] = [*zip(some, _places(some), strict=True), *_allotted(actor, of=of)]
    return sorted(told, key=lambda one: (one[1].hold.first_day, one[0].pk))


def _allotted(actor: User, *, of: int | None) -> Iterator[Held]:
    seen = allotments_for(actor)
    some = list(seen if of is None else seen.filter(entity__in=places_of(of)))
    estate, takings = reading_at(day=None, quantile=LIKELY).estate, takings_of(some)
    for one in some:
        row = estate.table("pool").row_of(one.entity_id)
        row = NOWHERE if row is None else row
        hold = hold_of_allotment(one, takings[one.pk], row=row, tenant=NOWHERE)
        come = takings[one.pk].come_bytes
        whole = replace(hold, amounts=(one.allotted_bytes,))
        place = HeldPlace(
            entity_id=one.entity_id, kind="pool", name=one.entity.name, hold=whole,
            home="" if row == NOWHERE else _home(estate.tables, hold), come_bytes=come,
        )  # fmt: skip
        yield one, place


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
