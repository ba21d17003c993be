"""Writes scenarios: drawn up, changed in revisions, taken back, copied, dropped."""

from datetime import timedelta
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import QuerySet
from rest_framework.exceptions import PermissionDenied

from keelmark.access.clock import now
from keelmark.access.errors import wrong_field
from keelmark.access.services.audit import Facts, audit
from keelmark.access.versions import check_version
from keelmark.bearings.selectors.picture import newest_estate
from keelmark.core.days import EPOCH
from keelmark.estate.models import Allotment, DrawnVolume, Reservation
from keelmark.forecasts.marks.setting import hold_anew
from keelmark.scenarios.errors import DroppedError, NotDraftError, NothingToTakeBackError
from keelmark.scenarios.models import (
    MAX_MOVES,
    MAX_NAME,
    MAX_NOTE,
    Comment,
    Scenario,
    ScenarioRevision,
    State,
    WorkOrder,
)
from keelmark.scenarios.selectors.baseline import baseline_of
from keelmark.scenarios.selectors.kept import (
    Moves,
    dated,
    drawn,
    kept,
    may_change,
    scenario_for,
    standing_revision,
)

HELD = (State.ACCEPTED, State.CARRIED_OUT)


def facts_of(scenario: Scenario) -> Facts:
    """Return what may be written of a scenario: its version is made of it."""
    return {
        "at": scenario.at, "n_revisions": scenario.revisions.count(), "name": scenario.name,
        "note": scenario.note, "state": scenario.state, "is_shared": scenario.is_shared,
        "baseline_at": scenario.baseline_at.isoformat(),
        "lapses_on": scenario.lapses_on and scenario.lapses_on.isoformat(),
    }  # fmt: skip


@transaction.atomic
def draw_up(
    *, actor: User, name: str, note: str = "", is_shared: bool = False,
    moves: Moves | None = None, copied_from: Scenario | None = None,
) -> Scenario:  # fmt: skip
    """Make a scenario, with its moves where there are some."""
    at = now()
    scenario = Scenario.objects.create(
        name=_name(name), note=note, is_shared=is_shared, owner=actor,
        owner_name=actor.get_username(), made_at=at, changed_at=at, baseline_at=at,
        copied_from=copied_from,
    )  # fmt: skip
    what = f"copied from {copied_from.name}" if copied_from else "drawn up"
    revision = _revise(scenario, actor, moves=moves or [], number=1, what=what)
    _rebase(scenario, revision)
    audit(actor, action="draw up scenario", kind="scenario", subject_id=scenario.pk,
          name=scenario.name)  # fmt: skip
    return scenario


@transaction.atomic
def set_moves(
    *, actor: User, scenario_id: int, moves: Moves, what: str, seen_version: str | None
) -> Scenario:
    """Write all moves of a scenario; what was taken back before is then gone.

    Raises
    ------
    StaleError
        If it was changed since it was seen.
    MoveError
        If a move cannot be read; nothing is written then.
    """
    scenario = locked(actor, scenario_id, seen_version=seen_version)
    scenario.revisions.filter(number__gt=scenario.at).delete()
    revision = _revise(scenario, actor, moves=moves, number=scenario.at + 1, what=what)
    _complete_baseline(scenario, revision)
    _audit_moves(actor, scenario, what=revision.what)
    return scenario


@transaction.atomic
def add_moves(
    *, actor: User, scenario_id: int, moves: list[dict[str, Any]],  # Any: JSON
) -> Scenario:  # fmt: skip
    """Put more moves behind all others, whoever changed them meanwhile; one change."""
    scenario = locked(actor, scenario_id, seen_version=None)
    before = standing_revision(scenario).moves
    scenario.revisions.filter(number__gt=scenario.at).delete()
    revision = _revise(
        scenario, actor, moves=[*before, *moves], number=scenario.at + 1,
        what="a move put in" if len(moves) == 1 else f"{len(moves)} moves put in",
    )  # fmt: skip
    _complete_baseline(scenario, revision)
    _audit_moves(actor, scenario, what=revision.what)
    return scenario


