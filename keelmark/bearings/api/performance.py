"""What a thing reads and writes and how long that takes, over the API."""

from datetime import UTC, datetime, time, timedelta
from typing import Any

import numpy as np
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record
from keelmark.access.errors import wrong_field
from keelmark.bearings.api.asked import looked_at
from keelmark.bearings.selectors.performance import (
    EATERS,
    WINDOWS_DAYS,
    Performance,
    eaters_of,
    performance_of,
)
from keelmark.core.performance import PARTS, Floats

DIGITS = 3
PATH = OpenApiParameter("entity_id", OpenApiTypes.INT, OpenApiParameter.PATH)
AT = OpenApiParameter(
    "at", OpenApiTypes.DATE, description="the last day of the window; now if empty"
)
DAYS = OpenApiParameter(
    "days", OpenApiTypes.INT, enum=WINDOWS_DAYS, description="how far back; 1 if empty"
)
BY = OpenApiParameter("by", OpenApiTypes.STR, enum=EATERS, description="vm if empty")


def _numbers() -> serializers.ListField:
    return serializers.ListField(child=serializers.FloatField(allow_null=True))


class PerformanceRead(serializers.Serializer[Record]):
    source = serializers.ChoiceField(  # type: ignore[assignment]  # DRF's name
        choices=["own", "disks", "none"],
        help_text="told of it, its disks added up, or nothing was read",
    )
    n_things = serializers.IntegerField(help_text="how many disks are added up")
    first_at = serializers.DateTimeField(help_text="when the first bin begins")
    bin_seconds = serializers.IntegerField()
    read_seconds = serializers.IntegerField(help_text="how long each mean is that was read")
    sustains_iops = serializers.IntegerField(
        allow_null=True, help_text="what an array can do for long, as it is told of it"
    )
    sustains_bytes_per_second = serializers.IntegerField(allow_null=True)
    read_iops = _numbers()
    write_iops = _numbers()
    read_bytes_per_second = _numbers()
    write_bytes_per_second = _numbers()
    latency_ms = _numbers()
    array_latency_ms = _numbers()
    network_latency_ms = _numbers()
    queue_latency_ms = _numbers()
    qos_latency_ms = _numbers()
    read_latency_ms = _numbers()
    write_latency_ms = _numbers()
    least_iops = _numbers()
    most_iops = _numbers()
    least_read = serializers.ListField(
        child=serializers.IntegerField(), help_text="of how many disks the fewest were read"
    )


class EaterOfIoRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    iops = serializers.FloatField(
        allow_null=True, help_text="in the mean; null of what counts bytes alone, as ports do"
    )
    share = serializers.FloatField(help_text="of all that is done there, or moved")
    bytes_per_second = serializers.FloatField(allow_null=True)
    latency_ms = serializers.FloatField(allow_null=True)
    qos_latency_ms = serializers.FloatField(allow_null=True)
    most_iops = serializers.FloatField(allow_null=True, help_text="of one of its disks in one step")


class PerformanceView(APIView):
    """Reads and writes of one thing and the parts of their latency, up to a day."""

    @extend_schema(
        operation_id="estate_performance",
        parameters=[PATH, AT, DAYS],
        responses={200: PerformanceRead, 400: Problem, 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        view, node = looked_at(request, entity_id)
        return Response(
            PerformanceRead(_told(performance_of(view, node, days=_days(request)))).data
        )


class EatersOfIoView(APIView):
    """Who reads and writes most on one thing."""

    @extend_schema(
        operation_id="estate_eaters_of_io",
        parameters=[PATH, AT, DAYS, BY],
        responses={200: EaterOfIoRead(many=True), 400: Problem, 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        view, node = looked_at(request, entity_id)
        by = request.query_params.get("by") or "vm"
        if by not in EATERS:
            raise wrong_field("by", f"Use one of {', '.join(EATERS)}.")
        return Response(
            EaterOfIoRead(eaters_of(view, node, days=_days(request), by=by), many=True).data
        )


def _days(request: Request) -> int:
    told = request.query_params.get("days") or "1"
    if told not in {str(days) for days in WINDOWS_DAYS}:
        raise wrong_field("days", f"Use one of {', '.join(map(str, WINDOWS_DAYS))}.")
    return int(told)


def _told(one: Performance) -> dict[str, Any]:  # Any: JSON
    begins = datetime.combine(one.first_on, time(), tzinfo=UTC)
    parts = {name: _short(one.bins.means[at]) for at, name in enumerate(PARTS)}
    return {
        "source": one.source,
        "n_things": one.n_things,
        "first_at": begins + timedelta(seconds=one.first_step * one.step_seconds),
        "bin_seconds": one.bins.width * one.step_seconds,
        "read_seconds": one.step_seconds,
        "sustains_iops": one.sustains_iops,
        "sustains_bytes_per_second": one.sustains_bytes_per_second,
        "least_iops": _short(one.bins.least),
        "most_iops": _short(one.bins.most),
        "least_read": one.least_read.tolist(),
        **parts,
    }


def _short(values: Floats) -> list[float | None]:
    return [None if np.isnan(x) else round(x, DIGITS) for x in values.tolist()]
