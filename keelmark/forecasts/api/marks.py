"""Marks of things, classes and sites over the API."""

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import IF_MATCH, Problem, actor_of
from keelmark.access.rights import Right
from keelmark.access.versions import version_of, versioned, wanted_version
from keelmark.estate.marks import FIELDS, facts_of, levels_of, marks_told
from keelmark.estate.models import Entity
from keelmark.forecasts.api.pools import Record
from keelmark.forecasts.api.standing import ENTITY, entity_of
from keelmark.forecasts.marks.setting import set_marks

MAX_LEAD_DAYS = 1000
MAX_OVERCOMMIT_PERCENT = 10_000
LEVELS = ["own", "class", "site"]


class MarkRead(serializers.Serializer[Record]):
    name = serializers.ChoiceField(choices=list(FIELDS))
    own = serializers.IntegerField(allow_null=True)
    holds = serializers.IntegerField()
    whose = serializers.CharField(help_text="own, class NAME, site NAME or default")


class LevelRead(serializers.Serializer[Record]):
    name = serializers.ChoiceField(choices=LEVELS)
    title = serializers.CharField()
    told = serializers.DictField(child=serializers.IntegerField(allow_null=True))


class MarksRead(serializers.Serializer[Record]):
    version = serializers.CharField(help_text="for If-Match")
    marks = MarkRead(many=True)
    levels = LevelRead(many=True, help_text="where they may be set, the nearest first")


def _percent(low: int, high: int) -> serializers.IntegerField:
    return serializers.IntegerField(min_value=low, max_value=high, allow_null=True, required=False)


class MarksWrite(serializers.Serializer[Record]):
    """Null takes the next farther one's: class's, site's, the default."""

    level = serializers.ChoiceField(choices=LEVELS, default="own")
    caution_percent = _percent(1, 99)
    limit_percent = _percent(2, 100)
    overcommit_caution_percent = _percent(1, MAX_OVERCOMMIT_PERCENT - 1)
    overcommit_limit_percent = _percent(2, MAX_OVERCOMMIT_PERCENT)
    lead_time_days = _percent(1, MAX_LEAD_DAYS)


class MarksView(APIView):
    """The marks that hold for a thing; those of a class or a site hold for all of it."""

    rights = {"PUT": Right.PLAN}

    @extend_schema(
        operation_id="marks_read", parameters=[ENTITY], responses={200: MarksRead, 404: Problem}
    )
    def get(self, request: Request, entity_id: int) -> Response:
        return _told(entity_of(request, entity_id))

    @extend_schema(
        operation_id="marks_set",
        parameters=[ENTITY, IF_MATCH],
        request=MarksWrite,
        responses={
            200: MarksRead, 400: Problem, 404: Problem, 412: Problem, 422: Problem, 428: Problem,
        },
    )  # fmt: skip
    def put(self, request: Request, entity_id: int) -> Response:
        form = MarksWrite(data=request.data)
        form.is_valid(raise_exception=True)
        marks = dict(form.validated_data)
        level = marks.pop("level")
        entity = entity_of(request, entity_id)
        set_marks(
            actor=actor_of(request),
            entity_id=entity.pk,
            marks=marks,
            level=level,
            seen_version=wanted_version(request),
        )
        return _told(entity_of(request, entity_id))


def _told(entity: Entity) -> Response:
    levels = levels_of(entity)
    facts = facts_of(levels)
    body = {"version": version_of(facts), "marks": marks_told(entity), "levels": levels}
    return versioned(Response(MarksRead(body).data), facts=facts)
