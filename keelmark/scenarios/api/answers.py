"""What would keep every limit until a date over the API."""

from dataclasses import asdict
from datetime import date, timedelta

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.clock import utc_today
from keelmark.access.errors import wrong_field
from keelmark.access.services.allowances import Ration
from keelmark.bearings.api.asked import BEARING, bearing_of
from keelmark.core.units import MAX_BYTES
from keelmark.forecasts.api.pools import Int64Field, PartRead
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS
from keelmark.scenarios.api.scenarios import SCENARIO
from keelmark.scenarios.api.told import MOVE_KINDS, parts_of
from keelmark.scenarios.selectors.answers import answer_of
from keelmark.scenarios.selectors.kept import scenario_for

BYTE_DIGITS = 19
SEARCHES = Ration(n_at_once=20, every_seconds=3)  # each is seconds of work
UNTIL = OpenApiParameter("until", OpenApiTypes.DATE, required=True)
GROUP = OpenApiParameter(
    "group_bytes", OpenApiTypes.INT, description="usable bytes of one group of drives"
)


class ShortRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    missing_bytes = Int64Field()
    early_on = serializers.DateField(allow_null=True)
    after_on = serializers.DateField(allow_null=True, help_text="with what is answered")


class AnsweringMoveRead(serializers.Serializer[Record]):
    on = serializers.DateField()
    kind = serializers.ChoiceField(choices=MOVE_KINDS)
    fields = serializers.DictField()  # type: ignore[assignment]  # DRF's name
    title = PartRead(many=True)
    detail = PartRead(many=True)


class AnswerRead(serializers.Serializer[Record]):
    until_on = serializers.DateField()
    short = ShortRead(many=True, help_text="pools that do not hold until then on the bad case")
    moves = AnsweringMoveRead(many=True, help_text="the fewest bytes to add, then to move")
    added_bytes = Int64Field()
    moved_bytes = Int64Field()
    bound_bytes = Int64Field(help_text="at least so many must be added whatever is moved")
    is_exact = serializers.BooleanField(help_text="nothing less was left to be looked for")
    holds = serializers.BooleanField(help_text="by the dates themselves, with these moves")
    n_unjudged = serializers.IntegerField()
    growth_times = serializers.FloatField(
        allow_null=True, help_text="of its forecast, at even odds; null: not even as it is"
    )
    fails_first = serializers.CharField(allow_null=True)


class AnswerView(APIView):
    """The least that keeps every limit mark until a date, and how much growth a plan stands."""

    rations = {"GET": SEARCHES}

    @extend_schema(
        operation_id="scenarios_answer",
        parameters=[SCENARIO, BEARING[0], UNTIL, GROUP],
        responses={200: AnswerRead, 400: Problem, 404: Problem},
    )
    def get(self, request: Request, scenario_id: int) -> Response:
        actor = actor_of(request)
        told = answer_of(
            actor, scenario_for(actor, scenario_id), scope=bearing_of(request).scope,
            until_on=_until(request.query_params.get("until", "")),
            group_bytes=_group(request.query_params.get("group_bytes", "")),
        )  # fmt: skip
        answer = {
            **{name: getattr(told, name) for name in (
                "until_on", "added_bytes", "moved_bytes", "bound_bytes", "is_exact", "holds",
                "n_unjudged", "growth_times", "fails_first",
            )},
            "short": [asdict(one) for one in told.short],
            "moves": [
                {**move, "title": parts_of(line.title), "detail": parts_of(line.detail)}
                for move, line in zip(told.moves, told.lines, strict=True)
            ],
        }  # fmt: skip
        return Response(AnswerRead(answer).data)


def _until(told: str) -> date:
    latest = utc_today() + timedelta(days=HORIZON_DAYS)
    try:
        on = date.fromisoformat(told)
    except ValueError as exc:
        raise wrong_field("until", "Use a date such as 2027-03-01.") from exc
    if not utc_today() < on <= latest:
        raise wrong_field("until", f"Use a date after today and up to {latest}.")
    return on


def _group(told: str) -> int | None:
    if not told:
        return None
    if not told.isdecimal() or len(told) > BYTE_DIGITS or not 0 < int(told) <= MAX_BYTES:
        raise wrong_field("group_bytes", "Use whole bytes, 1 or more.")
    return int(told)
