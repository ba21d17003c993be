"""Work that is still to come, over the API: read from files, learnt, placed together."""

from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.clock import utc_today
from keelmark.access.errors import wrong_field
from keelmark.access.rights import Right
from keelmark.bearings.api.asked import BEARING, bearing_of, view_of
from keelmark.forecasts.api.pools import Int64Field
from keelmark.scenarios.api.placements import (
    CHECKS,
    TRIALS,
    DiskAskedWrite,
    PlaceAtRead,
    WeightsWrite,
    WorkloadWrite,
    place_told,
    weights_of,
    workload_of,
)
from keelmark.scenarios.intake import MOST_ROWS, MOST_TEXT, read_intake
from keelmark.scenarios.selectors.kin import MoreOf, more_of
from keelmark.scenarios.selectors.placing import Together, together_of

VM = OpenApiParameter("vm", OpenApiTypes.INT, required=True, description="more of which")


class IntakeFaultRead(serializers.Serializer[Record]):
    where = serializers.CharField(help_text="the row, from 1 with the header, or the system")
    field = serializers.CharField(allow_blank=True)
    says = serializers.CharField()


class WorkloadDraftRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    n_vms = serializers.IntegerField()
    disks = DiskAskedWrite(many=True)
    n_cpus = serializers.IntegerField(default=0)
    memory_bytes = Int64Field(default=0)
    service_class = serializers.CharField(default="", allow_blank=True)
    tenant = serializers.CharField(default="", allow_blank=True)


class IntakeRead(serializers.Serializer[Record]):
    workloads = WorkloadDraftRead(many=True)
    faults = IntakeFaultRead(many=True)


class IntakeWrite(serializers.Serializer[Record]):
    file = serializers.CharField(max_length=255, default="what was pasted")
    text = serializers.CharField(max_length=MOST_TEXT, trim_whitespace=False)


class LearntDiskRead(serializers.Serializer[Record]):
    size_bytes = Int64Field()
    written_percent = serializers.IntegerField(help_text="median of the kin, rounded up")
    bytes_a_week = Int64Field(help_text="median of the kin")
    min_iops = serializers.IntegerField(help_text="that it is promised itself")
    busy_iops = serializers.IntegerField(help_text="that nine in ten of the kin do at most")
    n_used = serializers.IntegerField(help_text="kin of whom it was learnt")
    n_growth = serializers.IntegerField()
    n_busy = serializers.IntegerField()


class MoreOfRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    n_cpus = serializers.IntegerField()
    memory_bytes = Int64Field()
    tenant = serializers.CharField(allow_blank=True)
    disks = LearntDiskRead(many=True)
    kin = serializers.ListField(child=serializers.CharField(), help_text="its own name first")


class PlaceTogetherWrite(serializers.Serializer[Record]):
    workloads = serializers.ListField(child=WorkloadWrite(), min_length=1, max_length=MOST_ROWS)
    weights = WeightsWrite(required=False)


class SharePlacedRead(serializers.Serializer[Record]):
    pool = PlaceAtRead()
    cluster = PlaceAtRead(allow_null=True)
    datastore = PlaceAtRead(allow_null=True, help_text="null: a new one would be made")
    n_vms = serializers.IntegerField()


class PlacedOneRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    n_vms = serializers.IntegerField()
    promised_bytes = Int64Field()
    spread = SharePlacedRead(many=True)
    n_left = serializers.IntegerField()
    n_alone = serializers.IntegerField(help_text="VMs that its best place takes, if it came alone")
    stopped_by = serializers.ChoiceField(choices=CHECKS, allow_null=True)


class PlacedTogetherRead(serializers.Serializer[Record]):
    n_vms = serializers.IntegerField()
    n_left = serializers.IntegerField()
    promised_bytes = Int64Field()
    gap_percent = serializers.FloatField(help_text="at most so far below the best that could be")
    is_exact = serializers.BooleanField()
    results = PlacedOneRead(many=True)


class IntakeView(APIView):
    """A table or an OVF descriptor is read; nothing of it is kept."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="intake_read", request=IntakeWrite,
        responses={200: IntakeRead, 400: Problem},
    )  # fmt: skip
    def post(self, request: Request) -> Response:
        form = IntakeWrite(data=request.data)
        form.is_valid(raise_exception=True)
        told = read_intake(form.validated_data["text"], file=form.validated_data["file"])
        drafts = [{**_PLAIN, **one} for one in told.workloads]
        return Response(IntakeRead({"workloads": drafts, "faults": told.faults}).data)


class MoreOfView(APIView):
    """What more of a VM would ask for, learnt of it and its kin."""

    rights = {"GET": Right.PLAN}

    @extend_schema(
        operation_id="placement_more_of", parameters=[BEARING[0], VM],
        responses={200: MoreOfRead, 400: Problem, 404: Problem},
    )  # fmt: skip
    def get(self, request: Request) -> Response:
        vm = request.query_params.get("vm", "")
        if not vm.isdecimal():
            raise wrong_field("vm", "Name a VM by its id.")
        told: MoreOf = more_of(view_of(request), vm_id=int(vm))
        return Response(MoreOfRead(told).data)


class PlaceTogetherView(APIView):
    """Many workloads are placed at once; nothing is kept."""

    rights = {"POST": Right.PLAN}
    rations = {"POST": TRIALS}

    @extend_schema(
        operation_id="placement_together", parameters=[BEARING[0], BEARING[-1]],
        request=PlaceTogetherWrite, responses={200: PlacedTogetherRead, 400: Problem, 404: Problem},
    )  # fmt: skip
    def post(self, request: Request) -> Response:
        form = PlaceTogetherWrite(data=request.data)
        form.is_valid(raise_exception=True)
        today, bearing = utc_today(), bearing_of(request)
        told = together_of(
            actor_of(request), scope=bearing.scope,
            workloads=[workload_of(one, today=today) for one in form.validated_data["workloads"]],
            weights=weights_of(form.validated_data.get("weights") or {}),
            scenario_id=bearing.scenario_id,
        )  # fmt: skip
        return Response(PlacedTogetherRead(_told(told)).data)


_PLAIN = {"n_cpus": 0, "memory_bytes": 0, "service_class": "", "tenant": ""}


def _told(told: Together) -> dict[str, Any]:  # Any: JSON
    placed = told.assigned.placed
    results = []
    for at, one in enumerate(told.workloads):
        mine = placed.workload == at
        spread = [
            {**place_told(told.view, told.ground, place), "n_vms": n * one.vms_a_unit}
            for place, n in zip(
                placed.place[mine].tolist(), placed.n_units[mine].tolist(), strict=True
            )
        ]
        stop = told.stopped_by[at]
        results.append(
            {
                "name": one.name, "n_vms": one.n_vms,
                "promised_bytes": one.n_vms * sum(disk.size_bytes for disk in one.disks),
                "spread": spread, "n_left": one.n_vms - sum(each["n_vms"] for each in spread),
                "n_alone": int(told.n_alone[at]) * one.vms_a_unit,
                "stopped_by": None if stop is None else stop.value,
            }
        )  # fmt: skip
    return {
        "n_vms": sum(one["n_vms"] for one in results),
        "n_left": sum(one["n_left"] for one in results),
        "promised_bytes": sum(one["promised_bytes"] for one in results),
        "gap_percent": 100 * told.assigned.gap, "is_exact": told.assigned.is_exact,
        "results": results,
    }  # fmt: skip
