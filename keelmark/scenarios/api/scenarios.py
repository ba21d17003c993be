"""Scenarios over the API: drawn up, changed, taken back, copied, said something of."""

from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import IF_MATCH, Problem, Record, actor_of
from keelmark.access.rights import Right
from keelmark.access.versions import versioned, wanted_version
from keelmark.core.scenario.moves import MOVES, Ask, Form
from keelmark.scenarios.api.told import (
    CommentRead,
    MoveKindRead,
    MovesPutIn,
    MovesWrite,
    ScenarioBriefRead,
    ScenarioChangeWrite,
    ScenarioNameRead,
    ScenarioRead,
    ScenarioWrite,
    brief_told,
    scenario_told,
)
from keelmark.scenarios.models import MAX_NAME, MAX_NOTE, Scenario
from keelmark.scenarios.selectors.kept import names_defined, scenario_for, scenarios_for
from keelmark.scenarios.services.keeping import (
    add_moves,
    copy,
    draw_up,
    facts_of,
    rebase,
    say,
    set_moves,
    settle,
    step,
)

SCENARIO = OpenApiParameter("scenario_id", OpenApiTypes.INT, OpenApiParameter.PATH)


class StepWrite(serializers.Serializer[Record]):
    is_back = serializers.BooleanField(help_text="take back; else do again")


class CopyWrite(serializers.Serializer[Record]):
    name = serializers.CharField(max_length=MAX_NAME)


class CommentWrite(serializers.Serializer[Record]):
    text = serializers.CharField(max_length=MAX_NOTE)


def choices_of(ask: Ask) -> list[str]:
    """Return what may be chosen for a field: of policies and tiers those that stand."""
    if ask.form in (Form.POLICY, Form.TIER):
        return names_defined(ask.form)
    return list(ask.choices)


class MoveKindsView(APIView):
    """The kinds of moves with their fields."""

    @extend_schema(operation_id="move_kinds", responses={200: MoveKindRead(many=True)})
    def get(self, request: Request) -> Response:
        told = [
            {
                "kind": one.kind, "title": one.title, "about": one.about,
                "asks": [
                    {
                        "name": ask.name, "label": ask.label, "form": ask.form.value,
                        "kinds": list(ask.kinds), "choices": choices_of(ask),
                        "is_optional": ask.is_optional, "without": ask.without,
                        "about": ask.about,
                    }
                    for ask in one.asks
                ],
            }
            for one in MOVES.values()
        ]  # fmt: skip
        return Response(MoveKindRead(told, many=True).data)


class ScenariosView(APIView):
    """Scenarios of one's own and of the team, those changed last first."""

    rights = {"POST": Right.PLAN}

    @extend_schema(operation_id="scenarios_list", responses={200: ScenarioBriefRead(many=True)})
    def get(self, request: Request) -> Response:
        found = scenarios_for(actor_of(request))
        return Response(ScenarioBriefRead([brief_told(one) for one in found], many=True).data)

    @extend_schema(
        operation_id="scenarios_draw_up",
        request=ScenarioWrite,
        responses={201: ScenarioRead, 400: Problem},
    )
    def post(self, request: Request) -> Response:
        form = ScenarioWrite(data=request.data)
        form.is_valid(raise_exception=True)
        told = form.validated_data
        made = draw_up(
            actor=actor_of(request), name=told["name"], note=told["note"],
            is_shared=told["is_shared"], moves=[move_told(one) for one in told["moves"]],
        )  # fmt: skip
        return _answer(request, made, status=201)


class ScenarioNamesView(APIView):
    """What may be looked at as: every screen offers them, so nothing is worked out for it."""

    @extend_schema(operation_id="scenarios_names", responses={200: ScenarioNameRead(many=True)})
    def get(self, request: Request) -> Response:
        found = scenarios_for(actor_of(request)).only("pk", "name", "state", "changed_at")
        return Response(ScenarioNameRead(found, many=True).data)


class ScenarioView(APIView):
    """One scenario with its moves."""

    rights = {"PATCH": Right.PLAN}

    @extend_schema(
        operation_id="scenarios_read",
        parameters=[SCENARIO],
        responses={200: ScenarioRead, 404: Problem},
    )
    def get(self, request: Request, scenario_id: int) -> Response:
        return _answer(request, scenario_for(actor_of(request), scenario_id))

    @extend_schema(
        operation_id="scenarios_change",
        parameters=[SCENARIO, IF_MATCH],
        request=ScenarioChangeWrite,
        responses={200: ScenarioRead, 400: Problem, 403: Problem, 404: Problem, 412: Problem},
    )
    def patch(self, request: Request, scenario_id: int) -> Response:
        form = ScenarioChangeWrite(data=request.data)
        form.is_valid(raise_exception=True)
        made = settle(
            actor=actor_of(request), scenario_id=scenario_id,
            seen_version=wanted_version(request), **form.validated_data,
        )  # fmt: skip
        return _answer(request, made)


