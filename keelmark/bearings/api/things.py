"""One thing at a bearing over the API."""

from dataclasses import asdict

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record
from keelmark.bearings.api.asked import BEARING, AtRead, at_told, view_of
from keelmark.bearings.api.estate import SumRead
from keelmark.bearings.selectors.cuts import node_of
from keelmark.bearings.selectors.things import (
    figures_of,
    growth_of,
    measures_of,
    related_to,
    stops_with,
)


class GrownRead(serializers.Serializer[Record]):
    days = serializers.IntegerField()
    bytes = serializers.IntegerField(allow_null=True)


class NamedRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    used_bytes = serializers.IntegerField(allow_null=True)
    state = serializers.CharField(allow_null=True)


class RelatedRead(serializers.Serializer[Record]):
    kind = serializers.CharField()
    side = serializers.ChoiceField(choices=["under", "over", "beside"])
    n = serializers.IntegerField()
    used = SumRead()
    named = NamedRead(many=True)


class OfTenantRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    n = serializers.IntegerField()


class StopsRead(serializers.Serializer[Record]):
    n_vms = serializers.IntegerField()
    by_tenant = OfTenantRead(many=True)


class EstateThingRead(serializers.Serializer[Record]):
    at = AtRead()
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    is_there = serializers.BooleanField(help_text="on the day looked at")
    figures = serializers.DictField(help_text="by name: an amount, a word, or a linked thing")
    measures = serializers.DictField(help_text="in what each figure is told")
    grown = GrownRead(many=True)
    related = RelatedRead(many=True)
    stops = StopsRead(allow_null=True)


class EstateThingView(APIView):
    """One thing of any kind: figures, growth, what it stands on, who stands on it."""

    @extend_schema(
        operation_id="estate_thing",
        parameters=[
            OpenApiParameter("entity_id", OpenApiTypes.INT, OpenApiParameter.PATH), *BEARING[1:]
        ],
        responses={200: EstateThingRead, 404: Problem},
    )  # fmt: skip
    def get(self, request: Request, entity_id: int) -> Response:
        view = view_of(request)
        node = node_of(view, entity_id=entity_id)
        if node is None:
            raise exceptions.NotFound("Nothing is known under this id.")
        table, stops = view.reading.estate.table(node.kind), stops_with(view, node)
        return Response(
            EstateThingRead(
                {
                    "at": at_told(view),
                    "id": entity_id,
                    "kind": node.kind,
                    "name": table.names[node.row],
                    "is_there": bool(view.reading.is_there[node.kind][node.row]),
                    "figures": figures_of(view, node),
                    "measures": measures_of(node.kind),
                    "grown": growth_of(view, node),
                    "related": [asdict(one) for one in related_to(view, node)],
                    "stops": None if stops is None else asdict(stops),
                }
            ).data
        )
