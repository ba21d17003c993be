"""Allotments over the API: given, changed, ended; volumes drawn on them, and given back."""

from typing import Any

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import IF_MATCH, KEY, Problem, Record, actor_of, key_of
from keelmark.access.errors import wrong_field
from keelmark.access.rights import Right
from keelmark.access.selectors import sees_all
from keelmark.access.versions import version_of, versioned, wanted_version
from keelmark.core.units import MAX_BYTES
from keelmark.estate.export import csv_download
from keelmark.estate.models import Volume
from keelmark.forecasts.api.pools import Int64Field, PartRead
from keelmark.scenarios.api.orders import STEP_STATES, WAITS
from keelmark.scenarios.api.told import parts_of
from keelmark.scenarios.models import MAX_NOTE
from keelmark.scenarios.selectors.allotments import AllotmentTold, DrawnTold, allotments_told
from keelmark.scenarios.services.allotting import (
    MOST_IOPS,
    allot,
    allotment_for,
    change_allotment,
    end_allotment,
    facts_of_allotment,
)
from keelmark.scenarios.services.drawing import give_back, go_on, provision

ALLOTMENT = OpenApiParameter("allotment_id", OpenApiTypes.INT, OpenApiParameter.PATH)
DRAWN = OpenApiParameter("drawn_id", OpenApiTypes.INT, OpenApiParameter.PATH)
REFUSALS = {400: Problem, 403: Problem, 404: Problem, 409: Problem, 412: Problem, 422: Problem}


class OfNameRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()


class DrawnStepRead(serializers.Serializer[Record]):
    title = PartRead(many=True)
    state = serializers.ChoiceField(choices=STEP_STATES)
    found = serializers.CharField(allow_blank=True, help_text="what was read of it")


class DrawnRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField(help_text="of its datastore, as it was asked for")
    volume_name = serializers.CharField(allow_blank=True, help_text="as it is read")
    size_bytes = Int64Field(help_text="as it is read, before that as it was asked for")
    used_bytes = Int64Field(help_text="of it, on the pool")
    is_read = serializers.BooleanField()
    is_made = serializers.BooleanField(help_text="all of it is read as it was asked for")
    is_leaving = serializers.BooleanField(
        help_text="it is given back: its deletion is not read yet"
    )
    asked_at = serializers.DateTimeField()
    asked_by = serializers.CharField()
    is_planned = serializers.BooleanField(help_text="by who plans, not by the tenant itself")
    datastore_name = serializers.CharField(allow_blank=True, help_text="that lies on it by now")
    waits_for = serializers.ChoiceField(choices=WAITS, allow_null=True)
    waits = serializers.CharField(allow_blank=True, help_text="the same in words")
    stopped = serializers.CharField(allow_blank=True, help_text="why it is not made further")
    steps = DrawnStepRead(many=True)
    scenario_id = serializers.IntegerField(
        allow_null=True, help_text="its work order, for those who see all"
    )


class AllotmentRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    version = serializers.CharField(help_text="for If-Match")
    pool = OfNameRead()
    home_name = serializers.CharField(allow_blank=True, help_text="its array, or its cluster")
    site_name = serializers.CharField(allow_null=True)
    service_class = serializers.CharField(allow_blank=True)
    tenant = OfNameRead()
    allotted_bytes = Int64Field()
    provisioned_bytes = Int64Field(help_text="sizes of its volumes, those being made too")
    used_bytes = Int64Field(help_text="of them, on the pool")
    left_bytes = Int64Field(help_text="that may be provisioned still")
    min_iops = Int64Field()
    taken_min_iops = Int64Field(help_text="that its volumes are promised")
    from_on = serializers.DateField()
    note = serializers.CharField(allow_blank=True)
    made_at = serializers.DateTimeField()
    made_by = serializers.CharField()
    clusters = OfNameRead(many=True, help_text="for which a datastore may be made of it")
    drawn = DrawnRead(many=True)


class AllotmentChange(serializers.Serializer[Record]):
    allotted_bytes = Int64Field(min_value=1, max_value=MAX_BYTES, required=False)
    min_iops = Int64Field(min_value=0, max_value=MOST_IOPS, required=False)
    note = serializers.CharField(max_length=MAX_NOTE, allow_blank=True, required=False)


class AllotmentWrite(AllotmentChange):
    pool_id = serializers.IntegerField(min_value=1, max_value=2**63 - 1)
    tenant_id = serializers.IntegerField(min_value=1, max_value=2**63 - 1)
    allotted_bytes = Int64Field(min_value=1, max_value=MAX_BYTES)
    from_on = serializers.DateField(required=False, help_text="without it, today")


