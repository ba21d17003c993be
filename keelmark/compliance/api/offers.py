"""What places must offer over the API, and arrays whose volumes are set right on an interval."""

import numpy as np
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
from keelmark.bearings.api.asked import BEARING, AtRead, at_told, view_of
from keelmark.compliance.api.asked import number_asked
from keelmark.compliance.api.impact import PlaceNamedRead
from keelmark.compliance.selectors.drift import causes_of
from keelmark.compliance.selectors.offers import (
    KINDS_OF_OFFERS,
    offers_at,
    rows_of_offers,
)
from keelmark.compliance.selectors.righting import offers_told, rightings_told
from keelmark.compliance.services.righting import LEAST_SECONDS, MOST_SECONDS, set_righting
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import When
from keelmark.feeds.models import ChangeState

PAGE = 200
OFFERING = OpenApiParameter(
    "kind", OpenApiTypes.STR, OpenApiParameter.PATH, enum=list(KINDS_OF_OFFERS)
)
VOLUME = OpenApiParameter("entity_id", OpenApiTypes.INT, OpenApiParameter.PATH)
ARRAY = OpenApiParameter("entity_id", OpenApiTypes.INT, OpenApiParameter.PATH)


class OfferChangeRead(serializers.Serializer[Record]):
    set_id = serializers.IntegerField()
    state = serializers.ChoiceField(choices=ChangeState.choices)
    ended_at = serializers.DateTimeField(allow_null=True)
    problem = serializers.CharField(allow_blank=True)
    wanted = serializers.DictField(child=serializers.IntegerField())


class OfferRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=list(KINDS_OF_OFFERS))
    name = serializers.CharField()
    home = serializers.CharField(allow_null=True, help_text="where it lies")
    n_disks = serializers.IntegerField(help_text="with a tier, of VMs that are not off")
    must_min_iops = serializers.FloatField()
    must_max_iops = serializers.FloatField()
    set_min_iops = serializers.FloatField(allow_null=True)
    set_max_iops = serializers.FloatField(allow_null=True)
    sustains_iops = serializers.FloatField(allow_null=True)
    is_drifted = serializers.BooleanField()
    is_oversold = serializers.BooleanField()
    n_untiered = serializers.IntegerField(
        help_text="disks without a tier, that a limit of what must be offered would hold back"
    )
    can_be_set = serializers.BooleanField(help_text="from here, over its feed")
    left_alone = serializers.CharField(
        allow_null=True, help_text="why a volume that drifted is not set right; empty: it can be"
    )
    is_awaited = serializers.BooleanField(
        help_text="it was set, and what was collected does not tell so yet"
    )
    change = OfferChangeRead(allow_null=True, help_text="that was asked for last")


class OffersRead(serializers.Serializer[Record]):
    at = AtRead()
    n_all = serializers.IntegerField()
    n_drifted = serializers.IntegerField()
    n_oversold = serializers.IntegerField()
    results = OfferRead(many=True)


class CauseRead(serializers.Serializer[Record]):
    what = serializers.ChoiceField(
        choices=["came", "went", "started", "stopped", "tier revised", "set from here"]
    )
    disks = PlaceNamedRead(many=True, help_text="some of them")
    n = serializers.IntegerField()
    max_iops = serializers.IntegerField(
        help_text="by which what must be offered moved, or what it is set to"
    )
    name = serializers.CharField(allow_blank=True)
    at = serializers.DateTimeField(allow_null=True)


class RightingRead(serializers.Serializer[Record]):
    array_id = serializers.IntegerField()
    array_name = serializers.CharField()
    every_seconds = serializers.IntegerField(allow_null=True, help_text="null: it is off")
    author = serializers.CharField(allow_null=True)
    due_at = serializers.DateTimeField(allow_null=True)
    last_at = serializers.DateTimeField(allow_null=True)
    last_told = serializers.CharField(allow_null=True, help_text="what came of it")


class RightingWrite(serializers.Serializer[Record]):
    every_seconds = serializers.IntegerField(
        min_value=LEAST_SECONDS, max_value=MOST_SECONDS, allow_null=True,
        help_text="null: no more",
    )  # fmt: skip


class OffersView(APIView):
    """What places of a kind must offer for the disks on them, what drifted first."""

    @extend_schema(
        operation_id="offers_list",
        parameters=[
            OFFERING,
            OpenApiParameter("drift", OpenApiTypes.BOOL, description="drifted or oversold alone"),
            OpenApiParameter("after", OpenApiTypes.INT, description="how many to leave out before"),
            *BEARING,
        ],
        responses={200: OffersRead, 400: Problem},
    )
    def get(self, request: Request, kind: str) -> Response:
        if kind not in KINDS_OF_OFFERS:
            raise wrong_field("kind", f"Use one of {', '.join(KINDS_OF_OFFERS)}.")
        after = number_asked(request, "after") or 0
        is_drift_only = request.query_params.get("drift", "") in ("1", "true")
        view = view_of(request)
        offers = offers_at(view.reading, kind=kind)
        rows = rows_of_offers(view, offers, is_drift_only=is_drift_only)
        told = {
            "at": at_told(view),
            "n_all": len(rows),
            "n_drifted": int(offers.is_drifted[rows].sum()),
            "n_oversold": int(offers.is_oversold[rows].sum()),
            "results": offers_told(
                view,
                offers,
                rows[after : after + PAGE],
                shows_changes=sees_all(actor_of(request)) and view.reading.when is When.NOW,
            ),
        }
        return Response(OffersRead(told).data)


class OfferCausesView(APIView):
    """What changed on a volume in thirty days that moves what it must offer."""

    rights = {"GET": Right.READ_FEEDS}

    @extend_schema(
        operation_id="offers_causes",
        parameters=[VOLUME, *BEARING],
        responses={200: CauseRead(many=True), 400: Problem, 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        view = view_of(request)
        table = view.reading.estate.table("volume")
        row = int(table.rows_of(np.array([entity_id], dtype=np.int64))[0])
        if row == NOWHERE or not view.seen["volume"][row]:
            raise exceptions.NotFound(f"No volume {entity_id} is known.")
        return Response(CauseRead(causes_of(view, row=row), many=True).data)


class RightingsView(APIView):
    """Arrays whose volumes can be set from here, and whether they are on an interval."""

    rights = {"GET": Right.READ_FEEDS}

    @extend_schema(operation_id="rightings_list", responses={200: RightingRead(many=True)})
    def get(self, request: Request) -> Response:
        return Response(RightingRead(rightings_told(), many=True).data)


class RightingView(APIView):
    """One array's interval."""

    rights = {"PUT": Right.CARRY_OUT}

    @extend_schema(
        operation_id="rightings_set",
        parameters=[ARRAY],
        request=RightingWrite,
        responses={200: RightingRead(many=True), 400: Problem, 404: Problem},
    )
    def put(self, request: Request, entity_id: int) -> Response:
        form = RightingWrite(data=request.data)
        form.is_valid(raise_exception=True)
        set_righting(
            actor=actor_of(request), array_id=entity_id,
            every_seconds=form.validated_data["every_seconds"],
        )  # fmt: skip
        return Response(RightingRead(rightings_told(), many=True).data)
