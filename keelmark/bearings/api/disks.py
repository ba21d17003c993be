"""The disks of a VM at a bearing, over the API."""

from dataclasses import asdict

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.selectors import sees_all
from keelmark.bearings.api.asked import BEARING, looked_at
from keelmark.bearings.api.things import GrownRead
from keelmark.bearings.selectors.disks import disks_at, volumes_named_otherwise


class FileSystemRead(serializers.Serializer[Record]):
    path = serializers.CharField()
    size_bytes = serializers.IntegerField(allow_null=True)
    used_bytes = serializers.IntegerField(allow_null=True)


class DiskRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    figures = serializers.DictField(help_text="by name, as in lists")
    datastore = serializers.DictField(allow_null=True)
    grown = GrownRead(many=True)
    file_systems = FileSystemRead(many=True, allow_null=True, help_text="null: none was seen")
    is_named_otherwise = serializers.BooleanField(help_text="its file bears another name")


class OtherNameRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()


class DisksRead(serializers.Serializer[Record]):
    disks = DiskRead(many=True)
    volumes_named_otherwise = OtherNameRead(
        many=True, help_text="that carry this VM alone and do not bear its name"
    )


class DisksView(APIView):
    """The disks of a VM: measures, growth, file systems."""

    @extend_schema(
        operation_id="estate_disks",
        parameters=[
            OpenApiParameter("entity_id", OpenApiTypes.INT, OpenApiParameter.PATH), *BEARING[1:]
        ],
        responses={200: DisksRead, 404: Problem},
    )  # fmt: skip
    def get(self, request: Request, entity_id: int) -> Response:
        view, node = looked_at(request, entity_id)
        if node.kind != "vm":
            raise exceptions.NotFound(f"No VM {entity_id} is known.")
        is_all = sees_all(actor_of(request))
        disks = disks_at(view, node, shows_places=is_all)
        told = {
            "disks": [asdict(one) for one in disks],
            "volumes_named_otherwise": volumes_named_otherwise(view, node) if is_all else [],
        }
        return Response(DisksRead(told).data)