class DrawWrite(serializers.Serializer[Record]):
    name = serializers.CharField(max_length=60)
    size_bytes = Int64Field(min_value=1, max_value=MAX_BYTES)
    cluster_id = serializers.IntegerField(min_value=1, max_value=2**63 - 1)
    thickness = serializers.ChoiceField(choices=Volume.Provisioning.choices, default="thin")


class AllotmentsView(APIView):
    """What tenants may provision themselves: all of it, or one's own."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="allotments_list",
        parameters=[OpenApiParameter("of", OpenApiTypes.INT, description="a pool or a tenant")],
        responses={200: AllotmentRead(many=True), 400: Problem},
    )
    def get(self, request: Request) -> Response:
        of = request.query_params.get("of", "")
        if of and not of.isdecimal():
            raise wrong_field("of", "Use the id of a pool or a tenant.")
        actor = actor_of(request)
        some = allotments_told(actor, of=int(of[:18]) if of else None)
        told = [_told(one, shows_orders=sees_all(actor)) for one in some]
        return Response(AllotmentRead(told, many=True).data)

    @extend_schema(
        operation_id="allotments_make", request=AllotmentWrite,
        responses={201: AllotmentRead, **REFUSALS},
    )  # fmt: skip
    def post(self, request: Request) -> Response:
        form = AllotmentWrite(data=request.data)
        form.is_valid(raise_exception=True)
        made = allot(actor=actor_of(request), **form.validated_data)
        return _answer(request, made.pk, status=201)


EXPORTED = (
    "tenant", "pool", "home", "site", "service_class", "allotted_bytes", "provisioned_bytes",
    "used_bytes", "left_bytes", "min_iops", "taken_min_iops", "from_on", "volume", "size_bytes",
    "volume_used_bytes", "datastore", "asked_at", "asked_by",
)  # fmt: skip


class AllotmentsExportView(APIView):
    """Allotments as a file that a sheet opens."""

    @extend_schema(
        operation_id="allotments_export", responses={(200, "text/csv"): OpenApiTypes.STR}
    )
    def get(self, request: Request) -> HttpResponse:
        """A row for each volume that was drawn; one without any for an allotment that has none."""
        rows = [
            row
            for one in allotments_told(actor_of(request))
            for row in _rows_of(_told(one, shows_orders=False))
        ]
        return csv_download(EXPORTED, rows, filename="allotments.csv")


def _rows_of(told: dict[str, Any]) -> list[tuple[object, ...]]:  # Any: JSON
    own = (
        told["tenant"]["name"], told["pool"]["name"], told["home_name"], told["site_name"] or "",
        *(told[name] for name in EXPORTED[4:12]),
    )  # fmt: skip
    return [
        (*own, one["volume_name"] or one["name"], one["size_bytes"], one["used_bytes"],
         one["datastore_name"], one["asked_at"].isoformat(), one["asked_by"])
        for one in told["drawn"]
    ] or [(*own, "", "", "", "", "", "")]  # fmt: skip


class AllotmentView(APIView):
    """One allotment."""

    rights = {"PATCH": Right.PLAN, "DELETE": Right.PLAN}

    @extend_schema(
        operation_id="allotments_read", parameters=[ALLOTMENT],
        responses={200: AllotmentRead, 404: Problem},
    )  # fmt: skip
    def get(self, request: Request, allotment_id: int) -> Response:
        return _answer(request, allotment_id)

    @extend_schema(
        operation_id="allotments_change", parameters=[ALLOTMENT, IF_MATCH],
        request=AllotmentChange, responses={200: AllotmentRead, **REFUSALS},
    )  # fmt: skip
    def patch(self, request: Request, allotment_id: int) -> Response:
        form = AllotmentChange(data=request.data)
        form.is_valid(raise_exception=True)
        change_allotment(
            actor=actor_of(request), allotment_id=allotment_id,
            seen_version=wanted_version(request), **form.validated_data,
        )  # fmt: skip
        return _answer(request, allotment_id)

    @extend_schema(
        operation_id="allotments_end", parameters=[ALLOTMENT, IF_MATCH],
        responses={204: None, **REFUSALS},
    )  # fmt: skip
    def delete(self, request: Request, allotment_id: int) -> Response:
        """End it; what was provisioned of it stays."""
        end_allotment(
            actor=actor_of(request), allotment_id=allotment_id, seen_version=wanted_version(request)
        )
        return Response(status=204)


class DrawnVolumesView(APIView):
    """Volumes of an allotment."""

    rights = {"POST": Right.PROVISION}

    @extend_schema(
        operation_id="allotments_provision", parameters=[ALLOTMENT, KEY], request=DrawWrite,
        responses={202: AllotmentRead, **REFUSALS},
    )  # fmt: skip
    def post(self, request: Request, allotment_id: int) -> Response:
        """Have a volume made and mapped for a datastore of a cluster, never beyond what is left."""
        form = DrawWrite(data=request.data)
        form.is_valid(raise_exception=True)
        provision(
            actor=actor_of(request), allotment_id=allotment_id, key=key_of(request),
            **form.validated_data,
        )  # fmt: skip
        return _answer(request, allotment_id, status=202)


class DrawnVolumeView(APIView):
    """One volume of an allotment: gone on with, or given back."""

    rights = {"POST": Right.PROVISION, "DELETE": Right.PROVISION}

    @extend_schema(
        operation_id="allotments_go_on", parameters=[ALLOTMENT, DRAWN], request=None,
        responses={202: AllotmentRead, **REFUSALS},
    )  # fmt: skip
    def post(self, request: Request, allotment_id: int, drawn_id: int) -> Response:
        """Try again what stopped."""
        go_on(actor=actor_of(request), allotment_id=allotment_id, drawn_id=drawn_id)
        return _answer(request, allotment_id, status=202)

    @extend_schema(
        operation_id="allotments_give_back",
        parameters=[ALLOTMENT, DRAWN, OpenApiParameter("confirms", OpenApiTypes.STR)],
        responses={202: AllotmentRead, **REFUSALS},
    )
    def delete(self, request: Request, allotment_id: int, drawn_id: int) -> Response:
        """Give it back: what is there is deleted, its name confirms that."""
        give_back(
            actor=actor_of(request), allotment_id=allotment_id, drawn_id=drawn_id,
            confirms=request.query_params.get("confirms", ""),
        )  # fmt: skip
        return _answer(request, allotment_id, status=202)


def _answer(request: Request, allotment_id: int, *, status: int = 200) -> Response:
    actor = actor_of(request)
    one = allotment_for(actor, allotment_id)
    some = allotments_told(actor, of=one.entity_id)
    told = next(each for each in some if each.one.pk == one.pk)
    body = AllotmentRead(_told(told, shows_orders=sees_all(actor))).data
    return versioned(Response(body, status=status), facts=facts_of_allotment(one))


def _told(told: AllotmentTold, *, shows_orders: bool) -> dict[str, Any]:  # Any: JSON
    one, pool, taking = told.one, told.pool, told.taking
    site = pool.entity.site
    return {
        "id": one.pk, "version": version_of(facts_of_allotment(one)),
        "pool": {"id": pool.pk, "name": pool.entity.name},
        "home_name": pool.home.name if pool.home else "", "site_name": site.name if site else None,
        "service_class": pool.service_class.name if pool.service_class else "",
        "tenant": {"id": one.tenant_id, "name": one.tenant.name},
        "allotted_bytes": one.allotted_bytes, "provisioned_bytes": taking.provisioned_bytes,
        "used_bytes": taking.come_bytes, "left_bytes": told.left_bytes, "min_iops": one.min_iops,
        "taken_min_iops": taking.min_iops, "from_on": one.from_on, "note": one.note,
        "made_at": one.made_at, "made_by": one.made_by,
        "clusters": [{"id": pk, "name": name} for pk, name in told.clusters],
        "drawn": [_drawn_told(each, shows_orders=shows_orders) for each in told.drawn],
    }  # fmt: skip


def _drawn_told(told: DrawnTold, *, shows_orders: bool) -> dict[str, Any]:  # Any: JSON
    drawn, asked = told.drawn, told.drawn.asked
    return {
        "id": asked.pk, "name": asked.name,
        "volume_name": asked.volume.name if asked.volume else "",
        "size_bytes": drawn.size_bytes, "used_bytes": drawn.come_bytes, "is_read": drawn.is_read,
        "is_made": told.is_made, "is_leaving": told.is_leaving,
        "asked_at": asked.asked_at, "asked_by": asked.asked_by,
        "is_planned": asked.is_planned, "datastore_name": told.datastore,
        "waits_for": told.wait and told.wait.what.value,
        "waits": told.wait.says if told.wait else "", "stopped": told.stopped,
        "steps": [
            {"title": parts_of(tuple(one.title)), "state": one.state, "found": one.found}
            for one in told.steps
        ],
        "scenario_id": asked.scenario_id if shows_orders else None,
    }  # fmt: skip
