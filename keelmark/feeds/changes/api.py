"""Changes at far ends over the API."""

from typing import Any

from django.db.models import QuerySet
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import (
    OpenApiParameter,
    extend_schema,
    extend_schema_field,
    extend_schema_view,
)
from rest_framework import exceptions, mixins, serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from keelmark.access.api.base import KEY, Problem, actor_of, key_of
from keelmark.access.paging import CursorPages
from keelmark.access.rights import Right, has_right
from keelmark.feeds.changes.allowed import LIMITS, SETTABLE
from keelmark.feeds.changes.asking import (
    MAX_AT_ONCE,
    MAX_WHY,
    Wanted,
    ask_changes,
    drop_changes,
    release_changes,
    take_back,
    try_again,
)
from keelmark.feeds.changes.reading import change_sets_for
from keelmark.feeds.errors import ChangeStateError
from keelmark.feeds.models import Change, ChangeSet, ChangeState


class FarChangeRead(serializers.ModelSerializer[Change]):
    name = serializers.CharField(source="entity.name")
    kind = serializers.CharField(source="entity.kind")
    feed_name = serializers.CharField(source="feed.name", allow_null=True, default=None)
    state = serializers.ChoiceField(choices=ChangeState.choices)
    was = serializers.DictField()
    wanted = serializers.DictField()
    found = serializers.DictField(allow_null=True)
    percent = serializers.IntegerField(
        source="progress.percent",
        allow_null=True,
        default=None,
        help_text="done, as the far end tells",
    )

    class Meta:
        model = Change
        fields = (
            "id", "entity_id", "name", "kind", "feed_name", "what", "was", "wanted", "found",
            "state", "problem", "n_tries", "percent", "ended_at",
        )  # fmt: skip
        read_only_fields = fields


class ChangeSetRead(serializers.ModelSerializer[ChangeSet]):
    changes = FarChangeRead(many=True)
    n_by_state = serializers.SerializerMethodField()
    taken_back_by_id = serializers.SerializerMethodField()

    class Meta:
        model = ChangeSet
        fields = (
            "id", "why", "asked_at", "actor_name", "released_at", "released_by", "takes_back_id",
            "taken_back_by_id", "n_by_state", "changes",
        )  # fmt: skip
        read_only_fields = fields

    def get_n_by_state(self, one: ChangeSet) -> dict[str, int]:
        told: dict[str, int] = {}
        for each in one.changes.all():
            told[each.state] = told.get(each.state, 0) + 1
        return told

    @extend_schema_field(serializers.IntegerField(allow_null=True))
    def get_taken_back_by_id(self, one: ChangeSet) -> int | None:
        return max((each.pk for each in one.taken_back_by.all()), default=None)


class FarChangeWrite(serializers.Serializer[Any]):
    entity_id = serializers.IntegerField()
    was = serializers.DictField(
        child=serializers.IntegerField(), help_text="as it was seen; nothing is sent if it is not"
    )
    wanted = serializers.DictField(child=serializers.IntegerField())


class ChangeSetWrite(serializers.Serializer[Any]):
    # Whatever else is written is a step of a work order.
    what = serializers.ChoiceField(choices=[LIMITS])
    changes = serializers.ListField(child=FarChangeWrite(), max_length=MAX_AT_ONCE)
    why = serializers.CharField(max_length=MAX_WHY, allow_blank=True, default="")
    is_released = serializers.BooleanField(
        default=False, help_text="sent at once, by an operator; else it waits for one"
    )


class ChangeSetPages(CursorPages):
    page_size = 20
    ordering = ("-asked_at", "-pk")


BY_ID = extend_schema(parameters=[OpenApiParameter("id", OpenApiTypes.INT, OpenApiParameter.PATH)])
REFUSALS = {403: Problem, 404: Problem, 409: Problem}


WHAT = OpenApiParameter("what", OpenApiTypes.STR, enum=list(SETTABLE), description="of one sort")


