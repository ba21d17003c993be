"""Feeds and runs over the API."""

from datetime import UTC, datetime
from typing import Any

from django.db.models import QuerySet
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import (
    OpenApiParameter,
    extend_schema,
    extend_schema_field,
    extend_schema_view,
)
from rest_framework import mixins, serializers
from rest_framework.decorators import action
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet, ReadOnlyModelViewSet

from keelmark.access.api.base import IF_MATCH, KEY, Problem, actor_of, key_of
from keelmark.access.paging import CursorPages
from keelmark.access.rights import Right, require_confirmation
from keelmark.access.services.allowances import Ration
from keelmark.access.versions import version_of, versioned, wanted_version
from keelmark.estate.models import Protocol
from keelmark.estate.sift import read_sift
from keelmark.feeds import selectors
from keelmark.feeds.models import Feed, Run, RunState
from keelmark.feeds.options import settable_options
from keelmark.feeds.secrets import opened
from keelmark.feeds.services.feeds import add_feed, drop_feed, set_feed, told_of
from keelmark.feeds.services.pushing import take_push
from keelmark.feeds.services.schedule import ask_collection

Counts = serializers.DictField
HARMLESS = {"is_paused", "every_minutes", "allowed_age_hours", "timeout_seconds"}
COLLECTIONS = Ration(n_at_once=30, every_seconds=4)
PUSHES = Ration(n_at_once=200, every_seconds=0.5)


class ExampleRead(serializers.Serializer[Run]):
    what = serializers.CharField()
    kind = serializers.CharField()
    id = serializers.IntegerField()
    name = serializers.CharField()


class RunRead(serializers.ModelSerializer[Run]):
    feed_id = serializers.IntegerField(allow_null=True)
    state = serializers.ChoiceField(choices=RunState.choices)
    n_new = Counts(child=serializers.IntegerField())
    n_changed = Counts(child=serializers.IntegerField())
    n_grown = Counts(child=serializers.IntegerField())
    n_retired = Counts(child=serializers.IntegerField())
    examples = ExampleRead(many=True)
    warnings = serializers.ListField(child=serializers.CharField())

    class Meta:
        model = Run
        fields = (
            "id", "feed_id", "source", "state", "asked_at", "started_at", "ended_at", "step",
            "n_read", "n_readings", "n_new", "n_changed", "n_grown", "n_retired", "examples",
            "problem", "warnings", "bytes_done", "bytes_total", "is_trial",
        )  # fmt: skip
        read_only_fields = fields


class FeedRead(serializers.ModelSerializer[Feed]):
    protocol = serializers.ChoiceField(choices=Protocol.choices)
    addresses = serializers.ListField(child=serializers.CharField())
    options = serializers.SerializerMethodField()
    has_password = serializers.SerializerMethodField()
    has_writer_password = serializers.SerializerMethodField()
    state = serializers.SerializerMethodField()
    last_problem = serializers.CharField(allow_null=True)
    last_warnings = serializers.SerializerMethodField()
    live_run = serializers.SerializerMethodField()
    covers = serializers.SerializerMethodField()
    n_waiting = serializers.SerializerMethodField()
    version = serializers.SerializerMethodField(help_text="for If-Match")

    class Meta:
        model = Feed
        fields = (
            "id", "name", "protocol", "addresses", "user", "has_password", "writer_user",
            "has_writer_password", "ca_certificate", "options", "every_minutes",
            "allowed_age_hours", "timeout_seconds", "is_paused",
            "n_failures", "state", "last_good_at", "next_due_at", "last_problem",
            "last_warnings", "live_run",
            "covers", "n_waiting", "version",
        )  # fmt: skip
        read_only_fields = fields

    @extend_schema_field({"type": "string", "enum": [state.value for state in selectors.FeedState]})
    def get_state(self, feed: Feed) -> str:
        return selectors.state_of(feed, now=datetime.now(UTC))

    @extend_schema_field({"type": "object", "additionalProperties": True})
    def get_options(self, feed: Feed) -> dict[str, object]:
        return settable_options(feed.options)

    @extend_schema_field(bool)
    def get_has_password(self, feed: Feed) -> bool:
        return bool(opened(feed.password_encrypted))

    @extend_schema_field(bool)
    def get_has_writer_password(self, feed: Feed) -> bool:
        return bool(opened(feed.writer_password_encrypted))

    @extend_schema_field(str)
    def get_version(self, feed: Feed) -> str:
        return version_of(told_of(feed))

    @extend_schema_field({"type": "array", "items": {"type": "string"}})
    def get_last_warnings(self, feed: Feed) -> list[str]:
        """Return what the last run had to leave out: what a planner does not see."""
        return getattr(feed, "last_warnings", None) or []

    @extend_schema_field(RunRead(allow_null=True))
    def get_live_run(self, feed: Feed) -> object:
        run = self.context.get("live", {}).get(feed.pk)
        return RunRead(run).data if run is not None else None

    @extend_schema_field({"type": "object", "additionalProperties": {"type": "integer"}})
    def get_covers(self, feed: Feed) -> dict[str, int]:
        covered: dict[str, int] = self.context.get("covered", {}).get(feed.source_id, {})
        return covered

    @extend_schema_field(int)
    def get_n_waiting(self, feed: Feed) -> int:
        return int(self.context.get("waiting", {}).get(feed.source_id, 0))


