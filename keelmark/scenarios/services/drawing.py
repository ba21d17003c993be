"""Draws on allotments: volumes provisioned by a tenant's own operator, and given back."""

from datetime import timedelta

from django.contrib.auth.models import User
from django.db import IntegrityError, transaction
from rest_framework.exceptions import NotFound

from keelmark.access.clock import now, utc_today
from keelmark.access.errors import wrong_field
from keelmark.access.services.audit import audit
from keelmark.core.units import MAX_BYTES
from keelmark.estate.models import DrawnVolume, Volume
from keelmark.feeds.changes.allowed import DELETION, VOLUME, Values, fault_of
from keelmark.feeds.changes.asking import Wanted, ask_changes
from keelmark.feeds.changes.reading import LIVE
from keelmark.feeds.errors import KeyUsedError
from keelmark.scenarios.errors import BarredError, BeyondError, DrawnError, WordError
from keelmark.scenarios.models import MAX_NAME, Scenario, State, WorkOrder
from keelmark.scenarios.selectors.allotments import AllotmentTold, allotments_told
from keelmark.scenarios.selectors.carriage import users_of
from keelmark.scenarios.selectors.kept import drawn, standing_revision
from keelmark.scenarios.services.allotting import allotment_for
from keelmark.scenarios.services.carrying import begin
from keelmark.scenarios.services.keeping import draw_up, let_go, tell_asked
from keelmark.scenarios.services.ordering import check_not_made, order_of

OPEN_FOR = timedelta(days=90)  # as told of its scenario; drawn it stays until it is given back


@transaction.atomic
def provision(
    *, actor: User, allotment_id: int, key: str, name: str, size_bytes: int, cluster_id: int,
    thickness: str = "thin",
) -> DrawnVolume:  # fmt: skip
    """Make a datastore on a volume out of an allotment; the same key makes no second one.

    The volume is created and mapped to all hosts of the cluster in this person's name; the
    datastore is made by who looks after the cluster, as its work order says.

    Raises
    ------
    BeyondError
        If that is more than is left of the allotment.
    DrawnError
        If it does not stand yet, or another volume of it is called so.
    BarredError
        If it cannot be made, with the reason.
    """
    one = allotment_for(actor, allotment_id, is_locked=True)
    standing = DrawnVolume.objects.filter(asked_by=actor.get_username(), key=key).first()
    if standing is not None:
        asked_then = standing.allotment_id, standing.name, standing.size_bytes
        if asked_then != (one.pk, name, size_bytes):
            raise KeyUsedError(key=key)
        return standing
    some = allotments_told(actor, of=one.entity_id)
    told = next(each for each in some if each.one.pk == one.pk)
    _check(told, name=name, size_bytes=size_bytes, cluster_id=cluster_id, thickness=thickness)
    fields = {
        "pool": one.entity_id, "cluster": cluster_id, "name": name, "size_bytes": size_bytes,
        "thickness": thickness, "out_of": one.tenant_id,
    }  # fmt: skip
    scenario = draw_up(
        actor=actor, name=f"{name} for {one.tenant.name}"[:MAX_NAME], is_shared=True,
        note=f"Out of the allotment of {one.tenant.name} of {one.entity.name}.",
        moves=[{"kind": "new_datastore", "fields": fields}],
    )  # fmt: skip
    try:
        with transaction.atomic():
            asked = DrawnVolume.objects.create(
                allotment=one, name=name, size_bytes=size_bytes, scenario_id=scenario.pk,
                asked_at=now(), asked_by=actor.get_username(), key=key,
            )  # fmt: skip
    except IntegrityError as exc:  # of another allotment in the same instant
        raise KeyUsedError(key=key) from exc
    tell_asked({one.pk})
    _accept(scenario, actor=actor)
    audit(
        actor, action="provision", kind="allotment", subject_id=one.pk,
        name=f"{one.tenant.name} of {one.entity.name}",
        after={"name": name, "size_bytes": size_bytes, "scenario_id": scenario.pk},
    )  # fmt: skip
    begin(order_of(scenario, by=actor), actor=actor)
    return asked


@transaction.atomic
def go_on(*, actor: User, allotment_id: int, drawn_id: int) -> DrawnVolume:
    """Try again what stopped while a volume was made."""
    asked = _asked(actor, allotment_id, drawn_id)
    _check_own(asked)
    order = WorkOrder.objects.select_for_update().filter(scenario=asked.scenario_id).first()
    if order is None or order.ended_at is not None:
        raise DrawnError(why=f"Nothing of {asked.name} waits to be made.")
    begin(order, actor=actor)
    return asked


