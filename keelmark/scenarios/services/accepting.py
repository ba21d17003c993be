"""Accepts scenarios: what they take is held until it has come, lapses, or is given up."""

from datetime import date, timedelta

from django.contrib.auth.models import User
from django.db import transaction

from keelmark.access.clock import now, utc_today
from keelmark.access.errors import wrong_field
from keelmark.access.services.audit import audit
from keelmark.core.scenario.moves import Parts
from keelmark.core.scenario.moves.room import ALLOTTED_TO, DRAWN_AS
from keelmark.estate.allotments import takings_of
from keelmark.estate.models import Allotment, Reservation
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS
from keelmark.forecasts.marks.setting import hold_anew
from keelmark.scenarios.errors import BarredError, BeyondError, NotAcceptedError, NotDraftError
from keelmark.scenarios.models import Scenario, State, WorkOrder
from keelmark.scenarios.selectors.holding import would_hold
from keelmark.scenarios.selectors.kept import drawn, standing_revision
from keelmark.scenarios.services.keeping import draw_planned, facts_of, let_go, locked, place_ids_of


@transaction.atomic
def accept(
    *, actor: User, scenario_id: int, lapses_on: date, seen_version: str | None
) -> Scenario:  # fmt: skip
    """Hold what a scenario takes, until a date; everybody sees it from then on.

    Raises
    ------
    BarredError
        If one of its moves cannot be, or it has none that is on.
    NotDraftError
        If it was accepted already.
    StaleError
        If it was changed since it was seen.
    """
    scenario = locked(actor, scenario_id, seen_version=seen_version, may_be_accepted=True)
    if scenario.state != State.DRAFT:
        raise NotDraftError(name=scenario.name, would_be="it is held already")
    _check(lapses_on)
    _check_moves(scenario)
    before = facts_of(scenario)
    at = now()
    scenario.state, scenario.is_shared = State.ACCEPTED, True
    scenario.accepted_at, scenario.accepted_by = at, actor.get_username()
    scenario.lapses_on, scenario.changed_at = lapses_on, at
    scenario.save()
    Reservation.objects.bulk_create(
        Reservation(
            entity_id=one.entity_id, scenario_id=scenario.pk, scenario_name=scenario.name,
            days=list(one.hold.days), amounts=list(one.hold.amounts),
            promised_bytes=one.hold.promised_bytes, min_iops=one.hold.min_iops,
            busy_iops=one.hold.busy_iops, lapses_on=lapses_on, changed_at=at,
        )
        for one in would_hold(scenario)
    )  # fmt: skip
    _draw(scenario)
    hold_anew(place_ids_of(scenario))
    _audit(actor, scenario, action="accept scenario", before=before)
    return scenario


@transaction.atomic
def renew(
    *, actor: User, scenario_id: int, lapses_on: date, seen_version: str | None
) -> Scenario:  # fmt: skip
    """Hold it until another date; what lapsed is held again."""
    scenario = locked(actor, scenario_id, seen_version=seen_version, may_be_accepted=True)
    if scenario.state != State.ACCEPTED:
        raise NotAcceptedError(name=scenario.name)
    _check(lapses_on)
    before = facts_of(scenario)
    scenario.lapses_on, scenario.changed_at = lapses_on, now()
    scenario.save()
    Reservation.objects.filter(scenario_id=scenario.pk).update(
        lapses_on=lapses_on, changed_at=now()
    )
    hold_anew(place_ids_of(scenario))
    _audit(actor, scenario, action="renew scenario", before=before)
    return scenario


@transaction.atomic
def give_up(*, actor: User, scenario_id: int, seen_version: str | None) -> Scenario:
    """Hold nothing for a scenario any more: it is a draft again."""
    scenario = locked(actor, scenario_id, seen_version=seen_version, may_be_accepted=True)
    if scenario.state != State.ACCEPTED:
        raise NotAcceptedError(name=scenario.name)
    if WorkOrder.objects.filter(scenario=scenario).exists():
        raise NotDraftError(name=scenario.name, would_be="take its work order back first")
    before = facts_of(scenario)
    let_go(scenario)
    scenario.state, scenario.changed_at = State.DRAFT, now()
    scenario.save()
    _audit(actor, scenario, action="give scenario up", before=before)
    return scenario


def _check(lapses_on: date) -> None:
    today = utc_today()
    latest = today + timedelta(days=HORIZON_DAYS)
    if not today < lapses_on <= latest:
        raise wrong_field("lapses_on", f"Use a date after today and up to {latest}.")


def _check_moves(scenario: Scenario) -> None:
    told = drawn(standing_revision(scenario)).compiled
    barred = [one for one in told.told if one.is_barred]
    if barred:
        raise BarredError(name=scenario.name, barred="; ".join(_plain(one.title) for one in barred))
    if not told.plan.effects:
        raise BarredError(name=scenario.name, barred="no move of it does anything")


def _draw(scenario: Scenario) -> None:
    """Ask allotments for the volumes that come out of them, never for more than is left of them.

    Of what the plan allots itself it is asked once that stands.
    """
    told = drawn(standing_revision(scenario)).compiled
    for one in told.plan.born:
        if ALLOTTED_TO not in one.words:
            continue
        standing = Allotment.objects.select_for_update(of=("self",)).select_related("tenant")
        allotment = standing.filter(
            entity=int(told.estate.table("pool").ids[one.links["pool"]]),
            tenant=int(one.words[ALLOTTED_TO]), ended_at=None,
        ).first()  # fmt: skip
        if allotment is None:
            continue
        size_bytes = one.amounts["size"]
        left = allotment.allotted_bytes - takings_of([allotment])[allotment.pk].provisioned_bytes
        if size_bytes > left:
            raise BeyondError(
                field="moves", of=f"The allotment of {allotment.tenant.name}", n_left=left,
                beyond=size_bytes - left, would_be="take less, or allot more",
            )  # fmt: skip
        draw_planned(
            allotment, scenario_id=scenario.pk, name=one.words[DRAWN_AS], size_bytes=size_bytes,
            by=scenario.accepted_by,
        )  # fmt: skip


def _plain(title: Parts) -> str:
    return "".join(str(part) for part in title) + " cannot be"


def _audit(actor: User, scenario: Scenario, *, action: str, before: dict[str, object]) -> None:
    audit(
        actor, action=action, kind="scenario", subject_id=scenario.pk, name=scenario.name,
        before=before, after=facts_of(scenario),
    )  # fmt: skip