class FeedChange(serializers.Serializer[Feed]):
    name = serializers.CharField(max_length=200, required=False)
    user = serializers.CharField(max_length=200, required=False, allow_blank=True)
    password = serializers.CharField(
        max_length=500, required=False, write_only=True, trim_whitespace=False, allow_blank=True
    )
    writer_user = serializers.CharField(
        max_length=200, required=False, allow_blank=True,
        help_text="the account that changes are sent with; without one nothing is ever set there",
    )  # fmt: skip
    writer_password = serializers.CharField(
        max_length=500, required=False, write_only=True, trim_whitespace=False, allow_blank=True
    )
    addresses = serializers.ListField(
        child=serializers.CharField(max_length=500), max_length=256, required=False
    )
    ca_certificate = serializers.CharField(max_length=100_000, required=False, allow_blank=True)
    options = serializers.DictField(required=False)
    every_minutes = serializers.IntegerField(min_value=1, max_value=10_080, required=False)
    allowed_age_hours = serializers.IntegerField(min_value=1, max_value=8760, required=False)
    timeout_seconds = serializers.IntegerField(min_value=1, max_value=600, required=False)
    is_paused = serializers.BooleanField(required=False)


class FeedWrite(FeedChange):
    name = serializers.CharField(max_length=200)
    protocol = serializers.ChoiceField(choices=Protocol.choices)


class RunPages(CursorPages):
    page_size = 50
    ordering = ("-asked_at", "-pk")


class Ndjson(BaseParser):
    """Lines of an estate file, as they are."""

    media_type = "application/x-ndjson"

    def parse(
        self, stream: Any, media_type: Any = None, parser_context: Any = None
    ) -> Any:  # Any: DRF takes whatever a view can use
        return stream.read()


BY_ID = extend_schema(parameters=[OpenApiParameter("id", OpenApiTypes.INT, OpenApiParameter.PATH)])


