"""Marks of a thing over the API."""

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api import Problem, actor_of
from keelmark.access.rights import Right
from keelmark.estate.models import Entity
from keelmark.forecasts.api import Record
from keelmark.forecasts.marks import marks_told
from keelmark.forecasts.services.marks import set_marks
from keelmark.forecasts.standing_api import ENTITY, entity_of

MAX_LEAD_DAYS = 1000


class MarkRead(serializers.Serializer[Record]):
    name = serializers.ChoiceField(choices=["caution_percent", "limit_percent", "lead_time_days"])
    own = serializers.IntegerField(allow_null=True)
    holds = serializers.IntegerField()
    whose = serializers.CharField(help_text="own, class NAME, site NAME or default")


class MarksWrite(serializers.Serializer[Record]):
    """Null takes the next farther one's: class's, site's, the default."""

    caution_percent = serializers.IntegerField(
        min_value=1, max_value=99, allow_null=True, required=False
    )
    limit_percent = serializers.IntegerField(
        min_value=2, max_value=100, allow_null=True, required=False
    )
    lead_time_days = serializers.IntegerField(
        min_value=1, max_value=MAX_LEAD_DAYS, allow_null=True, required=False
    )


class MarksView(APIView):
    """Own marks of a thing, and those that hold; a site's hold for all that stands in it."""

    rights = {"PUT": Right.PLAN}

    @extend_schema(
        operation_id="marks_read",
        parameters=[ENTITY],
        responses={200: MarkRead(many=True), 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        return _told(entity_of(request, entity_id))

    @extend_schema(
        operation_id="marks_set",
        parameters=[ENTITY],
        request=MarksWrite,
        responses={200: MarkRead(many=True), 400: Problem, 404: Problem, 422: Problem},
    )
    def put(self, request: Request, entity_id: int) -> Response:
        form = MarksWrite(data=request.data)
        form.is_valid(raise_exception=True)
        entity = entity_of(request, entity_id)
        return _told(
            set_marks(actor=actor_of(request), entity_id=entity.pk, marks=form.validated_data)
        )


def _told(entity: Entity) -> Response:
    return Response(MarkRead(marks_told(entity), many=True).data)
