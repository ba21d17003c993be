"""Where objects go over the API: buckets and tiers, what their quotas leave, what they cost."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.clock import utc_today
from keelmark.access.errors import wrong_field
from keelmark.access.rights import Right
from keelmark.bearings.api.asked import BEARING, bearing_of
from keelmark.core.errors import RangeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.kinds import OBJECT_TIERS
from keelmark.core.placement.objects import ObjectCandidate, ObjectsAsked
from keelmark.core.units import MAX_BYTES
from keelmark.forecasts.api.pools import Int64Field
from keelmark.scenarios.api.placements import (
    DAYS_PER_WEEK,
    MOST_TOLD,
    TRIALS,
    PlaceAtRead,
    WeightsWrite,
    days_of,
    weights_of,
)
from keelmark.scenarios.selectors.object_placing import ObjectPlacing, object_placing_of
from keelmark.scenarios.selectors.prices import currency_of_prices

TIERS = list(OBJECT_TIERS)


class ObjectsWrite(serializers.Serializer[Record]):
    first_bytes = Int64Field(min_value=1, max_value=MAX_BYTES)
    bytes_a_week = Int64Field(min_value=0, max_value=MAX_BYTES, default=0)
    first_on = serializers.DateField(required=False, help_text="without it, tomorrow")
    last_until_on = serializers.DateField()
    tiers = serializers.ListField(
        child=serializers.ChoiceField(choices=TIERS), default=list,
        help_text="without any, all",
    )  # fmt: skip
    weights = WeightsWrite(required=False)


class ObjectCandidateRead(serializers.Serializer[Record]):
    rank = serializers.IntegerField(allow_null=True)
    bucket = PlaceAtRead()
    account = PlaceAtRead(allow_null=True)
    tenant_name = serializers.CharField(allow_null=True)
    tier = serializers.ChoiceField(choices=TIERS)
    has_quota = serializers.BooleanField(help_text="false: nothing that anybody tells ends it")
    is_judged = serializers.BooleanField(help_text="false: its account's future is not known")
    quota_bytes = serializers.FloatField(
        allow_null=True, help_text="by which the limit of its account's quota is cleared or missed"
    )
    early_days = serializers.FloatField(allow_null=True, help_text="of its account, with all of it")
    cost_a_month = serializers.FloatField(allow_null=True, help_text="by its last day")


class ObjectPlacementRead(serializers.Serializer[Record]):
    currency = serializers.CharField(allow_blank=True)
    held_by_then_bytes = Int64Field()
    n_fitting = serializers.IntegerField()
    n_rejected = serializers.IntegerField()
    candidates = ObjectCandidateRead(many=True)


class ObjectPlacementView(APIView):
    """Nothing is kept: the same question may be asked as often as wanted."""

    rights = {"POST": Right.PLAN}
    rations = {"POST": TRIALS}

    @extend_schema(
        operation_id="placement_objects", parameters=[BEARING[0], BEARING[-1]],
        request=ObjectsWrite,
        responses={200: ObjectPlacementRead, 400: Problem, 404: Problem, 422: Problem},
    )  # fmt: skip
    def post(self, request: Request) -> Response:
        form = ObjectsWrite(data=request.data)
        form.is_valid(raise_exception=True)
        bearing = bearing_of(request)
        placing = object_placing_of(
            actor_of(request), scope=bearing.scope, asked=_asked(form.validated_data),
            weights=weights_of(form.validated_data.get("weights") or {}),
            scenario_id=bearing.scenario_id,
        )  # fmt: skip
        return Response(ObjectPlacementRead(_told(placing)).data)


def _asked(wanted: dict[str, Any]) -> ObjectsAsked:  # Any: a validated form
    first_day, last_day = days_of(wanted, today=utc_today())
    try:
        return ObjectsAsked(
            first_bytes=wanted["first_bytes"], last_day=last_day, first_day=first_day,
            growth_bytes_per_day=wanted["bytes_a_week"] // DAYS_PER_WEEK,
            tiers=frozenset(wanted["tiers"] or OBJECT_TIERS),
        )  # fmt: skip
    except RangeError as exc:
        raise wrong_field(exc.argument, f"Use {exc.wanted}.") from exc


def _told(placing: ObjectPlacing) -> dict[str, Any]:  # Any: JSON
    n_fitting = sum(one.rank is not None for one in placing.candidates)
    asked = placing.asked
    days = asked.last_day - asked.first_day
    return {
        "currency": currency_of_prices(),
        "held_by_then_bytes": asked.first_bytes + days * asked.growth_bytes_per_day,
        "n_fitting": n_fitting,
        "n_rejected": len(placing.candidates) - n_fitting,
        "candidates": [_candidate(placing, one) for one in placing.candidates[:MOST_TOLD]],
    }


def _candidate(placing: ObjectPlacing, one: ObjectCandidate) -> dict[str, Any]:  # Any: JSON
    reading = placing.view.reading

    def named(kind: str, row: int) -> dict[str, Any] | None:  # Any: JSON
        if row == NOWHERE:
            return None
        table = reading.estate.table(kind)
        return {"id": int(table.ids[row]), "name": table.names[row]}

    tenant = named("tenant", int(reading.link("bucket", "tenant")[one.bucket]))
    return {
        "rank": one.rank, "bucket": named("bucket", one.bucket),
        "account": named("account", int(reading.link("bucket", "account")[one.bucket])),
        "tenant_name": tenant and tenant["name"],
        "tier": one.tier, "has_quota": one.has_quota, "is_judged": one.is_judged,
        "quota_bytes": one.quota_bytes, "early_days": one.early_days,
        "cost_a_month": one.cost_a_month,
    }  # fmt: skip