@extend_schema_view(
    **dict.fromkeys(
        ("retrieve", "partial_update", "destroy", "collect", "trial", "documents"), BY_ID
    )
)
class FeedViewSet(mixins.ListModelMixin, mixins.RetrieveModelMixin, GenericViewSet[Feed]):
    """Sources of inventory and readings."""

    queryset = Feed.objects.none()
    serializer_class = FeedRead
    pagination_class = None
    lookup_value_regex = r"\d{1,18}"
    rights = {
        "list": Right.READ_FEEDS,
        "retrieve": Right.READ_FEEDS,
        "create": Right.MANAGE_FEEDS,
        "partial_update": Right.MANAGE_FEEDS,
        "destroy": Right.MANAGE_FEEDS,
        "collect": Right.MANAGE_FEEDS,
        "trial": Right.MANAGE_FEEDS,
        "documents": Right.PUSH,
    }
    rations = {"collect": COLLECTIONS, "trial": COLLECTIONS, "documents": PUSHES}

    def get_queryset(self) -> QuerySet[Feed]:
        return selectors.feeds_for(actor_of(self.request))

    @extend_schema(
        parameters=[OpenApiParameter("scope", OpenApiTypes.STR)],
        responses={200: FeedRead(many=True), 400: Problem},
    )
    def list(self, request: Request, *args: Any, **kwargs: Any) -> Response:  # Any: DRF
        """The feeds of a scope: those that tell of a pool in it, or are called so."""
        sift = read_sift(request.query_params.get("scope", ""))
        feeds = selectors.in_scope(actor_of(request), sift=sift)
        return Response(FeedRead(feeds, many=True, context=self.get_serializer_context()).data)

    def get_serializer_context(self) -> dict[str, Any]:  # Any: DRF's own
        feeds = list(self.get_queryset())
        return {
            **super().get_serializer_context(),
            "covered": selectors.coverage_of(feeds),
            "waiting": selectors.waiting_of(feeds),
            "live": selectors.live_runs(feeds),
        }

    def _told(self, feed_id: int) -> Response:
        feed = self.get_queryset().get(pk=feed_id)
        told = FeedRead(feed, context=self.get_serializer_context()).data
        return versioned(Response(told), facts=told_of(feed))

    def retrieve(self, request: Request, *args: Any, **kwargs: Any) -> Response:  # Any: DRF
        return self._told(self.get_object().pk)

    @extend_schema(
        request=FeedWrite, responses={201: FeedRead, 400: Problem, 403: Problem, 422: Problem}
    )
    def create(self, request: Request) -> Response:
        """Add a feed; try it with a trial before it counts. Wants the password again."""
        require_confirmation(request)
        form = FeedWrite(data=request.data)
        form.is_valid(raise_exception=True)
        facts = dict(form.validated_data)
        feed = add_feed(
            actor=actor_of(request),
            name=facts.pop("name"),
            protocol=Protocol(facts.pop("protocol")),
            password=facts.pop("password", ""),
            writer_password=facts.pop("writer_password", ""),
            facts=facts,
        )
        response = self._told(feed.pk)
        response.status_code = 201
        return response

    @extend_schema(
        parameters=[IF_MATCH],
        request=FeedChange,
        responses={
            200: FeedRead, 400: Problem, 403: Problem, 404: Problem, 412: Problem, 422: Problem,
            428: Problem,
        },
    )  # fmt: skip
    def partial_update(self, request: Request, *args: Any, **kwargs: Any) -> Response:  # Any: DRF
        """Change what is given. Where it goes and its secret want one's own password again.

        With another address or authority the kept secret is dropped, unless it is given again.
        """
        form = FeedChange(data=request.data)
        form.is_valid(raise_exception=True)
        if form.validated_data.keys() - HARMLESS:
            require_confirmation(request)
        feed = self.get_object()
        set_feed(
            actor=actor_of(request),
            feed_id=feed.pk,
            seen_version=wanted_version(request),
            **form.validated_data,
        )
        return self._told(feed.pk)

    @extend_schema(
        parameters=[IF_MATCH],
        responses={
            204: None, 403: Problem, 404: Problem, 409: Problem, 412: Problem, 428: Problem,
        },
    )  # fmt: skip
    def destroy(self, request: Request, *args: Any, **kwargs: Any) -> Response:  # Any: DRF
        """Drop a feed; what it told stays as history and is retired where nobody else tells it."""
        require_confirmation(request)
        drop_feed(
            actor=actor_of(request),
            feed_id=self.get_object().pk,
            seen_version=wanted_version(request),
        )
        return Response(status=204)

    @extend_schema(request=None, responses={202: RunRead, 404: Problem, 409: Problem})
    @action(detail=True, methods=["post"])
    def collect(self, request: Request, pk: str | None = None) -> Response:
        """Collect now, or return the run that is under way."""
        run = ask_collection(actor=actor_of(request), feed_id=self.get_object().pk)
        return Response(RunRead(run).data, status=202)

    @extend_schema(request=None, responses={202: RunRead, 404: Problem})
    @action(detail=True, methods=["post"])
    def trial(self, request: Request, pk: str | None = None) -> Response:
        """Read everything, count what it would change, write nothing."""
        run = ask_collection(actor=actor_of(request), feed_id=self.get_object().pk, is_trial=True)
        return Response(RunRead(run).data, status=202)

    @extend_schema(
        request={"application/x-ndjson": OpenApiTypes.STR},
        parameters=[KEY],
        responses={202: RunRead, 400: Problem, 404: Problem, 409: Problem, 422: Problem},
    )
    @action(detail=True, methods=["post"], parser_classes=[Ndjson])
    def documents(self, request: Request, pk: str | None = None) -> Response:
        """Send lines of an estate file; the same key brings the same run, never a second."""
        key = key_of(request)
        feed = self.get_object()
        body = request.data if isinstance(request.data, bytes) else b""
        run = take_push(actor=actor_of(request), feed_id=feed.pk, key=key, body=body)
        return Response(RunRead(run).data, status=202)


@extend_schema_view(retrieve=BY_ID)
class RunViewSet(ReadOnlyModelViewSet[Run]):
    """Collections and imports, newest first."""

    queryset = Run.objects.none()
    serializer_class = RunRead
    pagination_class = RunPages
    lookup_value_regex = r"\d{1,18}"
    rights = {"GET": Right.READ_FEEDS}

    def get_queryset(self) -> QuerySet[Run]:
        runs = selectors.runs_for(actor_of(self.request))
        feed_id = self.request.query_params.get("feed_id", "")
        return runs.filter(feed_id=int(feed_id)) if _is_id(feed_id) else runs

    @extend_schema(parameters=[OpenApiParameter("feed_id", OpenApiTypes.INT)])
    def list(self, request: Request, *args: Any, **kwargs: Any) -> Response:  # Any: DRF
        return super().list(request, *args, **kwargs)


def _is_id(text: str) -> bool:
    return text.isascii() and text.isdigit() and len(text) <= 18  # noqa: PLR2004  # an int64
