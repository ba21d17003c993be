"""Work orders over the API: made, told step by step, proven, taken back."""

from collections.abc import Callable
from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import IF_MATCH, Problem, Record, actor_of
from keelmark.access.clock import utc_today
from keelmark.access.rights import Right
from keelmark.access.versions import version_of, versioned, wanted_version
from keelmark.core.scenario.steps import StepKind
from keelmark.feeds.models import ChangeState
from keelmark.forecasts.api.pools import PartRead
from keelmark.scenarios.api.scenarios import SCENARIO
from keelmark.scenarios.api.told import parts_of
from keelmark.scenarios.models import MAX_NAME, MAX_NOTE, StepState, WorkOrder, WorkStep
from keelmark.scenarios.selectors.carriage import WaitsFor, carriage_of, has_back, wait_of
from keelmark.scenarios.services.carrying import (
    carry_order,
    carry_step,
    halt_order,
    take_step_back,
)
from keelmark.scenarios.services.ordering import (
    drop_order,
    facts_of_order,
    make_order,
    order_for,
    prove,
    tell_step,
)

STEP = OpenApiParameter("place", OpenApiTypes.INT, OpenApiParameter.PATH)
STEP_STATES = StepState.values
STEP_KINDS = [one.value for one in StepKind]
WAITS = [one.value for one in WaitsFor]
CHANGE_STATES = ChangeState.choices
REFUSALS = {400: Problem, 403: Problem, 404: Problem, 409: Problem, 412: Problem}
TOLD = ("state", "owner_name", "window", "note")


class StepSubjectRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()


class StepChangeRead(serializers.Serializer[Record]):
    state = serializers.ChoiceField(choices=CHANGE_STATES)
    percent = serializers.IntegerField(allow_null=True, help_text="done, as the far end tells")
    problem = serializers.CharField(allow_blank=True)
    n_tries = serializers.IntegerField()
    is_back = serializers.BooleanField(help_text="the way back")


class StepCarriageRead(serializers.Serializer[Record]):
    can_be = serializers.BooleanField(help_text="it can be written at its far end from here, now")
    is_later = serializers.BooleanField(help_text="it can be once what it is of is read")
    why = serializers.CharField(allow_blank=True, help_text="why it cannot: it is done by hand")
    confirms = serializers.CharField(allow_blank=True, help_text="has to be typed before it is")


class CarryingRead(serializers.Serializer[Record]):
    by = serializers.CharField()
    since = serializers.DateTimeField()


class WaitRead(serializers.Serializer[Record]):
    place = serializers.IntegerField(help_text="of the first step that is not through")
    what = serializers.ChoiceField(choices=WAITS)
    says = serializers.CharField()


class WorkStepRead(serializers.Serializer[Record]):
    place = serializers.IntegerField()
    move = serializers.IntegerField(help_text="the number of the move that it is of")
    on = serializers.DateField()
    kind = serializers.ChoiceField(choices=STEP_KINDS)
    title = PartRead(many=True)
    values = serializers.DictField(help_text="exactly what is set")
    loses = serializers.ListField(child=serializers.CharField(), help_text="gone for good then")
    subject = StepSubjectRead(allow_null=True)
    state = serializers.ChoiceField(choices=STEP_STATES)
    owner_name = serializers.CharField(allow_blank=True)
    window = serializers.CharField(allow_blank=True)
    note = serializers.CharField(allow_blank=True)
    done_at = serializers.DateTimeField(allow_null=True)
    done_by = serializers.CharField(allow_blank=True)
    verified_at = serializers.DateTimeField(allow_null=True)
    read_at = serializers.DateTimeField(allow_null=True, help_text="of the reading that tells")
    found = serializers.CharField(allow_blank=True, help_text="what it says")
    change = StepChangeRead(
        allow_null=True, help_text="what was written for it last, there or back"
    )
    carriage = StepCarriageRead(allow_null=True, help_text="of what is open")
    has_back = serializers.BooleanField(help_text="it can be taken back from here")


