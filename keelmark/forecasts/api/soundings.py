"""Readings of anything, day by day, over the API."""

from dataclasses import asdict

from drf_spectacular.utils import extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem
from keelmark.access.clock import utc_today
from keelmark.forecasts.api.pools import Int64Field, Record
from keelmark.forecasts.api.standing import ENTITY, entity_of
from keelmark.forecasts.models import Metric
from keelmark.forecasts.reading.soundings import soundings_of

MAX_DAYS = 4000


class SoundingsRead(serializers.Serializer[Record]):
    metric = serializers.ChoiceField(choices=Metric.choices)
    unit = serializers.CharField(help_text="of every amount here")
    first_on = serializers.DateField()
    amounts = serializers.ListField(child=Int64Field(allow_null=True))
    sizes = serializers.ListField(
        child=Int64Field(allow_null=True), help_text="what it could hold on that day, where told"
    )


class SoundingsWanted(serializers.Serializer[Record]):
    metric = serializers.ChoiceField(choices=Metric.choices, default=Metric.USED)
    days = serializers.IntegerField(min_value=1, max_value=MAX_DAYS, default=90)


class SoundingsView(APIView):
    """Daily readings of one metric of a thing over a window that ends today."""

    @extend_schema(
        operation_id="soundings_read",
        parameters=[ENTITY, SoundingsWanted],
        responses={200: SoundingsRead, 400: Problem, 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        form = SoundingsWanted(data=request.query_params)
        form.is_valid(raise_exception=True)
        entity, metric = entity_of(request, entity_id), Metric(form.validated_data["metric"])
        today = utc_today()
        told = soundings_of(entity, metric=metric, n_days=form.validated_data["days"], today=today)
        if told is None:
            raise exceptions.NotFound(
                f"Of {entity.kind} {entity.name} no readings of {metric} are kept."
            )
        return Response(SoundingsRead({**asdict(told), "unit": metric.unit}).data)