@transaction.atomic
def step(
    *, actor: User, scenario_id: int, is_back: bool, seen_version: str | None
) -> Scenario:  # fmt: skip
    """Take the last change back, or do it again."""
    scenario = locked(actor, scenario_id, seen_version=seen_version)
    to = scenario.at - 1 if is_back else scenario.at + 1
    if not scenario.revisions.filter(number=to).exists():
        raise NothingToTakeBackError(what="take back" if is_back else "do again")
    scenario.at, scenario.changed_at = to, now()
    scenario.save()
    _audit_moves(actor, scenario, what="taken back" if is_back else "done again")
    return scenario


@transaction.atomic
def settle(
    *, actor: User, scenario_id: int, seen_version: str | None, name: str | None = None,
    note: str | None = None, is_shared: bool | None = None, is_dropped: bool | None = None,
) -> Scenario:  # fmt: skip
    """Write what a scenario is called, for whom it is, and whether it is dropped."""
    scenario = locked(
        actor, scenario_id, seen_version=seen_version, may_be_dropped=True, may_be_accepted=True
    )
    before = facts_of(scenario)
    if name is not None:
        scenario.name = _name(name)
        Reservation.objects.filter(scenario_id=scenario.pk).update(scenario_name=scenario.name)
    if note is not None:
        scenario.note = note
    if is_shared is not None and is_shared != scenario.is_shared:
        if scenario.owner_id != actor.pk:
            raise PermissionDenied("Whose it is says for whom it is.")
        scenario.is_shared = is_shared
    if is_dropped is not None and is_dropped != (scenario.state == State.DROPPED):
        if WorkOrder.objects.filter(scenario=scenario).exists():
            raise NotDraftError(
                name=scenario.name, would_be="it has a work order, which is taken back first"
            )
        scenario.state = State.DROPPED if is_dropped else State.DRAFT
        let_go(scenario)
    scenario.changed_at = now()
    scenario.save()
    audit(actor, action="change scenario", kind="scenario", subject_id=scenario.pk,
          name=scenario.name, before=before, after=facts_of(scenario))  # fmt: skip
    return scenario


@transaction.atomic
def rebase(*, actor: User, scenario_id: int, seen_version: str | None) -> Scenario:
    """Take the estate as it is now for what a scenario is drawn up on."""
    scenario = locked(actor, scenario_id, seen_version=seen_version)
    _rebase(scenario, standing_revision(scenario))
    return scenario


@transaction.atomic
def copy(*, actor: User, scenario_id: int, name: str) -> Scenario:
    """Draw up another one with the same moves."""
    of = scenario_for(actor, scenario_id)
    return draw_up(
        actor=actor, name=name, note=of.note, is_shared=False, copied_from=of,
        moves=standing_revision(of).moves,
    )  # fmt: skip


@transaction.atomic
def say(*, actor: User, scenario_id: int, text: str) -> Comment:
    """Keep what somebody says of a scenario."""
    scenario = scenario_for(actor, scenario_id)
    return Comment.objects.create(
        scenario=scenario, text=text, at=now(), author=actor, author_name=actor.get_username()
    )


def place_ids_of(scenario: Scenario) -> list[int]:
    """Return the pools and datastores of which anything is held for a scenario."""
    held = Reservation.objects.filter(scenario_id=scenario.pk)
    return list(held.values_list("entity_id", flat=True))


def let_go(scenario: Scenario) -> None:
    """Hold nothing for a scenario any more; its acceptance is then gone."""
    places = place_ids_of(scenario)
    Reservation.objects.filter(scenario_id=scenario.pk).delete()
    hold_anew(places)
    scenario.accepted_at, scenario.accepted_by, scenario.lapses_on = None, "", None
    waiting = waiting_draws(scenario.pk)
    asked_of = set(waiting.values_list("allotment_id", flat=True))
    waiting.update(dropped_at=now())
    tell_asked(asked_of)


def waiting_draws(scenario_id: int) -> QuerySet[DrawnVolume]:
    """Return what a scenario is to make out of allotments and has not made yet."""
    return DrawnVolume.objects.filter(scenario_id=scenario_id, volume=None, dropped_at=None)


