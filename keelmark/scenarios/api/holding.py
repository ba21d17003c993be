"""Accepting over the API: what would be held, what is held, renewed and given up."""

from datetime import date, timedelta
from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import IF_MATCH, Problem, Record, actor_of
from keelmark.access.clock import utc_today
from keelmark.access.errors import wrong_field
from keelmark.access.rights import Right
from keelmark.access.versions import versioned, wanted_version
from keelmark.core.days import EPOCH
from keelmark.core.scenario.holding import HELD_KINDS
from keelmark.estate.models import Reservation
from keelmark.forecasts.api.pools import Int64Field
from keelmark.scenarios.api.scenarios import SCENARIO
from keelmark.scenarios.api.told import ScenarioRead, scenario_told
from keelmark.scenarios.models import Scenario, State
from keelmark.scenarios.selectors.holding import (
    HeldPlace,
    held_by,
    held_places,
    last_day_of,
    would_hold,
)
from keelmark.scenarios.selectors.kept import scenario_for
from keelmark.scenarios.services.accepting import accept, give_up, renew
from keelmark.scenarios.services.keeping import facts_of

HELD_BESIDE = timedelta(days=30)  # after the last move, unless another day is asked for
HELD_PLACES = list(HELD_KINDS)
REFUSALS = {400: Problem, 403: Problem, 404: Problem, 409: Problem, 412: Problem}


class HeldPlaceRead(serializers.Serializer[Record]):
    id = serializers.IntegerField(help_text="of the pool or datastore")
    kind = serializers.ChoiceField(choices=HELD_PLACES)
    name = serializers.CharField()
    home_name = serializers.CharField(help_text="its array, or its cluster", allow_blank=True)
    first_on = serializers.DateField()
    first_bytes = Int64Field(help_text="on that day")
    most_bytes = Int64Field()
    come_bytes = Int64Field(help_text="of it, read by now where it was to come")
    promised_bytes = Int64Field()
    min_iops = Int64Field()
    busy_iops = Int64Field()


class AcceptanceRead(serializers.Serializer[Record]):
    is_accepted = serializers.BooleanField(help_text="else: what would be held")
    accepted_at = serializers.DateTimeField(allow_null=True)
    accepted_by = serializers.CharField(allow_blank=True)
    lapses_on = serializers.DateField(help_text="as it is, or as it would be at first")
    has_lapsed = serializers.BooleanField()
    places = HeldPlaceRead(many=True)


class AcceptanceWrite(serializers.Serializer[Record]):
    lapses_on = serializers.DateField(help_text="held until then")


class ReservationRead(HeldPlaceRead):
    scenario_id = serializers.IntegerField(allow_null=True, help_text="null: of an allotment")
    for_name = serializers.CharField(help_text="the scenario, or the tenant of an allotment")
    lapses_on = serializers.DateField(allow_null=True)
    has_lapsed = serializers.BooleanField()


class AcceptanceView(APIView):
    """What a scenario takes is held for it, from its days on."""

    rights = {"POST": Right.PLAN, "PATCH": Right.PLAN, "DELETE": Right.PLAN}

    @extend_schema(
        operation_id="scenarios_acceptance",
        parameters=[SCENARIO],
        responses={200: AcceptanceRead, 404: Problem},
    )
    def get(self, request: Request, scenario_id: int) -> Response:
        scenario = scenario_for(actor_of(request), scenario_id)
        is_accepted = scenario.state in (State.ACCEPTED, State.CARRIED_OUT)
        lapses_on = scenario.lapses_on or _at_first(scenario)
        told = {
            "is_accepted": is_accepted,
            "accepted_at": scenario.accepted_at,
            "accepted_by": scenario.accepted_by,
            "lapses_on": lapses_on,
            "has_lapsed": is_accepted and lapses_on <= utc_today(),
            "places": [
                place_told(one)
                for one in (held_by(scenario) if is_accepted else would_hold(scenario))
            ],
        }
        return Response(AcceptanceRead(told).data)

    @extend_schema(
        operation_id="scenarios_accept",
        parameters=[SCENARIO, IF_MATCH],
        request=AcceptanceWrite,
        responses={200: ScenarioRead, **REFUSALS},
    )
    def post(self, request: Request, scenario_id: int) -> Response:
        form = AcceptanceWrite(data=request.data)
        form.is_valid(raise_exception=True)
        made = accept(
            actor=actor_of(request), scenario_id=scenario_id,
            lapses_on=form.validated_data["lapses_on"], seen_version=wanted_version(request),
        )  # fmt: skip
        return _answer(request, made)

    @extend_schema(
        operation_id="scenarios_renew",
        parameters=[SCENARIO, IF_MATCH],
        request=AcceptanceWrite,
        responses={200: ScenarioRead, **REFUSALS},
    )
    def patch(self, request: Request, scenario_id: int) -> Response:
        form = AcceptanceWrite(data=request.data)
        form.is_valid(raise_exception=True)
        made = renew(
            actor=actor_of(request), scenario_id=scenario_id,
            lapses_on=form.validated_data["lapses_on"], seen_version=wanted_version(request),
        )  # fmt: skip
        return _answer(request, made)

    @extend_schema(
        operation_id="scenarios_give_up",
        parameters=[SCENARIO, IF_MATCH],
        responses={200: ScenarioRead, **REFUSALS},
    )
    def delete(self, request: Request, scenario_id: int) -> Response:
        made = give_up(
            actor=actor_of(request), scenario_id=scenario_id, seen_version=wanted_version(request)
        )
        return _answer(request, made)


class ReservationsView(APIView):
    """All that is held, for scenarios and tenants, the next first; or what is of one thing."""

    @extend_schema(
        operation_id="reservations_list",
        parameters=[
            OpenApiParameter(
                "of", OpenApiTypes.INT,
                description="a pool or datastore, or what such are added up to",
            )
        ],
        responses={200: ReservationRead(many=True), 400: Problem},
    )  # fmt: skip
    def get(self, request: Request) -> Response:
        of = request.query_params.get("of", "")
        if of and not of.isdecimal():
            raise wrong_field("of", "Use the id of a thing.")
        told = [
            {
                **place_told(place),
                "scenario_id": one.scenario_id if isinstance(one, Reservation) else None,
                "for_name": one.scenario_name if isinstance(one, Reservation) else one.tenant.name,
                "lapses_on": one.lapses_on if isinstance(one, Reservation) else None,
                "has_lapsed": isinstance(one, Reservation) and one.lapses_on <= utc_today(),
            }
            for one, place in held_places(actor_of(request), of=int(of[:18]) if of else None)
        ]
        return Response(ReservationRead(told, many=True).data)


def place_told(one: HeldPlace) -> dict[str, Any]:  # Any: JSON
    """Return what is held of one place, as the API tells it."""
    hold = one.hold
    return {
        "id": one.entity_id, "kind": one.kind, "name": one.name, "home_name": one.home,
        "first_on": EPOCH + timedelta(days=hold.first_day), "first_bytes": hold.amounts[0],
        "most_bytes": hold.most_bytes, "come_bytes": one.come_bytes,
        "promised_bytes": hold.promised_bytes, "min_iops": hold.min_iops,
        "busy_iops": hold.busy_iops,
    }  # fmt: skip


def _at_first(scenario: Scenario) -> date:
    last = last_day_of(scenario)
    return max(last, utc_today()) + HELD_BESIDE


def _answer(request: Request, scenario: Scenario) -> Response:
    told = ScenarioRead(scenario_told(actor_of(request), scenario)).data
    return versioned(Response(told), facts=facts_of(scenario))
