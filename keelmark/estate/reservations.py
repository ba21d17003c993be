"""Reads what is held: for accepted scenarios less what has come, and for tenants to draw on."""

from collections.abc import Collection, Iterator, Sequence
from datetime import date, timedelta
from typing import Final

from django.db.models import Count, Max, Model, QuerySet

from keelmark.access.clock import utc_today
from keelmark.core.days import EPOCH
from keelmark.core.estate.estate import Estate
from keelmark.core.estate.holds import Hold
from keelmark.estate.allotments import hold_of_allotment, standing_allotments, takings_of
from keelmark.estate.models import Allotment, Datastore, Reservation, VirtualDisk, Volume


def standing_reservations() -> QuerySet[Reservation]:
    """Return what is held today: of things that are there, and not lapsed."""
    return Reservation.objects.filter(lapses_on__gt=utc_today(), entity__retired_at=None)


def held_version() -> str:
    """Return what tells the reservations that stand from any others; empty where none does."""
    told = [
        some.aggregate(n=Count("pk"), at=Max("changed_at"), pk=Max("pk"))
        for some in (standing_reservations(), standing_allotments())
    ]
    return "/".join(
        f"{one['n']}.{one['pk']}.{one['at'].timestamp()}" if one["n"] else "" for one in told
    ).strip("/")


def holds_in(estate: Estate) -> tuple[Hold, ...]:
    """Return what is held of the rows of an estate, less what has come of it."""
    found = list(standing_reservations().select_related("entity").order_by("pk"))
    come = come_bytes(found)
    told = []
    for one in found:
        row = estate.table(one.entity.kind).row_of(one.entity_id)
        if row is not None:
            told.append(hold_of(one, row=row).less(come[one.pk]))
    told += _allotted_in(estate)
    return tuple(told)


def _allotted_in(estate: Estate) -> Iterator[Hold]:
    """What is held of the pools of an estate for tenants to draw on."""
    some = list(standing_allotments())
    takings = takings_of(some)
    for one in some:
        row = estate.table("pool").row_of(one.entity_id)
        tenant = estate.table("tenant").row_of(one.tenant_id)
        if row is not None and tenant is not None:
            drawn = (each.asked.volume_id for each in takings[one.pk].drawn if each.is_read)
            rows = (estate.table("volume").row_of(pk) for pk in drawn if pk)
            yield hold_of_allotment(
                one, takings[one.pk], row=row, tenant=tenant,
                volumes=tuple(at for at in rows if at is not None),
            )  # fmt: skip


def holds_by_place(places: Collection[int]) -> dict[int, tuple[Hold, ...]]:
    """Return what is held of some pools or datastores by their ids, less what has come of it."""
    found = list(standing_reservations().filter(entity__in=places).select_related("entity"))
    come = come_bytes(found)
    told: dict[int, tuple[Hold, ...]] = {}
    for one in found:
        hold = hold_of(one, row=0).less(come[one.pk])
        told[one.entity_id] = (*told.get(one.entity_id, ()), hold)
    some = list(standing_allotments().filter(entity__in=places))
    takings = takings_of(some)
    for each in some:
        hold = hold_of_allotment(each, takings[each.pk], row=0, tenant=0)
        told[each.entity_id] = (*told.get(each.entity_id, ()), hold)
    return told


def holds_on(places: Collection[int]) -> tuple[Hold, ...]:
    """Return what is held of some pools or datastores in all."""
    return tuple(hold for some in holds_by_place(places).values() for hold in some)


def day_of_hold(day: int) -> date:
    """Return the date of a day counted from 1970."""
    return EPOCH + timedelta(days=day)


def held_bytes(holds: Collection[Hold], *, on: date) -> int:
    """Return the bytes that are held on a date."""
    return sum(one.bytes_on((on - EPOCH).days) for one in holds)


def hold_of(one: Reservation, *, row: int) -> Hold:
    """Return a reservation as the core knows it, of which nothing has come."""
    return Hold(
        kind=one.entity.kind, row=row, owner=one.scenario_id, days=tuple(one.days),
        amounts=tuple(one.amounts), promised_bytes=one.promised_bytes, min_iops=one.min_iops,
        busy_iops=one.busy_iops,
    )  # fmt: skip


def come_bytes(some: Sequence[Reservation]) -> dict[int, int]:
    """Return by reservation the bytes that are read of the things that came of it.

    What a scenario has allotted by now is held as an allotment, not twice.
    """
    ids = {pk for one in some for pk in one.came_ids}
    used: dict[int, int] = {}
    for model, field in _USED if ids else ():
        used |= {
            pk: amount or 0
            for pk, amount in model._default_manager.filter(pk__in=ids).values_list("pk", field)
        }
    allotted = {
        (one.scenario_id, one.entity_id): one.allotted_bytes
        for one in Allotment.objects.filter(scenario_id__in={one.scenario_id for one in some})
    }
    return {
        one.pk: sum(used.get(pk, 0) for pk in set(one.came_ids))
        + allotted.get((one.scenario_id, one.entity_id), 0)
        for one in some
    }


# Of what may come, where the bytes stand that are read of it.
_USED: Final[tuple[tuple[type[Model], str], ...]] = (
    (Volume, "written_bytes"), (Datastore, "used_bytes"), (VirtualDisk, "on_array_bytes"),
)  # fmt: skip
