"""Feeds and runs over the API."""

from datetime import UTC, datetime
from typing import Any

from django.db.models import QuerySet
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import mixins, serializers
from rest_framework.decorators import action
from rest_framework.pagination import CursorPagination
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet, ReadOnlyModelViewSet

from keelmark.access.api import Problem, actor_of
from keelmark.feeds import selectors
from keelmark.feeds.models import Feed, Run, RunState
from keelmark.feeds.services.feeds import set_feed
from keelmark.feeds.services.schedule import ask_collection


class RunRead(serializers.ModelSerializer[Run]):
    feed_id = serializers.IntegerField(allow_null=True)
    state = serializers.ChoiceField(choices=RunState.choices)
    n_new = serializers.DictField(child=serializers.IntegerField())
    n_changed = serializers.DictField(child=serializers.IntegerField())
    n_retired = serializers.DictField(child=serializers.IntegerField())
    warnings = serializers.ListField(child=serializers.CharField())

    class Meta:
        model = Run
        fields = (
            "id", "feed_id", "source", "state", "asked_at", "started_at", "ended_at", "step",
            "n_read", "n_readings", "n_new", "n_changed", "n_retired", "problem", "warnings",
            "bytes_done", "bytes_total",
        )  # fmt: skip


class FeedRead(serializers.ModelSerializer[Feed]):
    state = serializers.SerializerMethodField()
    last_problem = serializers.CharField(allow_null=True)
    live_run_id = serializers.IntegerField(allow_null=True)

    class Meta:
        model = Feed
        fields = (
            "id", "name", "protocol", "addresses", "user", "every_minutes",
            "allowed_age_hours", "is_paused",
            "state", "last_good_at", "next_due_at", "last_problem",
            "live_run_id",
        )  # fmt: skip

    @extend_schema_field({"type": "string", "enum": [state.value for state in selectors.FeedState]})
    def get_state(self, feed: Feed) -> str:
        return selectors.state_of(feed, now=datetime.now(UTC))


class FeedWrite(serializers.Serializer[Feed]):
    user = serializers.CharField(max_length=200, required=False)
    password = serializers.CharField(
        max_length=500, required=False, write_only=True, trim_whitespace=False
    )
    addresses = serializers.ListField(
        child=serializers.CharField(max_length=500), max_length=256, required=False
    )
    is_paused = serializers.BooleanField(required=False)


class RunPages(CursorPagination):
    page_size = 50
    ordering = ("-asked_at", "-pk")


class FeedViewSet(mixins.ListModelMixin, mixins.RetrieveModelMixin, GenericViewSet[Feed]):
    """Sources of inventory and readings."""

    queryset = Feed.objects.none()
    serializer_class = FeedRead
    pagination_class = None

    def get_queryset(self) -> QuerySet[Feed]:
        return selectors.feeds_for(actor_of(self.request))

    @extend_schema(request=FeedWrite, responses={200: FeedRead, 400: Problem, 404: Problem})
    def partial_update(self, request: Request, *args: Any, **kwargs: Any) -> Response:  # Any: DRF
        form = FeedWrite(data=request.data)
        form.is_valid(raise_exception=True)
        feed = self.get_object()
        set_feed(actor=actor_of(request), feed_id=feed.pk, **form.validated_data)
        return Response(FeedRead(self.get_object()).data)

    @extend_schema(request=None, responses={202: RunRead, 404: Problem, 409: Problem})
    @action(detail=True, methods=["post"])
    def collect(self, request: Request, pk: str | None = None) -> Response:
        """Collect now, or return the run that is under way."""
        run = ask_collection(actor=actor_of(request), feed_id=self.get_object().pk)
        return Response(RunRead(run).data, status=202)


class RunViewSet(ReadOnlyModelViewSet[Run]):
    """Collections and imports, newest first."""

    queryset = Run.objects.none()
    serializer_class = RunRead
    pagination_class = RunPages

    def get_queryset(self) -> QuerySet[Run]:
        runs = selectors.runs_for(actor_of(self.request))
        feed_id = self.request.query_params.get("feed_id", "")
        return runs.filter(feed_id=int(feed_id)) if feed_id.isdigit() else runs

    @extend_schema(parameters=[OpenApiParameter("feed_id", OpenApiTypes.INT)])
    def list(self, request: Request, *args: Any, **kwargs: Any) -> Response:  # Any: DRF
        return super().list(request, *args, **kwargs)
