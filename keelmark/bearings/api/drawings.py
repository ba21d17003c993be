"""The estate as it is drawn, over the API: strata, areas, the coast."""

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
from keelmark.bearings.api.asked import (
    BEARING,
    GROUPED_BY,
    ID_DIGITS,
    KIND,
    AtRead,
    at_told,
    groupings,
    kind_named,
    view_of,
)
from keelmark.bearings.selectors.areas import groups_of, sites_of
from keelmark.bearings.selectors.cuts import strata
from keelmark.bearings.selectors.lists import Columns
from keelmark.core.estate.strata import Height, Way


class AreaGroupRead(serializers.Serializer[Record]):
    names = serializers.ListField(child=serializers.CharField(allow_null=True))
    n = serializers.IntegerField()
    used_bytes = serializers.IntegerField()
    size_bytes = serializers.IntegerField(allow_null=True)
    fill_percent = serializers.FloatField(allow_null=True)
    grown_bytes = serializers.IntegerField(allow_null=True)
    state = serializers.CharField(allow_null=True)
    oldest_read_days = serializers.IntegerField(allow_null=True)


class AreaRead(serializers.Serializer[Record]):
    at = AtRead()
    groups = AreaGroupRead(many=True)


class AreaView(APIView):
    """The bytes of a kind in groups of groups."""

    @extend_schema(
        operation_id="estate_area",
        parameters=[KIND, *BEARING, GROUPED_BY],
        responses={200: AreaRead, 400: Problem},
    )
    def get(self, request: Request, kind: str) -> Response:
        of = kind_named(kind)
        view, by = view_of(request), groupings(request, of=of)
        rows = np.flatnonzero(view.shown(of.name))
        groups = groups_of(Columns(view, kind=of.name), rows=rows, by=by[:2])
        return Response(AreaRead({"at": at_told(view), "groups": groups}).data)


class CoastSiteRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    used_bytes = serializers.IntegerField(allow_null=True)
    size_bytes = serializers.IntegerField(allow_null=True)
    n_vms = serializers.IntegerField()
    n_arrays = serializers.IntegerField()
    worst = serializers.CharField(allow_null=True)
    objects_bytes = serializers.IntegerField(allow_null=True)


class CoastRead(serializers.Serializer[Record]):
    at = AtRead()
    sites = CoastSiteRead(many=True)


class CoastView(APIView):
    """The sites with what stands at each."""

    @extend_schema(
        operation_id="estate_coast", parameters=[*BEARING], responses={200: CoastRead, 400: Problem}
    )
    def get(self, request: Request) -> Response:
        view = view_of(request)
        return Response(CoastRead({"at": at_told(view), "sites": sites_of(view)}).data)


class RemainderRead(serializers.Serializer[Record]):
    what = serializers.ChoiceField(
        choices=["unclaimed", "orphans", "unpooled", "hot", "warm", "cold"]
    )
    amount = serializers.IntegerField()
    n = serializers.IntegerField(allow_null=True)
    size_bytes = serializers.IntegerField(allow_null=True)


class MemberRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    amount = serializers.IntegerField(allow_null=True, help_text="bytes here, by the height")
    size_bytes = serializers.IntegerField(allow_null=True)
    used_bytes = serializers.IntegerField(allow_null=True)
    promised_bytes = serializers.IntegerField(allow_null=True)
    state = serializers.CharField(allow_null=True)
    caution_percent = serializers.IntegerField(allow_null=True)
    limit_percent = serializers.IntegerField(allow_null=True)
    n_unread = serializers.IntegerField(help_text="parts of it that nobody read")


class SumRead(serializers.Serializer[Record]):
    known_bytes = serializers.IntegerField()
    n_known = serializers.IntegerField()
    n_unread = serializers.IntegerField()


class LayerRead(serializers.Serializer[Record]):
    of_id = serializers.IntegerField(
        allow_null=True, help_text="what it stands on; null: the first"
    )
    kind = serializers.CharField()
    title = serializers.CharField()
    n_all = serializers.IntegerField()
    total = SumRead()
    members = MemberRead(many=True)
    n_more = serializers.IntegerField()
    more_amount = serializers.IntegerField()
    remainders = RemainderRead(many=True)


class StrataRead(serializers.Serializer[Record]):
    at = AtRead()
    layers = LayerRead(many=True)


class StrataView(APIView):
    """The estate cut open along a path."""

    @extend_schema(
        operation_id="estate_strata",
        parameters=[
            *BEARING,
            OpenApiParameter("way", OpenApiTypes.STR, enum=[one.value for one in Way]),
            OpenApiParameter("height", OpenApiTypes.STR, enum=[one.value for one in Height]),
            OpenApiParameter("path", OpenApiTypes.STR, description="ids, with commas between"),
        ],
        responses={200: StrataRead, 400: Problem},
    )
    def get(self, request: Request) -> Response:
        asked = request.query_params
        way = _one_of(Way, asked.get("way") or Way.STORAGE, field="way")
        height = _one_of(Height, asked.get("height") or Height.USED, field="height")
        path = [one for one in asked.get("path", "").split(",") if one]
        if not all(one.isdecimal() and len(one) <= ID_DIGITS for one in path):
            raise wrong_field("path", "Use the ids of things, with commas between.")
        view = view_of(request)
        told = strata(view, way=way, height=height, ids=[int(one) for one in path])
        return Response(StrataRead({"at": at_told(view), "layers": told}).data)


def _one_of(options: Any, told: str, *, field: str) -> Any:  # Any: an enumeration of words
    try:
        return options(told)
    except ValueError as exc:
        known = ", ".join(one.value for one in options)
        raise wrong_field(field, f"Use one of {known}.") from exc
