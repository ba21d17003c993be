"""What scenarios do over the API, side by side with the estate as it is."""

from dataclasses import asdict, replace
from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.errors import wrong_field
from keelmark.access.rights import Right
from keelmark.bearings.api.asked import BEARING, ID_DIGITS, AtRead, at_told, bearing_of
from keelmark.bearings.selectors.picture import Drawn, drawn_of
from keelmark.bearings.selectors.views import View, view_for
from keelmark.forecasts.api.pools import Int64Field
from keelmark.forecasts.api.standing import ENTITY
from keelmark.scenarios.api.placements import TRIALS
from keelmark.scenarios.api.scenarios import SCENARIO, move_told
from keelmark.scenarios.api.told import EndRead, MovesPutIn
from keelmark.scenarios.selectors.courses import course_for
from keelmark.scenarios.selectors.kept import drawn, scenario_for, standing_revision, trying
from keelmark.scenarios.selectors.moving import Before, Broken
from keelmark.scenarios.selectors.outcomes import (
    Figures,
    Outcome,
    broken_in,
    figures_of,
    outcome_of,
)
from keelmark.scenarios.selectors.prices import currency_of_prices

MOST_BESIDE = 3  # four side by side
TRIED = 0  # in the place of a scenario's id: what is kept nowhere
BESIDE = OpenApiParameter(
    "beside", OpenApiTypes.STR, description=f"up to {MOST_BESIDE} other scenarios, with commas"
)


class ClusterBerthsRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    n_free = serializers.IntegerField(allow_null=True)
    limited_by = serializers.CharField(allow_null=True)


class OutcomeLineRead(serializers.Serializer[Record]):
    scenario_id = serializers.IntegerField(
        allow_null=True, help_text="null: as it is; 0: what is tried"
    )
    name = serializers.CharField()
    n_berths = serializers.IntegerField(allow_null=True)
    n_unknown_clusters = serializers.IntegerField()
    clusters = ClusterBerthsRead(many=True)
    exposure_bytes = Int64Field()
    n_broken = serializers.IntegerField(help_text="subjects that break a rule")
    n_past_limit = serializers.IntegerField(help_text="pools at or past their limit mark")
    n_oversold = serializers.IntegerField(help_text="arrays that promise more IOPS than they do")
    n_held = serializers.IntegerField(
        allow_null=True, help_text="disks, by the newest means at its limits; null: none was read"
    )
    n_starved = serializers.IntegerField(allow_null=True, help_text="the same")
    costs_a_month = serializers.FloatField(
        allow_null=True,
        help_text="of pools and objects, by the price list; null: none has a price",
    )
    n_unpriced = serializers.IntegerField(
        help_text="pools without a price, which cost nothing in it"
    )
    first_end = EndRead(allow_null=True)
    order_by = EndRead(allow_null=True)
    spends = serializers.FloatField()
    n_barred = serializers.IntegerField(help_text="moves that cannot be and are left out")


class StandRead(serializers.Serializer[Record]):
    size_bytes = Int64Field(allow_null=True)
    used_bytes = Int64Field(allow_null=True)
    promised_bytes = Int64Field(allow_null=True)
    held_bytes = Int64Field(allow_null=True, help_text="by other accepted scenarios")
    state = serializers.CharField(allow_null=True)


class EndDatesRead(serializers.Serializer[Record]):
    early_on = serializers.DateField(allow_null=True)
    likely_on = serializers.DateField(allow_null=True)
    late_on = serializers.DateField(allow_null=True)
    order_by_on = serializers.DateField(allow_null=True)


class MovedRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    place = serializers.CharField()
    caution_percent = serializers.IntegerField()
    limit_percent = serializers.IntegerField()
    lead_time_days = serializers.IntegerField()
    before = StandRead(allow_null=True)
    after = StandRead(allow_null=True)
    dates_before = EndDatesRead()
    dates_after = EndDatesRead()


class TurnedRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    is_broken = serializers.BooleanField()


class OutcomeRead(serializers.Serializer[Record]):
    at = AtRead()
    currency = serializers.CharField(allow_blank=True, help_text="of prices; empty: there are none")
    lines = OutcomeLineRead(many=True)
    moved = MovedRead(many=True, help_text="whose runway the scenario moves, the first end first")
    n_moved = serializers.IntegerField()
    turned = TurnedRead(many=True)
    n_turned = serializers.IntegerField()


class ScenarioCourseRead(serializers.Serializer[Record]):
    first_on = serializers.DateField(help_text="today, the first of the days")
    added_bytes = serializers.ListField(
        child=serializers.FloatField(), help_text="held more than forecast; empty: not touched"
    )
    size_bytes = serializers.ListField(child=Int64Field(), help_text="0 where nobody knows")
    limit_percent = serializers.IntegerField()
    dates_before = EndDatesRead()
    dates_after = EndDatesRead()