class WorkOrderRead(serializers.Serializer[Record]):
    scenario_id = serializers.IntegerField()
    scenario_name = serializers.CharField()
    version = serializers.CharField(help_text="for If-Match")
    made_at = serializers.DateTimeField()
    made_by = serializers.CharField()
    ended_at = serializers.DateTimeField(allow_null=True)
    n_by_state = serializers.DictField(child=serializers.IntegerField())
    carrying = CarryingRead(allow_null=True, help_text="it is being carried out from here")
    stopped = serializers.CharField(allow_blank=True, help_text="why it is no more")
    waits = WaitRead(allow_null=True)
    steps = WorkStepRead(many=True)


class WorkStepWrite(serializers.Serializer[Record]):
    state = serializers.ChoiceField(
        choices=[StepState.TO_DO.value, StepState.SETTLING.value, StepState.LEFT_OUT.value],
        required=False, help_text="settling: it is done, by whoever tells it",
    )  # fmt: skip
    owner_name = serializers.CharField(max_length=150, allow_blank=True, required=False)
    window = serializers.CharField(max_length=MAX_NAME, allow_blank=True, required=False)
    note = serializers.CharField(max_length=MAX_NOTE, allow_blank=True, required=False)


class StepWordWrite(serializers.Serializer[Record]):
    confirms = serializers.CharField(
        allow_blank=True, default="", max_length=200, help_text="the name of what is lost"
    )


class OrderView(APIView):
    """The work order of a scenario."""

    rights = {"POST": Right.PLAN, "DELETE": Right.PLAN}

    @extend_schema(
        operation_id="orders_read", parameters=[SCENARIO],
        responses={200: WorkOrderRead, 404: Problem},
    )  # fmt: skip
    def get(self, request: Request, scenario_id: int) -> Response:
        return _answer(order_for(actor_of(request), scenario_id))

    @extend_schema(
        operation_id="orders_make", parameters=[SCENARIO], request=None,
        responses={200: WorkOrderRead, **REFUSALS},
    )  # fmt: skip
    def post(self, request: Request, scenario_id: int) -> Response:
        """Make it; asked again, it is the same one."""
        return _answer(make_order(actor=actor_of(request), scenario_id=scenario_id))

    @extend_schema(
        operation_id="orders_drop", parameters=[SCENARIO], responses={204: None, **REFUSALS}
    )
    def delete(self, request: Request, scenario_id: int) -> Response:
        """Take it back; what was carried out of it stays done."""
        drop_order(actor=actor_of(request), scenario_id=scenario_id)
        return Response(status=204)


class OrderStepView(APIView):
    """One step: who does it and when, that it is done, or left out."""

    rights = {"PATCH": Right.PLAN}

    @extend_schema(
        operation_id="orders_tell_step", parameters=[SCENARIO, STEP, IF_MATCH],
        request=WorkStepWrite, responses={200: WorkOrderRead, **REFUSALS},
    )  # fmt: skip
    def patch(self, request: Request, scenario_id: int, place: int) -> Response:
        form = WorkStepWrite(data=request.data)
        form.is_valid(raise_exception=True)
        told = dict(form.validated_data)
        if "state" in told:
            told["state"] = StepState(told["state"])
        order = tell_step(
            actor=actor_of(request), scenario_id=scenario_id, place=place,
            seen_version=wanted_version(request), **told,
        )  # fmt: skip
        return _answer(order)


class OrderCarryingView(APIView):
    """The order is carried out from here, step by step, or no further."""

    rights = {"POST": Right.CARRY_OUT, "DELETE": Right.CARRY_OUT}

    @extend_schema(
        operation_id="orders_carry", parameters=[SCENARIO, IF_MATCH], request=None,
        responses={202: WorkOrderRead, **REFUSALS},
    )  # fmt: skip
    def post(self, request: Request, scenario_id: int) -> Response:
        """Have it go on by itself, each step on its day; it stops where one is not verified."""
        order = carry_order(
            actor=actor_of(request), scenario_id=scenario_id, seen_version=wanted_version(request)
        )
        return _answer(order, status=202)

    @extend_schema(
        operation_id="orders_halt", parameters=[SCENARIO],
        responses={200: WorkOrderRead, **REFUSALS},
    )  # fmt: skip
    def delete(self, request: Request, scenario_id: int) -> Response:
        """Go no further; what is sent already goes to its end."""
        return _answer(halt_order(actor=actor_of(request), scenario_id=scenario_id))


