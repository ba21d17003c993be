"""What the API tells of scenarios and their moves."""

from collections.abc import Sequence
from dataclasses import asdict
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import User
from rest_framework import serializers

from keelmark.access.api.base import Record
from keelmark.access.versions import version_of
from keelmark.bearings.selectors.picture import drawn_of
from keelmark.core.days import EPOCH
from keelmark.core.scenario.compiling import Compiled, Told
from keelmark.core.scenario.moves import MOVES, Fault, Form, Parts
from keelmark.core.scenario.stage import Stage
from keelmark.forecasts.api.pools import Int64Field, PartRead
from keelmark.scenarios.models import MAX_NAME, MAX_NOTE, Scenario, State, WorkOrder
from keelmark.scenarios.selectors.baseline import changed_under
from keelmark.scenarios.selectors.kept import (
    drawn,
    may_change,
    planned_in,
    standing_revision,
)
from keelmark.scenarios.selectors.outcomes import first_end_of
from keelmark.scenarios.services.keeping import facts_of

MOVE_KINDS = list(MOVES)
SCENARIO_STATES = State.values


class AskRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]  # DRF's own attribute of that name
    form = serializers.ChoiceField(choices=[one.value for one in Form])
    kinds = serializers.ListField(child=serializers.CharField())
    choices = serializers.ListField(child=serializers.CharField())
    is_optional = serializers.BooleanField()
    without = serializers.JSONField(allow_null=True, help_text="where nothing is written")
    about = serializers.CharField()


class MoveKindRead(serializers.Serializer[Record]):
    kind = serializers.ChoiceField(choices=MOVE_KINDS)
    title = serializers.CharField()
    about = serializers.CharField()
    asks = AskRead(many=True)


class MoveFaultRead(serializers.Serializer[Record]):
    field = serializers.CharField()
    says = PartRead(many=True)
    would_be = serializers.CharField(help_text="what would let it be")
    is_bar = serializers.BooleanField(help_text="it cannot be; else only to be minded")


class NamedThingRead(serializers.Serializer[Record]):
    id = serializers.IntegerField(help_text="below 0: what the move of that number brings")
    kind = serializers.CharField()
    name = serializers.CharField()


class MoveRead(serializers.Serializer[Record]):
    number = serializers.IntegerField()
    on = serializers.DateField()
    kind = serializers.ChoiceField(choices=MOVE_KINDS)
    fields = serializers.DictField()  # type: ignore[assignment]  # DRF's name
    is_off = serializers.BooleanField()
    note = serializers.CharField()
    title = PartRead(many=True)
    detail = PartRead(many=True)
    faults = MoveFaultRead(many=True)
    things = NamedThingRead(many=True, help_text="all that its fields name")
    brings = NamedThingRead(allow_null=True, help_text="what later moves may name")


class MoveWrite(serializers.Serializer[Record]):
    number = serializers.IntegerField(min_value=1, max_value=10**6, required=False)
    on = serializers.DateField(required=False, help_text="without it, today")
    kind = serializers.ChoiceField(choices=MOVE_KINDS)
    fields = serializers.DictField()  # type: ignore[assignment]  # DRF's name
    is_off = serializers.BooleanField(default=False)
    note = serializers.CharField(max_length=MAX_NOTE, allow_blank=True, default="")


class ChangeUnderRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    what = serializers.ChoiceField(choices=["gone", "moved", "size", "used"])
    before = Int64Field(allow_null=True)
    after = Int64Field(allow_null=True)


class CommentRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    text = serializers.CharField()
    at = serializers.DateTimeField()
    author = serializers.CharField()


class EndRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    on = serializers.DateField()


class ScenarioNameRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    state = serializers.ChoiceField(choices=SCENARIO_STATES)


class ScenarioBriefRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    note = serializers.CharField()
    state = serializers.ChoiceField(choices=SCENARIO_STATES)
    owner = serializers.CharField()
    is_shared = serializers.BooleanField()
    n_moves = serializers.IntegerField()
    n_barred = serializers.IntegerField()
    first_on = serializers.DateField(allow_null=True, help_text="of the first move")
    last_on = serializers.DateField(allow_null=True)
    first_end = EndRead(allow_null=True)
    spends = serializers.FloatField()
    changed_at = serializers.DateTimeField()


class ScenarioRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    note = serializers.CharField()
    state = serializers.ChoiceField(choices=SCENARIO_STATES)
    owner = serializers.CharField()
    is_shared = serializers.BooleanField()
    is_own = serializers.BooleanField()
    may_change = serializers.BooleanField()
    has_order = serializers.BooleanField(help_text="a work order carries it out")
    version = serializers.CharField(help_text="for If-Match")
    revision = serializers.IntegerField()
    last_change = serializers.CharField()
    can_undo = serializers.BooleanField()
    can_redo = serializers.BooleanField()
    changed_at = serializers.DateTimeField()
    baseline_at = serializers.DateTimeField()
    changed_under = ChangeUnderRead(many=True)
    moves = MoveRead(many=True)
    spends = serializers.FloatField()
    comments = CommentRead(many=True)
    copied_from = serializers.IntegerField(allow_null=True)