class ScenarioCourseView(APIView):
    """How one thing goes on with a scenario."""

    @extend_schema(
        operation_id="scenarios_course", parameters=[SCENARIO, ENTITY],
        responses={200: ScenarioCourseRead, 404: Problem},
    )  # fmt: skip
    def get(self, request: Request, scenario_id: int, entity_id: int) -> Response:
        told = course_for(actor_of(request), scenario_id=scenario_id, entity_id=entity_id)
        return Response(
            ScenarioCourseRead(
                {
                    "first_on": told.first_on, "added_bytes": told.added.tolist(),
                    "size_bytes": told.sizes.tolist(), "limit_percent": told.limit_percent,
                    "dates_before": told.before, "dates_after": told.after,
                }
            ).data
        )  # fmt: skip


class OutcomeView(APIView):
    """A scenario beside the estate as it is, and beside others, at one bearing."""

    @extend_schema(
        operation_id="scenarios_outcome",
        parameters=[SCENARIO, *BEARING, BESIDE],
        responses={200: OutcomeRead, 400: Problem, 404: Problem},
    )
    def get(self, request: Request, scenario_id: int) -> Response:
        actor, bearing = actor_of(request), bearing_of(request)
        as_it_is = view_for(actor, bearing=replace(bearing, scenario_id=None))
        broken = broken_in(as_it_is)
        lines = [_as_it_is(as_it_is, broken=broken)]
        answers = []
        for one in [scenario_id, *_beside(request, without=scenario_id)]:
            scenario = scenario_for(actor, one)
            view = view_for(actor, bearing=replace(bearing, scenario_id=one))
            plan = drawn(standing_revision(scenario))
            told = outcome_of(view, as_it_is=as_it_is, was_broken=broken, drawn=plan)
            answers.append((view, told))
            lines.append(_line(told.figures, plan, scenario_id=one, name=scenario.name))
        return _answer(*answers[0], lines=lines)


class TrialOutcomeView(APIView):
    """What moves would do that are kept nowhere, alone or behind those of a scenario."""

    rights = {"POST": Right.PLAN}
    rations = {"POST": TRIALS}

    @extend_schema(
        operation_id="placement_outcome",
        parameters=[*BEARING],
        request=MovesPutIn,
        responses={200: OutcomeRead, 400: Problem, 404: Problem, 422: Problem},
    )
    def post(self, request: Request) -> Response:
        form = MovesPutIn(data=request.data)
        form.is_valid(raise_exception=True)
        actor, bearing = actor_of(request), bearing_of(request)
        as_it_is = view_for(actor, bearing=replace(bearing, scenario_id=None))
        broken = broken_in(as_it_is)
        lines, before = [_as_it_is(as_it_is, broken=broken)], None
        if bearing.scenario_id is not None:
            scenario = scenario_for(actor, bearing.scenario_id)
            stood = view_for(actor, bearing=bearing)
            before = Before(
                view=stood, drawn=drawn(standing_revision(scenario)), broken=broken_in(stood)
            )
            figures = figures_of(stood, broken=before.broken)
            lines.append(_line(figures, before.drawn, scenario_id=scenario.pk, name=scenario.name))
        tried = trying(
            actor, bearing.scenario_id, [move_told(one) for one in form.validated_data["moves"]]
        )
        view, plan = view_for(actor, bearing=bearing, tried=tried), drawn_of(tried)
        told = outcome_of(view, as_it_is=as_it_is, was_broken=broken, drawn=plan, before=before)
        lines.append(_line(told.figures, plan, scenario_id=TRIED, name="with it"))
        return _answer(view, told, lines=lines)


def _as_it_is(view: View, *, broken: Broken) -> dict[str, Any]:  # Any: JSON
    return {"scenario_id": None, "name": "as it is", "spends": 0.0, "n_barred": 0,
            **asdict(figures_of(view, broken=broken))}  # fmt: skip


def _line(
    figures: Figures, plan: Drawn, *, scenario_id: int, name: str
) -> dict[str, Any]:  # Any: JSON
    told = plan.compiled
    return {"scenario_id": scenario_id, "name": name, "spends": told.spends,
            "n_barred": sum(one.is_barred for one in told.told), **asdict(figures)}  # fmt: skip


def _answer(view: View, told: Outcome, *, lines: list[dict[str, Any]]) -> Response:  # Any: JSON
    answer = {
        "at": at_told(view), "lines": lines, "currency": currency_of_prices(),
        "moved": [asdict(one) for one in told.moved], "n_moved": told.n_moved,
        "turned": [asdict(one) for one in told.turned], "n_turned": told.n_turned,
    }  # fmt: skip
    return Response(OutcomeRead(answer).data)


def _beside(request: Request, *, without: int) -> list[int]:
    told = [one for one in request.query_params.get("beside", "").split(",") if one]
    if len(told) > MOST_BESIDE or not all(
        one.isdecimal() and len(one) <= ID_DIGITS for one in told
    ):
        raise wrong_field("beside", f"Use up to {MOST_BESIDE} numbers of scenarios.")
    return [one for one in dict.fromkeys(map(int, told)) if one != without]