class OrderStepChangeView(APIView):
    """One step is written at its far end now, or taken back there."""

    rights = {"POST": Right.CARRY_OUT, "DELETE": Right.CARRY_OUT}

    @extend_schema(
        operation_id="orders_carry_step", parameters=[SCENARIO, STEP, IF_MATCH],
        request=StepWordWrite, responses={202: WorkOrderRead, **REFUSALS},
    )  # fmt: skip
    def post(self, request: Request, scenario_id: int, place: int) -> Response:
        return self._done(carry_step, request, scenario_id=scenario_id, place=place)

    @extend_schema(
        operation_id="orders_take_step_back",
        parameters=[SCENARIO, STEP, IF_MATCH, OpenApiParameter("confirms", OpenApiTypes.STR)],
        responses={202: WorkOrderRead, **REFUSALS},
    )  # fmt: skip
    def delete(self, request: Request, scenario_id: int, place: int) -> Response:
        return self._done(take_step_back, request, scenario_id=scenario_id, place=place)

    def _done(
        self, deed: Callable[..., WorkOrder], request: Request, *, scenario_id: int, place: int
    ) -> Response:
        told = request.query_params.dict() if request.method == "DELETE" else request.data
        form = StepWordWrite(data=told)
        form.is_valid(raise_exception=True)
        order = deed(
            actor=actor_of(request), scenario_id=scenario_id, place=place,
            seen_version=wanted_version(request), confirms=form.validated_data["confirms"],
        )  # fmt: skip
        return _answer(order, status=202)


class OrderProofView(APIView):
    """What was read lately is compared with the steps now, not in a minute."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="orders_prove", parameters=[SCENARIO], request=None,
        responses={200: WorkOrderRead, 404: Problem},
    )  # fmt: skip
    def post(self, request: Request, scenario_id: int) -> Response:
        order = order_for(actor_of(request), scenario_id)
        prove(order)
        return _answer(order)


def _answer(order: WorkOrder, *, status: int = 200) -> Response:
    steps = list(order.steps.select_related("subject", "order__scenario", "change__change_set"))
    facts = facts_of_order(order)
    counts: dict[str, int] = {}
    for one in steps:
        counts[one.state] = counts.get(one.state, 0) + 1
    is_open = order.ended_at is None
    wait = wait_of(steps, today=utc_today()) if is_open else None
    told = {
        "scenario_id": order.scenario_id, "scenario_name": order.scenario.name,
        "version": version_of(facts), "made_at": order.made_at, "made_by": order.made_by,
        "ended_at": order.ended_at, "n_by_state": counts,
        "carrying": order.carried_since
        and {"by": order.carrier_name, "since": order.carried_since},
        "stopped": order.stopped,
        "waits": wait and {"place": wait.step.place, "what": wait.what.value, "says": wait.says},
        "steps": [_step(one, is_open=is_open) for one in steps],
    }  # fmt: skip
    return versioned(Response(WorkOrderRead(told).data, status=status), facts=facts)


def _step(one: WorkStep, *, is_open: bool) -> dict[str, Any]:  # Any: JSON
    subject, change = one.subject, one.change
    names = (
        "place", "move", "on", "kind", "values", "loses", "state", "owner_name", "window", "note",
        "done_at", "done_by", "verified_at", "read_at", "found",
    )  # fmt: skip
    is_to_do = is_open and one.state in (StepState.TO_DO, StepState.OTHERWISE)
    carriage = carriage_of(one) if is_to_do else None
    return {
        **{name: getattr(one, name) for name in names},
        "title": parts_of(tuple(one.title)),
        "subject": subject and {"id": subject.pk, "kind": subject.kind, "name": subject.name},
        "change": change
        and {
            "state": change.state, "percent": change.progress.get("percent"),
            "problem": change.problem, "n_tries": change.n_tries,
            "is_back": change.change_set.takes_back_id is not None,
        },
        "carriage": carriage
        and {
            "can_be": bool(carriage.what), "is_later": carriage.is_later,
            "why": carriage.why, "confirms": carriage.confirms,
        },
        "has_back": is_open and has_back(one),
    }  # fmt: skip
