"""How disks are served, over the API: lanes, and what other limits would have done."""

from dataclasses import replace
from typing import Any

import numpy as np
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.errors import wrong_field
from keelmark.access.rights import Right
from keelmark.access.selectors import sees_all
from keelmark.bearings.api.asked import BEARING, AtRead, at_told, looked_at, view_of
from keelmark.bearings.selectors.views import View
from keelmark.compliance.api.asked import number_asked
from keelmark.compliance.api.impact import PlaceNamedRead
from keelmark.compliance.api.tiers import IO_STATES
from keelmark.compliance.errors import TierError, TooManyRowsError
from keelmark.compliance.selectors.grouped import GROUPS, Grouped
from keelmark.compliance.selectors.recorded import MOST_DAYS, DraftLimit, ReplayAsked
from keelmark.compliance.selectors.replays import replay_of
from keelmark.compliance.selectors.serving import LanesAsked, Served, rows_of_lanes, served_at
from keelmark.compliance.selectors.telling import lanes_of
from keelmark.compliance.selectors.tiers import BY, standing_tiers
from keelmark.core.qos import IoState
from keelmark.core.qos.found import Found
from keelmark.core.qos.tiers import BOUND_BY, Tier, TierFault, faults_of
from keelmark.estate.export import csv_download

PAGE = 60
MOST_DRAFTS = 20
NO_TIER = "none"
DEFAULT_DAYS = 7
MOST_EXPORTED = 3_000  # courses of a day are read of each
FOUND_KINDS = [one.value for one in Found]
LANES_ASKED = [
    OpenApiParameter("tier", OpenApiTypes.STR, description="id of a tier, or none"),
    OpenApiParameter("state", OpenApiTypes.STR, enum=IO_STATES),
    OpenApiParameter(
        "found", OpenApiTypes.STR, enum=FOUND_KINDS, description="in the last days alone"
    ),
]
PAGED = [
    OpenApiParameter("of", OpenApiTypes.INT, description="disks of this thing alone"),
    OpenApiParameter("after", OpenApiTypes.INT, description="how many to leave out before"),
]
EXPORTED = (
    "tier_name", "by", "min_iops", "max_iops", "limit_iops", "bound_by", "least_iops",
    "mean_iops", "most_iops", "instant_iops", "in_line", "latency_ms", "array_latency_ms",
    "network_latency_ms", "queue_latency_ms", "qos_latency_ms", "state", "reason",
    "found",
)  # fmt: skip


class WaitsRead(serializers.Serializer[Record]):
    latency_ms = serializers.FloatField(allow_null=True, help_text="of an operation in the mean")
    array_latency_ms = serializers.FloatField(allow_null=True)
    network_latency_ms = serializers.FloatField(allow_null=True)
    queue_latency_ms = serializers.FloatField(allow_null=True)
    qos_latency_ms = serializers.FloatField(allow_null=True)


class LaneRead(WaitsRead):
    id = serializers.IntegerField()
    name = serializers.CharField()
    vm = PlaceNamedRead(allow_null=True)
    datastore = PlaceNamedRead(allow_null=True)
    tier_id = serializers.IntegerField(allow_null=True)
    tier_name = serializers.CharField(allow_null=True)
    by = serializers.ChoiceField(choices=list(BY), allow_null=True, help_text="who names the tier")
    min_iops = serializers.IntegerField(allow_null=True)
    max_iops = serializers.IntegerField(allow_null=True)
    is_together = serializers.BooleanField()
    limit_iops = serializers.FloatField(allow_null=True, help_text="the least limit that bears")
    bound_by = serializers.ChoiceField(choices=list(BOUND_BY))
    least_iops = serializers.FloatField(allow_null=True, help_text="of a mean of the last day")
    mean_iops = serializers.FloatField(allow_null=True, help_text="the newest mean")
    most_iops = serializers.FloatField(allow_null=True, help_text="of a mean of the last day")
    instant_iops = serializers.FloatField(allow_null=True, help_text="between the last two samples")
    instant_at = serializers.DateTimeField(allow_null=True)
    in_line = serializers.FloatField(allow_null=True, help_text="operations that wait")
    state = serializers.ChoiceField(choices=IO_STATES)
    settles_in_minutes = serializers.FloatField(allow_null=True)
    reason = serializers.CharField(allow_blank=True)
    found = serializers.CharField(allow_blank=True, help_text="in the last days, in words")