class ScenarioWrite(serializers.Serializer[Record]):
    name = serializers.CharField(max_length=MAX_NAME)
    note = serializers.CharField(max_length=MAX_NOTE, allow_blank=True, default="")
    is_shared = serializers.BooleanField(default=False)
    moves = MoveWrite(many=True, default=list)


class ScenarioChangeWrite(serializers.Serializer[Record]):
    name = serializers.CharField(max_length=MAX_NAME, required=False)
    note = serializers.CharField(max_length=MAX_NOTE, allow_blank=True, required=False)
    is_shared = serializers.BooleanField(required=False)
    is_dropped = serializers.BooleanField(required=False)


class MovesWrite(serializers.Serializer[Record]):
    moves = MoveWrite(many=True)
    what = serializers.CharField(
        max_length=MAX_NOTE, help_text="what was changed, to be told beside undo"
    )


class MovesPutIn(serializers.Serializer[Record]):
    moves = serializers.ListField(child=MoveWrite(), min_length=1)


def parts_of(told: Parts) -> list[dict[str, Any]]:  # Any: JSON
    """Return a sentence as the API tells it."""
    return [{"bytes": one} if isinstance(one, int) else {"text": one} for one in told if one != ""]


def fault_told(fault: Fault) -> dict[str, Any]:  # Any: JSON
    """Return what bars a move, or is to be minded."""
    return {
        "field": fault.field, "says": parts_of(fault.says), "would_be": fault.would_be,
        "is_bar": fault.is_bar,
    }  # fmt: skip


def moves_told(
    moves: Sequence[dict[str, Any]], told: Compiled
) -> list[dict[str, Any]]:  # Any: JSON
    """Return moves with what they do in words, what bars them and what they name."""
    births = told.births
    stage = Stage(told.estate, births=births, plain=told.estate)
    lines: dict[int, Told] = {one.number: one for one in told.told}
    answer = []
    for move in moves:
        line = lines[move["number"]]
        born = births.get(move["number"], ())
        brought = next((one for one in born if stage.name(one)), None)
        answer.append(
            {
                **move,
                "title": parts_of(line.title),
                "detail": parts_of(line.detail),
                "faults": [fault_told(one) for one in line.faults],
                "things": [_named(stage, pk, births) for pk in line.things],
                "brings": brought
                and {
                    "id": -move["number"], "kind": brought.kind, "name": stage.name(brought),
                },
            }
        )  # fmt: skip
    return answer


def _named(stage: Stage, pk: int, births: dict[int, Any]) -> dict[str, Any]:  # Any: JSON
    at = next(iter(births.get(-pk, ())), None) if pk < 0 else stage.find(pk)
    return {
        "id": pk, "kind": at.kind if at else "", "name": stage.name(at) if at else "not known",
    }  # fmt: skip


def scenario_told(actor: User, scenario: Scenario) -> dict[str, Any]:  # Any: JSON
    """Return one scenario with its moves as they stand on the newest estate."""
    revision = standing_revision(scenario)
    told = drawn(revision).compiled
    facts = facts_of(scenario)
    return {
        "id": scenario.pk, "name": scenario.name, "note": scenario.note, "state": scenario.state,
        "owner": scenario.owner_name, "is_shared": scenario.is_shared,
        "is_own": scenario.owner_id == actor.pk, "may_change": may_change(actor, scenario),
        "has_order": WorkOrder.objects.filter(scenario=scenario).exists(),
        "version": version_of(facts), "revision": scenario.at, "last_change": revision.what,
        "can_undo": scenario.at > 1, "can_redo": scenario.at < facts["n_revisions"],
        "changed_at": scenario.changed_at, "baseline_at": scenario.baseline_at,
        "changed_under": [asdict(one) for one in changed_under(scenario)],
        "moves": moves_told(revision.moves, told), "spends": told.spends,
        "comments": [
            {"id": one.pk, "text": one.text, "at": one.at, "author": one.author_name}
            for one in scenario.comments.all()
        ],
        "copied_from": scenario.copied_from_id,
    }  # fmt: skip


def brief_told(scenario: Scenario) -> dict[str, Any]:  # Any: JSON
    """Return one line of the list."""
    planned = planned_in(standing_revision(scenario))
    told = drawn_of(planned).compiled
    days = [one.day for one in told.plan.effects]
    end = first_end_of(planned)
    return {
        "id": scenario.pk, "name": scenario.name, "note": scenario.note, "state": scenario.state,
        "owner": scenario.owner_name, "is_shared": scenario.is_shared,
        "n_moves": len(told.told), "n_barred": sum(one.is_barred for one in told.told),
        "first_on": EPOCH + timedelta(days=min(days)) if days else None,
        "last_on": EPOCH + timedelta(days=max(days)) if days else None,
        "first_end": end and asdict(end), "spends": told.spends,
        "changed_at": scenario.changed_at,
    }  # fmt: skip