class MovesView(APIView):
    """The moves of a scenario: all of them written, or some put in behind the others."""

    rights = {"PUT": Right.PLAN, "POST": Right.PLAN}

    @extend_schema(
        operation_id="scenarios_moves_set",
        parameters=[SCENARIO, IF_MATCH],
        request=MovesWrite,
        responses={
            200: ScenarioRead, 400: Problem, 403: Problem, 404: Problem, 409: Problem,
            412: Problem,
        },
    )  # fmt: skip
    def put(self, request: Request, scenario_id: int) -> Response:
        form = MovesWrite(data=request.data)
        form.is_valid(raise_exception=True)
        made = set_moves(
            actor=actor_of(request), scenario_id=scenario_id,
            moves=[move_told(one) for one in form.validated_data["moves"]],
            what=form.validated_data["what"], seen_version=wanted_version(request),
        )  # fmt: skip
        return _answer(request, made)

    @extend_schema(
        operation_id="scenarios_moves_put_in",
        parameters=[SCENARIO],
        request=MovesPutIn,
        responses={200: ScenarioRead, 400: Problem, 403: Problem, 404: Problem, 409: Problem},
    )
    def post(self, request: Request, scenario_id: int) -> Response:
        form = MovesPutIn(data=request.data)
        form.is_valid(raise_exception=True)
        made = add_moves(
            actor=actor_of(request), scenario_id=scenario_id,
            moves=[move_told(one) for one in form.validated_data["moves"]],
        )  # fmt: skip
        return _answer(request, made)


class ScenarioStepsView(APIView):
    """The last change is taken back, or what was taken back is done again."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="scenarios_step",
        parameters=[SCENARIO, IF_MATCH],
        request=StepWrite,
        responses={200: ScenarioRead, 400: Problem, 404: Problem, 409: Problem, 412: Problem},
    )
    def post(self, request: Request, scenario_id: int) -> Response:
        form = StepWrite(data=request.data)
        form.is_valid(raise_exception=True)
        made = step(
            actor=actor_of(request), scenario_id=scenario_id,
            is_back=form.validated_data["is_back"], seen_version=wanted_version(request),
        )  # fmt: skip
        return _answer(request, made)


class ScenarioRebaseView(APIView):
    """The estate as it is now is taken for what the scenario is drawn up on."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="scenarios_rebase",
        parameters=[SCENARIO, IF_MATCH],
        request=None,
        responses={200: ScenarioRead, 404: Problem, 412: Problem},
    )
    def post(self, request: Request, scenario_id: int) -> Response:
        made = rebase(
            actor=actor_of(request), scenario_id=scenario_id, seen_version=wanted_version(request)
        )
        return _answer(request, made)


class ScenarioCopiesView(APIView):
    """Another scenario with the same moves, to be tried otherwise."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="scenarios_copy",
        parameters=[SCENARIO],
        request=CopyWrite,
        responses={201: ScenarioRead, 400: Problem, 404: Problem},
    )
    def post(self, request: Request, scenario_id: int) -> Response:
        form = CopyWrite(data=request.data)
        form.is_valid(raise_exception=True)
        made = copy(
            actor=actor_of(request), scenario_id=scenario_id, name=form.validated_data["name"]
        )
        return _answer(request, made, status=201)


class ScenarioCommentsView(APIView):
    """What is said of a scenario."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="scenarios_say",
        parameters=[SCENARIO],
        request=CommentWrite,
        responses={201: CommentRead, 400: Problem, 404: Problem},
    )
    def post(self, request: Request, scenario_id: int) -> Response:
        form = CommentWrite(data=request.data)
        form.is_valid(raise_exception=True)
        made = say(
            actor=actor_of(request), scenario_id=scenario_id, text=form.validated_data["text"]
        )
        told = {"id": made.pk, "text": made.text, "at": made.at, "author": made.author_name}
        return Response(CommentRead(told).data, status=201)


def move_told(told: dict[str, Any]) -> dict[str, Any]:  # Any: a validated form
    """Return a move as it is kept."""
    return {**told, "on": told["on"].isoformat()} if "on" in told else dict(told)


def _answer(request: Request, scenario: Scenario, *, status: int = 200) -> Response:
    told = ScenarioRead(scenario_told(actor_of(request), scenario)).data
    return versioned(Response(told, status=status), facts=facts_of(scenario))
