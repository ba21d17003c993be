"""Scenarios as they are kept, for whom they are, and their moves as the core knows them."""

import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from hashlib import sha256
from typing import Any

from django.contrib.auth.models import User
from django.db.models import Q, QuerySet
from rest_framework.exceptions import NotFound

from keelmark.access.rights import Right, has_right
from keelmark.access.selectors import sees_all
from keelmark.bearings.selectors.picture import Drawn, day_of, drawn_of, newest_estate
from keelmark.compliance.selectors.definitions import standing_policies
from keelmark.compliance.selectors.tiers import standing_tiers
from keelmark.core.days import EPOCH
from keelmark.core.estate.estate import Estate
from keelmark.core.scenario.compiling import Compiled, Dated, compiled
from keelmark.core.scenario.moves import Fault, Form, MoveFieldError, move_of, told_of
from keelmark.estate.allotments import draws_of
from keelmark.scenarios.errors import MoveError
from keelmark.scenarios.models import Scenario, ScenarioRevision

Moves = list[dict[str, Any]]  # Any: JSON of moves as they are kept


def scenarios_for(actor: User) -> QuerySet[Scenario]:
    """Return what a person may see: their own, and those of the team; tenants' viewers none."""
    if not sees_all(actor):
        return Scenario.objects.none()
    return Scenario.objects.filter(Q(is_shared=True) | Q(owner=actor))


def scenario_for(actor: User, scenario_id: int) -> Scenario:
    """Return one that a person may see; raise NotFound else."""
    found = scenarios_for(actor).filter(pk=scenario_id).first()
    if found is None:
        raise NotFound(f"No scenario {scenario_id} is known.")
    return found


def may_change(actor: User, scenario: Scenario) -> bool:
    """Return whether a person may change what they see."""
    return has_right(actor, Right.PLAN) and (scenario.is_shared or scenario.owner_id == actor.pk)


def standing_revision(scenario: Scenario) -> ScenarioRevision:
    """Return the revision that stands."""
    return scenario.revisions.get(number=scenario.at)


def dated(moves: Moves) -> list[Dated]:
    """Return moves as the core knows them; raise MoveError at the first that cannot be read."""
    told = []
    for place, one in enumerate(moves):
        try:
            move = move_of(one["kind"], one["fields"])
        except MoveFieldError as exc:
            raise MoveError(exc, place=place) from exc
        told.append(
            Dated(
                number=one["number"], day=day_of(date.fromisoformat(one["on"])), move=move,
                is_off=one["is_off"],
            )
        )  # fmt: skip
    return told


def kept(moves: Sequence[Dated], *, notes: dict[int, str]) -> Moves:
    """Return moves as they are kept."""
    return [
        {
            "number": one.number, "on": (EPOCH + timedelta(days=one.day)).isoformat(),
            "kind": one.move.kind, "fields": told_of(one.move), "is_off": one.is_off,
            "note": notes.get(one.number, ""),
        }
        for one in moves
    ]  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedMoves:
    """Moves of one revision of a scenario, to be read with the estate."""

    scenario_id: int
    revision: int
    moves: tuple[Dated, ...]
    without: int | None = None  # the number of a move that is left out
    # By allotment, how much of it is being provisioned for them: that is their own.
    draws: tuple[tuple[int, int], ...] = ()
    tried: str = ""  # what is put behind them and kept nowhere, as a digest

    @property
    def key(self) -> str:
        """Return what tells this version from any other."""
        left_out = "" if self.without is None else f"-{self.without}"
        drawn = "".join(f"+{pk}:{n_bytes}" for pk, n_bytes in self.draws)
        tried = f"?{self.tried}" if self.tried else ""
        return f"{self.scenario_id}.{self.revision}{left_out}{drawn}{tried}"

    def compiled(self, estate: Estate) -> Compiled:
        """Return what they do to an estate; what is held for them is not there twice."""
        drawn = dict(self.draws)
        others = tuple(
            one.drawn(-drawn.get(-one.owner, 0))
            for one in estate.holds
            if one.owner != self.scenario_id
        )
        return _known(compiled(replace(estate, holds=others), self.moves), self.moves)


def names_defined(form: Form) -> list[str]:
    """Return the names of the policies or tiers that stand, by name."""
    standing = standing_policies() if form is Form.POLICY else standing_tiers()
    return sorted(standing.values_list("name", flat=True), key=str.casefold)


def _known(told: Compiled, moves: Sequence[Dated]) -> Compiled:
    """Bar what names a policy or tier that does not stand: nothing is promised by it."""
    bars: dict[int, Fault] = {}
    for one in moves:
        for ask in one.move.asks:
            if ask.form not in (Form.POLICY, Form.TIER):
                continue
            word = str(getattr(one.move, ask.name))
            if word.casefold() not in {name.casefold() for name in names_defined(ask.form)}:
                bars[one.number] = Fault(
                    field=ask.name, says=(f"no {ask.form.value} {word} stands",),
                    would_be=f"draw that {ask.form.value} up, or name another",
                )  # fmt: skip
    return replace(
        told,
        told=tuple(
            replace(one, faults=(*one.faults, bars[one.number])) if one.number in bars else one
            for one in told.told
        ),
    )


def planned_in(revision: ScenarioRevision) -> PlannedMoves:
    """Return the moves of a revision."""
    return PlannedMoves(
        scenario_id=revision.scenario_id,
        revision=revision.pk,
        moves=tuple(dated(revision.moves)),
        draws=draws_of(revision.scenario_id),
    )


def trying(actor: User, scenario_id: int | None, moves: Moves) -> PlannedMoves:
    """Return moves behind those of a scenario, or alone, as they would be if they were kept."""
    base = PlannedMoves(scenario_id=0, revision=0, moves=())
    if scenario_id is not None:
        base = planned_for(actor, scenario_id)
    first = max((one.number for one in base.moves), default=0) + 1
    today = EPOCH + timedelta(days=newest_estate().day)
    more = [
        {"on": today.isoformat(), **one, "number": first + place}
        for place, one in enumerate(moves)
    ]  # fmt: skip
    digest = sha256(json.dumps(more, sort_keys=True).encode()).hexdigest()
    return replace(base, moves=(*base.moves, *dated(more)), tried=digest)


def planned_for(actor: User, scenario_id: int) -> PlannedMoves:
    """Return what is planned in a scenario that a person may see; raise NotFound else."""
    return planned_in(standing_revision(scenario_for(actor, scenario_id)))


def drawn(revision: ScenarioRevision) -> Drawn:
    """Return what a revision does to the newest estate."""
    return drawn_of(planned_in(revision))