def draw_planned(
    of: Allotment, *, scenario_id: int, name: str, size_bytes: int, by: str
) -> DrawnVolume:  # fmt: skip
    """Ask an allotment for a volume that a plan is to make out of it."""
    at = now()
    made = DrawnVolume.objects.create(
        allotment=of, name=name, size_bytes=size_bytes, scenario_id=scenario_id, is_planned=True,
        asked_at=at, asked_by=by, key=f"{at.timestamp()} scenario {scenario_id} {name}"[:MAX_NAME],
    )  # fmt: skip
    tell_asked({of.pk})
    return made


def tell_asked(allotment_ids: set[int]) -> None:
    """Have everybody look anew at allotments of which more, or less, is being provisioned."""
    Allotment.objects.filter(pk__in=allotment_ids).update(changed_at=now())


def locked(
    actor: User, scenario_id: int, *, seen_version: str | None, may_be_dropped: bool = False,
    may_be_accepted: bool = False,
) -> Scenario:  # fmt: skip
    """Return a scenario to write to; raise where it may not be, or was changed since."""
    scenario_for(actor, scenario_id)
    scenario = Scenario.objects.select_for_update().get(pk=scenario_id)
    if not may_change(actor, scenario):
        raise PermissionDenied("This scenario is another person's.")
    check_version(seen_version, facts=facts_of(scenario))
    if scenario.state == State.DROPPED and not may_be_dropped:
        raise DroppedError(name=scenario.name)
    if scenario.state in HELD and not may_be_accepted:
        raise NotDraftError(
            name=scenario.name, would_be="take that back first, or try it in a copy"
        )
    return scenario


def _audit_moves(actor: User, scenario: Scenario, *, what: str) -> None:
    audit(actor, action="change moves", kind="scenario", subject_id=scenario.pk,
          name=scenario.name, after={"revision": scenario.at, "what": what})  # fmt: skip


def _revise(
    scenario: Scenario, actor: User, *, moves: Moves, number: int, what: str
) -> ScenarioRevision:
    if len(moves) > MAX_MOVES:
        raise wrong_field("moves", f"Use at most {MAX_MOVES} moves.")
    numbered = _numbered(moves)
    revision = ScenarioRevision.objects.create(
        scenario=scenario, number=number, what=what[:MAX_NOTE], made_at=now(),
        author_name=actor.get_username(),
        moves=kept(dated(numbered), notes={one["number"]: one["note"] for one in numbered}),
    )  # fmt: skip
    scenario.at, scenario.changed_at = number, now()
    scenario.save()
    return revision


def _numbered(moves: Moves) -> Moves:
    """Moves with numbers of their own: what others name them by stays."""
    taken = {one["number"] for one in moves if one.get("number")}
    told, free = [], max(taken, default=0) + 1
    seen: set[int] = set()
    today = (EPOCH + timedelta(days=newest_estate().day)).isoformat()
    for one in moves:
        number = one.get("number")
        if not number or number in seen:
            number, free = free, free + 1
        seen.add(number)
        told.append(
            {
                "number": number, "on": one.get("on") or today, "kind": one["kind"],
                "fields": one["fields"], "is_off": bool(one.get("is_off")),
                "note": str(one.get("note") or "")[:MAX_NOTE],
            }
        )  # fmt: skip
    return told


def _complete_baseline(scenario: Scenario, revision: ScenarioRevision) -> None:
    """Note what the moves name now and did not name before; what is noted stays as it was."""
    more = baseline_of(revision.moves, drawn(revision).compiled)
    scenario.baseline = {**more, **scenario.baseline}
    scenario.save()


def _rebase(scenario: Scenario, revision: ScenarioRevision) -> None:
    scenario.baseline = baseline_of(revision.moves, drawn(revision).compiled)
    scenario.baseline_at = now()
    scenario.save()


def _name(told: str) -> str:
    plain = " ".join(told.split())
    if not 0 < len(plain) <= MAX_NAME:
        raise wrong_field("name", f"Use 1 to {MAX_NAME} characters.")
    return plain