class LanesOfRead(serializers.Serializer[Record]):
    at = AtRead()
    is_known = serializers.BooleanField(help_text="of days to come nobody knows")
    read_at = serializers.DateTimeField(allow_null=True, help_text="end of the newest mean")
    of = PlaceNamedRead(allow_null=True, help_text="the thing whose disks alone are told")
    n_all = serializers.IntegerField()


class LanesRead(LanesOfRead):
    results = LaneRead(many=True)


class LaneGroupRead(WaitsRead):
    id = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=list(GROUPS))
    name = serializers.CharField()
    n_disks = serializers.IntegerField()
    n_read = serializers.IntegerField(help_text="of which the newest mean is known")
    n_tiered = serializers.IntegerField(help_text="that may ask for something and have a tier")
    counts = serializers.DictField(child=serializers.IntegerField(), help_text="disks by state")
    worst = serializers.ChoiceField(choices=IO_STATES)
    min_iops = serializers.FloatField(allow_null=True, help_text="what tiers promise them in all")
    max_iops = serializers.FloatField(allow_null=True, help_text="what tiers allow them in all")
    mean_iops = serializers.FloatField(allow_null=True, help_text="newest means in all")
    instant_iops = serializers.FloatField(allow_null=True)


class LaneGroupsRead(LanesOfRead):
    results = LaneGroupRead(many=True)


class DraftLimitWrite(serializers.Serializer[Record]):
    tier_id = serializers.IntegerField()
    min_iops = serializers.IntegerField()
    max_iops = serializers.IntegerField()


class ReplayWrite(serializers.Serializer[Record]):
    tier_id = serializers.IntegerField(
        allow_null=True, default=None, help_text="its disks alone; without it all that have one"
    )
    days = serializers.IntegerField(min_value=1, max_value=MOST_DAYS, default=DEFAULT_DAYS)
    limits = serializers.ListField(
        child=DraftLimitWrite(), default=list, max_length=MOST_DRAFTS,
        help_text="other limits to try, by tier",
    )  # fmt: skip
    course_of = serializers.IntegerField(
        allow_null=True, default=None, help_text="the disk whose course is told step by step"
    )


class ReplaySumRead(serializers.Serializer[Record]):
    n_held_long = serializers.IntegerField(help_text="held for more than an hour a day")
    n_held = serializers.IntegerField(help_text="held at any time")
    n_starved = serializers.IntegerField()
    n_newly_starved = serializers.IntegerField()
    median_ms = serializers.FloatField(help_text="delay of the middle step, of who waits most")
    p99_ms = serializers.FloatField(help_text="that one step in a hundred passes, of the same")
    worst_ms = serializers.FloatField()
    undone_share = serializers.FloatField(
        help_text="of what was asked for: given up for the wait, or in line at the end"
    )


class ReplayArrayRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    sustains_iops = serializers.FloatField(allow_null=True)
    busy_iops = serializers.FloatField(allow_null=True, help_text="all but the busiest hundredth")
    trial_iops = serializers.FloatField(allow_null=True)


class ReplayCurveRead(serializers.Serializer[Record]):
    maxima = serializers.ListField(child=serializers.FloatField())
    n_held_long = serializers.ListField(child=serializers.IntegerField())
    n_held = serializers.ListField(child=serializers.IntegerField())
    worst_ms = serializers.ListField(child=serializers.FloatField())


class ReplayDiskRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    held_hours = serializers.FloatField(help_text="a day")
    worst_ms = serializers.FloatField()
    p99_ms = serializers.FloatField()
    trial_held_hours = serializers.FloatField(allow_null=True)
    trial_worst_ms = serializers.FloatField(allow_null=True)
    trial_p99_ms = serializers.FloatField(allow_null=True)
    is_newly_starved = serializers.BooleanField()


class ReplayCourseRead(serializers.Serializer[Record]):
    begins_at = serializers.DateTimeField()
    step_seconds = serializers.IntegerField()
    recorded = serializers.ListField(child=serializers.FloatField(allow_null=True))
    asked = serializers.ListField(child=serializers.FloatField())
    is_estimated = serializers.ListField(child=serializers.BooleanField())
    is_least = serializers.ListField(child=serializers.BooleanField())
    done = serializers.ListField(child=serializers.FloatField())
    delay_ms = serializers.ListField(child=serializers.FloatField())


class ReplayRead(serializers.Serializer[Record]):
    first_on = serializers.DateField()
    n_days = serializers.IntegerField()
    n_disks = serializers.IntegerField()
    n_read = serializers.IntegerField(help_text="of which anything is recorded")
    estimated_share = serializers.FloatField(help_text="of steps in which something waited")
    at_least_share = serializers.FloatField(help_text="of steps of which the least alone is known")
    missed_share = serializers.FloatField(
        allow_null=True, help_text="of all that was done, what the replay at the limits as they "
        "are differs by",
    )  # fmt: skip
    as_is = ReplaySumRead(help_text="at the limits that are set")
    promised = ReplaySumRead(
        allow_null=True, help_text="were the limits of the tier set everywhere"
    )
    trial = ReplaySumRead(allow_null=True)
    arrays = ReplayArrayRead(many=True)
    curve = ReplayCurveRead(allow_null=True, help_text="of one tier whose limits are each disk's")
    disks = ReplayDiskRead(many=True, help_text="held longest, as it is or would be")
    course = ReplayCourseRead(allow_null=True)


class LanesView(APIView):
    """Disks with what they do, may do and are promised, the worst first."""

    @extend_schema(
        operation_id="lanes_list",
        parameters=[*LANES_ASKED, *PAGED, *BEARING],
        responses={200: LanesRead, 400: Problem, 404: Problem, 422: Problem},
    )
    def get(self, request: Request) -> Response:
        view, asked, after = _looked_at(request)
        served = served_at(view, asked)
        told = _nothing_told(view, asked, served)
        if served is not None:
            rows = rows_of_lanes(view, served, asked)
            told["n_all"] = len(rows)
            told["results"] = lanes_of(
                view, served, rows[after : after + PAGE], shows_places=sees_all(actor_of(request))
            )
        return Response(LanesRead(told).data)


class LaneGroupsView(APIView):
    """The same disks added up by the things of one kind, those of which most wait first."""

    @extend_schema(
        operation_id="lanes_grouped",
        parameters=[
            OpenApiParameter("kind", OpenApiTypes.STR, OpenApiParameter.PATH, enum=list(GROUPS)),
            *LANES_ASKED, *PAGED, *BEARING,
        ],
        responses={200: LaneGroupsRead, 400: Problem, 404: Problem, 422: Problem},
    )  # fmt: skip
    def get(self, request: Request, kind: str) -> Response:
        if kind not in GROUPS:
            raise wrong_field("kind", f"Use one of {', '.join(GROUPS)}.")
        view, asked, after = _looked_at(request)
        served = served_at(view, asked)
        told = _nothing_told(view, asked, served)
        if served is not None:
            grouped = Grouped(view, served, asked, kind=kind)
            rows = grouped.rows
            told["n_all"], told["results"] = len(rows), grouped.told(rows[after : after + PAGE])
        return Response(LaneGroupsRead(told).data)