@extend_schema_view(list=extend_schema(parameters=[WHAT]))
@extend_schema_view(**dict.fromkeys(("retrieve", "release", "drop", "retry", "take_back"), BY_ID))
class ChangeSetViewSet(mixins.ListModelMixin, mixins.RetrieveModelMixin, GenericViewSet[ChangeSet]):
    """Changes at far ends, newest first: asked for, let go, and what came of each."""

    queryset = ChangeSet.objects.none()
    serializer_class = ChangeSetRead
    pagination_class = ChangeSetPages
    lookup_value_regex = r"\d{1,18}"
    rights = {
        "list": Right.READ_FEEDS,
        "retrieve": Right.READ_FEEDS,
        "create": Right.PLAN,
        "release": Right.CARRY_OUT,
        "drop": Right.PLAN,
        "retry": Right.CARRY_OUT,
        "take_back": Right.CARRY_OUT,
    }

    def get_queryset(self) -> "QuerySet[ChangeSet]":
        sets = change_sets_for(actor_of(self.request))
        what = self.request.query_params.get("what")
        is_list = self.action == "list" and what is not None
        return sets.filter(changes__what=what).distinct() if is_list else sets

    def _told(self, one: ChangeSet, *, status: int = 200) -> Response:
        return Response(ChangeSetRead(self.get_queryset().get(pk=one.pk)).data, status=status)

    @extend_schema(
        parameters=[KEY],
        request=ChangeSetWrite,
        responses={202: ChangeSetRead, 400: Problem, 403: Problem, 409: Problem, 422: Problem},
    )
    def create(self, request: Request) -> Response:
        """Ask for changes, all or none. Planners plan them; an operator has them sent at once."""
        form = ChangeSetWrite(data=request.data)
        form.is_valid(raise_exception=True)
        told = form.validated_data
        actor = actor_of(request)
        if told["is_released"] and not has_right(actor, Right.CARRY_OUT):
            raise exceptions.PermissionDenied("An operator has changes sent; you can plan them.")
        made = ask_changes(
            actor=actor, key=key_of(request), what=told["what"], why=told["why"],
            is_released=told["is_released"], changes=[Wanted(**one) for one in told["changes"]],
        )  # fmt: skip
        return self._told(made, status=202)

    @extend_schema(request=None, responses={202: ChangeSetRead, **REFUSALS})
    @action(detail=True, methods=["post"])
    def release(self, request: Request, pk: str | None = None) -> Response:
        """Let planned changes go."""
        one = release_changes(actor=actor_of(request), set_id=self.get_object().pk)
        return self._told(one, status=202)

    @extend_schema(request=None, responses={200: ChangeSetRead, **REFUSALS})
    @action(detail=True, methods=["post"])
    def drop(self, request: Request, pk: str | None = None) -> Response:
        """Take from the queue what was not sent yet."""
        return self._told(drop_changes(actor=actor_of(request), set_id=self.get_object().pk))

    @extend_schema(request=None, responses={202: ChangeSetRead, **REFUSALS})
    @action(detail=True, methods=["post"])
    def retry(self, request: Request, pk: str | None = None) -> Response:
        """Queue again what failed."""
        one = try_again(actor=actor_of(request), set_id=self.get_object().pk)
        return self._told(one, status=202)

    @extend_schema(
        request=None, parameters=[KEY], responses={202: ChangeSetRead, 422: Problem, **REFUSALS}
    )
    @action(detail=True, methods=["post"], url_path="take-back")
    def take_back(self, request: Request, pk: str | None = None) -> Response:
        """Ask for the way back: what was set is set to what it was, if it still is so."""
        asked = self.get_object()
        if asked.changes.exclude(what=LIMITS).exists():
            # Something may be lost by it, which is named there first.
            raise ChangeStateError(why="That is taken back at its step of the work order.")
        one = take_back(actor=actor_of(request), set_id=asked.pk, key=key_of(request))
        return self._told(one, status=202)
