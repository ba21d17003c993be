"""Try a workload: where it fits, what is left, and by how much the others miss."""

from datetime import date
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, actor_of
from keelmark.access.clock import utc_today
from keelmark.access.errors import FieldFault, FormError
from keelmark.access.rights import Right
from keelmark.access.services.allowances import Ration
from keelmark.core.days import date_after
from keelmark.core.placement import Hurdle, Verdict, Workload
from keelmark.core.units import MAX_BYTES
from keelmark.estate import selectors as estate
from keelmark.estate.models import Pool
from keelmark.estate.sift import read_sift
from keelmark.forecasts.api.pools import DatesRead, Int64Field, PoolRead, Record
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS
from keelmark.forecasts.pools.rows import row_of
from keelmark.scenarios.selectors import placing as selectors

DAYS_PER_WEEK = 7
MAX_COPIES = 100_000
TRIALS = Ration(n_at_once=60, every_seconds=1)


class WorkloadWrite(serializers.Serializer[Record]):
    n_copies = serializers.IntegerField(min_value=1, max_value=MAX_COPIES)
    size_bytes = Int64Field(min_value=1, max_value=MAX_BYTES)
    written_percent = serializers.IntegerField(min_value=0, max_value=100)
    growth_bytes_per_week = Int64Field(min_value=0, max_value=MAX_BYTES)
    last_until_on = serializers.DateField()
    service_class = serializers.CharField(allow_null=True, required=False)
    scope = serializers.CharField(allow_blank=True, required=False)


class MarginRead(serializers.Serializer[Record]):
    hurdle = serializers.ChoiceField(choices=[h.value for h in Hurdle])
    is_cleared = serializers.BooleanField()
    margin_bytes = Int64Field(allow_null=True)
    tightest_on = serializers.DateField(allow_null=True)


class CandidateRead(serializers.Serializer[Record]):
    rank = serializers.IntegerField(allow_null=True)
    pool = PoolRead()
    margins = MarginRead(many=True)
    left_bytes = Int64Field(allow_null=True)
    overcommit_percent = serializers.FloatField(allow_null=True)
    after = DatesRead()


class PlacementRead(serializers.Serializer[Record]):
    promised_bytes = Int64Field()
    written_by_then_bytes = Int64Field()
    n_fitting = serializers.IntegerField()
    candidates = CandidateRead(many=True)


class PlacementView(APIView):
    """Nothing is kept: the same question may be asked as often as wanted."""

    rights = {"POST": Right.PLAN}
    rations = {"POST": TRIALS}

    @extend_schema(
        operation_id="placement_try",
        request=WorkloadWrite,
        responses={200: PlacementRead, 400: Problem, 422: Problem},
    )
    def post(self, request: Request) -> Response:
        form = WorkloadWrite(data=request.data)
        form.is_valid(raise_exception=True)
        today = utc_today()
        wanted = form.validated_data
        workload = _workload(wanted, today=today)
        pools, verdicts = selectors.verdicts_for(
            actor_of(request),
            sift=read_sift(wanted.get("scope", "")),
            workload=workload,
            today=today,
        )
        return Response(
            PlacementRead(
                {
                    "promised_bytes": workload.promised_bytes,
                    "written_by_then_bytes": int(workload.demand_bytes()[-1]),
                    "n_fitting": sum(verdict.fits for verdict in verdicts),
                    "candidates": [
                        _candidate(verdict, pool=pools[verdict.pool_index], today=today)
                        for verdict in verdicts
                    ],
                }
            ).data
        )


def _workload(wanted: dict[str, Any], *, today: date) -> Workload:  # Any: a validated form
    last_day = (wanted["last_until_on"] - today).days
    if not 1 <= last_day <= HORIZON_DAYS:
        latest = date_after(today, days=HORIZON_DAYS)
        detail = f"Use a date after today and up to {latest}."
        fault = FieldFault(pointer="#/last_until_on", code="range", detail=detail)
        raise FormError(f"last_until_on: {detail}", faults=(fault,))
    service_class = wanted.get("service_class") or None
    offered = [offer.name for offer in estate.service_classes()]
    if service_class is not None and service_class not in offered:
        detail = f"Use one of {', '.join(offered)}, or none."
        fault = FieldFault(pointer="#/service_class", code="unknown", detail=detail)
        raise FormError(f"No pool offers “{service_class}”. {detail}", faults=(fault,))
    return Workload(
        n_copies=wanted["n_copies"],
        size_bytes=wanted["size_bytes"],
        written_percent=wanted["written_percent"],
        growth_bytes_per_day=wanted["growth_bytes_per_week"] // DAYS_PER_WEEK,
        last_day=last_day,
        service_class=service_class,
    )


def _candidate(verdict: Verdict, *, pool: Pool, today: date) -> dict[str, object]:
    return {
        "rank": verdict.rank,
        "pool": row_of(pool),
        "margins": [
            {
                "hurdle": margin.hurdle,
                "is_cleared": margin.is_cleared,
                "margin_bytes": margin.margin_bytes,
                "tightest_on": date_after(today, days=margin.tightest_day),
            }
            for margin in verdict.margins
        ],
        "left_bytes": verdict.left_bytes,
        "overcommit_percent": verdict.overcommit_percent,
        "after": {
            "early_on": date_after(today, days=verdict.early_days),
            "likely_on": date_after(today, days=verdict.likely_days),
            "late_on": date_after(today, days=verdict.late_days),
        },
    }