class LanesExportView(APIView):
    """The same as CSV."""

    @extend_schema(
        operation_id="lanes_export",
        parameters=[*LANES_ASKED, *BEARING],
        responses={(200, "text/csv"): OpenApiTypes.BINARY, 400: Problem, 422: Problem},
    )
    def get(self, request: Request) -> HttpResponse:
        asked, view = _lanes_asked(request), view_of(request)
        served = served_at(view, asked)
        rows = np.zeros(0, dtype=np.int64) if served is None else rows_of_lanes(view, served, asked)
        if len(rows) > MOST_EXPORTED:
            raise TooManyRowsError(n=len(rows), most=MOST_EXPORTED)
        shows_places = sees_all(actor_of(request))
        told = lanes_of(view, served, rows, shows_places=shows_places) if served else []
        lines = (
            [
                one["id"], one["name"], one["vm"] and one["vm"]["name"],
                one["datastore"] and one["datastore"]["name"], *(one[name] for name in EXPORTED),
            ]
            for one in told
        )  # fmt: skip
        header = ["id", "name", "vm", "datastore", *EXPORTED]
        return csv_download(header, lines, filename="lanes.csv")


class ReplaysView(APIView):
    """What limits do with what was asked for: those that are, and others that are tried."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="replays_try",
        parameters=BEARING,
        request=ReplayWrite,
        responses={200: ReplayRead, 400: Problem, 404: Problem, 422: Problem},
    )
    def post(self, request: Request) -> Response:
        form = ReplayWrite(data=request.data)
        form.is_valid(raise_exception=True)
        told = form.validated_data
        standing = {one.pk: one for one in standing_tiers()}
        wanted = [one["tier_id"] for one in told["limits"]]
        for tier_id in [*wanted, *([told["tier_id"]] if told["tier_id"] is not None else [])]:
            if tier_id not in standing:
                raise exceptions.NotFound(f"No tier {tier_id} stands.")
        drafts = [DraftLimit(**one) for one in told["limits"]]
        faults = [
            TierFault(f"limits/{at}/{fault.field}", fault.why)
            for at, one in enumerate(drafts)
            for fault in faults_of(
                Tier(name=standing[one.tier_id].name, min_iops=one.min_iops, max_iops=one.max_iops)
            )
        ]
        if faults:
            raise TierError(faults)
        asked = ReplayAsked(
            tier_id=told["tier_id"], days=told["days"], drafts=drafts,
            course_of=told["course_of"],
        )  # fmt: skip
        return Response(ReplayRead(replay_of(view_of(request), asked)).data)


def _looked_at(request: Request) -> tuple[View, LanesAsked, int]:
    """The bearing, which lanes of it are asked for, and how many to leave out before."""
    asked, of_id = _lanes_asked(request), number_asked(request, "of")
    view, node = (view_of(request), None) if of_id is None else looked_at(request, of_id)
    return view, replace(asked, node=node), number_asked(request, "after") or 0


def _nothing_told(
    view: View, asked: LanesAsked, served: Served | None
) -> dict[str, Any]:  # Any: JSON
    node = asked.node
    table = node and view.reading.estate.table(node.kind)
    return {
        "of": node and table
        and {"id": int(table.ids[node.row]), "kind": node.kind, "name": table.names[node.row]},
        "at": at_told(view), "is_known": served is not None,
        "read_at": served and served.read_at, "n_all": 0, "results": [],
    }  # fmt: skip


def _lanes_asked(request: Request) -> LanesAsked:
    state = request.query_params.get("state") or None
    if state is not None and state not in IO_STATES:
        raise wrong_field("state", f"Use one of {', '.join(IO_STATES)}.")
    found = request.query_params.get("found") or None
    if found is not None and found not in FOUND_KINDS:
        raise wrong_field("found", f"Use one of {', '.join(FOUND_KINDS)}.")
    is_untiered = request.query_params.get("tier") == NO_TIER
    tier_id = None if is_untiered else number_asked(request, "tier")
    return LanesAsked(
        tier_id=tier_id, is_untiered=is_untiered, state=None if state is None else IoState(state),
        found=None if found is None else Found(found),
    )  # fmt: skip
