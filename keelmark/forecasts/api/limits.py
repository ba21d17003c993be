"""What ends first, over the API."""

from datetime import date

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, actor_of
from keelmark.core.attention import Attention
from keelmark.estate import selectors as estate
from keelmark.estate.api import ThingRead
from keelmark.estate.models import Kind
from keelmark.forecasts.api.pools import SCOPE, DatesRead, Int64Field, Record, sift_of
from keelmark.forecasts.api.standing import ENTITY, entity_of
from keelmark.forecasts.models import Metric
from keelmark.forecasts.reading.limits import LimitTold, limits_beside_space, limits_of


class LimitRead(serializers.Serializer[Record]):
    entity = ThingRead()
    home_name = serializers.CharField(allow_null=True, help_text="of a pool: its array")
    metric = serializers.ChoiceField(choices=Metric.choices)
    unit = serializers.CharField()
    is_own = serializers.BooleanField(help_text="of the thing itself, not of what carries it")
    amount = Int64Field(allow_null=True)
    limit_amount = Int64Field()
    limit = DatesRead()
    limit_chance = serializers.FloatField(help_text="that it is reached within two years at all")
    attention = serializers.ChoiceField(choices=[a.value for a in Attention])
    attention_because = serializers.CharField()


class LimitsBesideSpaceView(APIView):
    """What else than space ends within two years, the first at the top."""

    @extend_schema(
        operation_id="limits_beside_space",
        parameters=[SCOPE],
        responses={200: LimitRead(many=True), 400: Problem},
    )
    def get(self, request: Request) -> Response:
        told = limits_beside_space(actor_of(request), sift=sift_of(request))
        return Response(_told(told))


class LimitsView(APIView):
    """What ends of a thing and of all that carries it, the first at the top."""

    @extend_schema(
        operation_id="limits_list",
        parameters=[ENTITY],
        responses={200: LimitRead(many=True), 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        entity = entity_of(request, entity_id)
        told = limits_of(entity, seen=estate.entities_for(actor_of(request)))
        return Response(_told(told))


def _told(limits: list[LimitTold]) -> object:
    homes = estate.homes_of({one.entity.pk for one in limits if one.entity.kind == Kind.POOL})
    bodies = [{**_body(one), "home_name": homes.get(one.entity.pk)} for one in limits]
    return LimitRead(bodies, many=True).data


def _body(told: LimitTold) -> dict[str, object]:
    kept = told.forecast
    dates: dict[str, date | None] = {
        f"{which}_on": getattr(kept, f"limit_{which}_on") for which in ("early", "likely", "late")
    }
    return {
        "entity": told.entity,
        "metric": told.metric,
        "unit": told.metric.unit,
        "is_own": told.is_own,
        "amount": None if kept.last_amount is None else round(kept.last_amount),
        "limit_amount": told.limit,
        "limit": dates,
        "limit_chance": kept.limit_chance,
        "attention": kept.attention,
        "attention_because": kept.attention_because,
    }