@transaction.atomic
def give_back(*, actor: User, allotment_id: int, drawn_id: int, confirms: str) -> DrawnVolume:
    """Give a volume back to its allotment: what is not made is not made, what is made is deleted.

    Raises
    ------
    WordError
        If it is there, and its name was not typed.
    DrawnError
        If something lies on it, a change of it is under way, or nobody knows yet whether it is
        there: its bytes are not given away twice.
    """
    asked = _asked(actor, allotment_id, drawn_id)
    _check_own(asked)
    orders = WorkOrder.objects.select_for_update().filter(scenario=asked.scenario_id)
    order = None if asked.is_planned else orders.first()
    if order is not None and order.steps.filter(change__state__in=LIVE).exists():
        raise DrawnError(why=f"{asked.name} is being made: wait for the end of that.")
    if order is not None:
        check_not_made(order)
    volume = Volume.objects.filter(pk=asked.volume_id, entity__retired_at=None).first()
    if volume is not None:
        _delete(actor, asked, volume, confirms=confirms)
    if order is not None and order.ended_at is None:
        scenario = order.scenario
        order.delete()
        let_go(scenario)
        scenario.state = State.DROPPED
        scenario.save()
    asked.refresh_from_db()
    audit(
        actor, action="give back", kind="allotment", subject_id=asked.allotment_id,
        name=asked.name, after={"volume_id": asked.volume_id},
    )  # fmt: skip
    return asked


def _check_own(asked: DrawnVolume) -> None:
    """Refuse to touch what somebody who plans is to make out of it."""
    if asked.is_planned and asked.volume_id is None:
        raise DrawnError(
            why=f"{asked.name} is part of a plan that {asked.asked_by} accepted: it is made, or "
            "taken back, with that."
        )


def _delete(actor: User, asked: DrawnVolume, volume: Volume, *, confirms: str) -> None:
    name = volume.entity.name
    if used := users_of(volume):
        raise DrawnError(why=f"{name} is in use: {used}.")
    if confirms != name:
        raise WordError(name=name)
    ask_changes(
        actor=actor, key=f"drawn {asked.pk} back {now()}", what=DELETION, is_released=True,
        why=f"Given back by {asked.allotment.tenant.name}.",
        changes=[
            Wanted(
                entity_id=volume.pk, was={"name": name, "size_bytes": volume.size_bytes}, wanted={}
            )
        ],
    )  # fmt: skip


def _asked(actor: User, allotment_id: int, drawn_id: int) -> DrawnVolume:
    one = allotment_for(actor, allotment_id, is_locked=True)
    found = DrawnVolume.objects.filter(allotment=one, pk=drawn_id, dropped_at=None).first()
    if found is None:
        raise NotFound(f"No volume {drawn_id} is drawn on it.")
    return found


def _check(
    told: AllotmentTold, *, name: str, size_bytes: int, cluster_id: int, thickness: str
) -> None:
    one = told.one
    if one.from_on > utc_today():
        raise DrawnError(why=f"It may be drawn on from {one.from_on} on.")
    if not 0 < size_bytes <= MAX_BYTES:
        raise wrong_field("size_bytes", "Use 1 byte to 8 EiB.")
    wanted: Values = {"name": name, "size_bytes": size_bytes, "thickness": thickness}
    if fault := fault_of(VOLUME, wanted):
        raise wrong_field("name", fault)
    if any(each.drawn.asked.name == name for each in told.drawn):
        raise DrawnError(why=f"A volume of it is called {name} already.")
    if cluster_id not in {pk for pk, _ in told.clusters}:
        names = ", ".join(name for _, name in told.clusters)
        raise wrong_field("cluster_id", f"No cluster that reaches its pool; take one of {names}.")
    if size_bytes > told.left_bytes:
        raise BeyondError(
            field="size_bytes", of="The allotment", n_left=told.left_bytes,
            beyond=size_bytes - told.left_bytes,
            would_be="take less, give something back, or ask for more",
        )  # fmt: skip


def _accept(scenario: Scenario, *, actor: User) -> None:
    """Accepted as it stands: its bytes are held already, by the allotment."""
    told = drawn(standing_revision(scenario)).compiled
    faults = [fault for one in told.told for fault in one.faults if fault.is_bar]
    if faults:
        raise BarredError(name=scenario.name, barred="".join(str(part) for part in faults[0].says))
    scenario.state, scenario.accepted_at = State.ACCEPTED, now()
    scenario.accepted_by, scenario.lapses_on = actor.get_username(), utc_today() + OPEN_FOR
    scenario.save()
