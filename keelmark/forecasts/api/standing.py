"""Forecasts of anything over the API: dates, findings, record, contributors, berths, runs."""

from datetime import date
from typing import Any

from django.db.models import F, QuerySet
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, mixins, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework.viewsets import GenericViewSet

from keelmark.access.api.base import Problem, actor_of
from keelmark.access.clock import utc_today
from keelmark.access.paging import CursorPages
from keelmark.access.rights import Right
from keelmark.access.selectors import sees_all
from keelmark.access.services.allowances import Ration
from keelmark.core.attention import Attention
from keelmark.core.ledger import order_by
from keelmark.estate import selectors as estate
from keelmark.estate.api import ThingRead
from keelmark.estate.marks import nearest_marks
from keelmark.estate.models import Entity, Kind
from keelmark.forecasts.api.pools import (
    SCOPE,
    DatesRead,
    FindingsRead,
    Int64Field,
    Record,
    WorkingRead,
    sift_of,
)
from keelmark.forecasts.definitions.findings import NOTHING_FOUND
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS, MARKS
from keelmark.forecasts.definitions.kept import fan_told
from keelmark.forecasts.definitions.ways import WAYS
from keelmark.forecasts.definitions.wholes import OWNERS
from keelmark.forecasts.models import ForecastRun, KeptForecast, Metric, RunState
from keelmark.forecasts.pools.selectors import FAN_QUANTILES
from keelmark.forecasts.reading import standing
from keelmark.forecasts.reading.contributors import contributors_of
from keelmark.forecasts.reading.together import MAX_FORECAST, together_of
from keelmark.forecasts.reading.workings import end_of, workings_of_end

MAX_GROWTH = 20.0
MAX_WINDOW_DAYS = 400
SUMS = Ration(n_at_once=120, every_seconds=0.5)  # they add up much
ENTITY = OpenApiParameter("entity_id", OpenApiTypes.INT, OpenApiParameter.PATH)
KINDS = sorted({str(kind) for kind in (*(kind for kind, _ in WAYS), *OWNERS)})


class RecordRead(serializers.Serializer[Record]):
    """How right forecasts of 7, 30, 60 and 90 days ago would have been, over the days given."""

    days = serializers.ListField(child=serializers.IntegerField())
    error = serializers.ListField(child=Int64Field(allow_null=True))
    bias = serializers.ListField(child=Int64Field(allow_null=True))
    n_inside = serializers.IntegerField(help_text="days that fell in the 80 % band")
    n_tried = serializers.IntegerField()
    widening = serializers.FloatField(
        help_text="times as wide as its own past asks, the band is: the misses of its kind ask it"
    )
    said_week_ago_on = serializers.DateField(allow_null=True)
    said_month_ago_on = serializers.DateField(allow_null=True)


class HeldRead(serializers.Serializer[Record]):
    scenario_id = serializers.IntegerField(allow_null=True, help_text="null: an allotment")
    first_on = serializers.DateField()
    most_bytes = Int64Field()


class StandingRead(serializers.Serializer[Record]):
    entity = ThingRead()
    site_name = serializers.CharField(allow_null=True)
    lead_time_days = serializers.IntegerField()
    metric = serializers.ChoiceField(choices=Metric.choices)
    growth = serializers.FloatField(help_text="times as fast as it does grow")
    as_of = serializers.DateField(allow_null=True)
    made_at = serializers.DateTimeField()
    unit = serializers.CharField(help_text="of every amount here: bytes, CPUs, IOPS or bytes/s")
    last_amount = Int64Field(allow_null=True, help_text="as it was last read")
    growth_per_day = serializers.FloatField(allow_null=True)
    unjudged_because = serializers.CharField(allow_blank=True)
    attention = serializers.ChoiceField(choices=[a.value for a in Attention])
    attention_because = serializers.CharField()
    caution = DatesRead()
    limit = DatesRead()
    full = DatesRead()
    order_by_on = serializers.DateField(allow_null=True)
    limit_chance = serializers.FloatField(
        allow_null=True, help_text="that the limit is reached within two years at all"
    )
    marks = serializers.DictField(child=Int64Field(allow_null=True))
    ceiling = Int64Field(allow_null=True)
    findings = FindingsRead()
    record = RecordRead()
    workings = WorkingRead(many=True, help_text="how the likely and the order-by date come about")
    path = serializers.DictField(child=serializers.ListField(child=Int64Field(allow_null=True)))
    held = HeldRead(many=True, help_text="for scenarios and tenants: the path has it in it")


class ForecastWanted(serializers.Serializer[Record]):
    metric = serializers.ChoiceField(choices=Metric.choices, default=Metric.USED)
    days = serializers.IntegerField(min_value=1, max_value=HORIZON_DAYS, default=365)
    growth = serializers.FloatField(min_value=0, max_value=MAX_GROWTH, default=1.0)


def entity_of(request: Request, entity_id: int) -> Entity:
    """Return a thing this person may see, or 404."""
    found = estate.entities_for(actor_of(request)).select_related("site").filter(pk=entity_id)
    entity = found.first()
    if entity is None:
        raise exceptions.NotFound(f"No thing {entity_id} is known.")
    return entity


class ForecastView(APIView):
    """The forecast of one thing, with its reasons."""

    @extend_schema(
        operation_id="forecasts_read",
        parameters=[ENTITY, ForecastWanted],
        responses={200: StandingRead, 400: Problem, 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        form = ForecastWanted(data=request.query_params)
        form.is_valid(raise_exception=True)
        wanted = form.validated_data
        entity = entity_of(request, entity_id)
        found = standing.standing_of(entity, metric=Metric(wanted["metric"]))
        if found is None:
            told = f"Of {entity.kind} {entity.name} no forecast of {wanted['metric']} is made yet."
            raise exceptions.NotFound(told)
        kept = found.forecast
        reckoned = standing.reckoned(found, growth=wanted["growth"])
        outlook = standing.grown_outlook([kept], growth=wanted["growth"])
        lead_time_days = nearest_marks(entity).lead_time_days
        end = end_of(
            found, limit=reckoned.dates["limit"], growth=wanted["growth"],
            lead_time_days=lead_time_days,
        )  # fmt: skip
        body = {
            "entity": entity,
            "site_name": entity.site.name if entity.site else None,
            "lead_time_days": lead_time_days,
            "metric": found.metric,
            "growth": wanted["growth"],
            "as_of": kept.as_of,
            "made_at": kept.made_at,
            "last_amount": found.stands_at,
            "growth_per_day": end.growth_per_day,
            "workings": workings_of_end(end, today=utc_today()),
            "unit": found.metric.unit,
            "unjudged_because": kept.unjudged_because,
            "attention": kept.attention,
            "attention_because": kept.attention_because,
            **{mark: _dates(reckoned.dates[mark]) for mark in MARKS},
            "order_by_on": order_by(end.limit[0], lead_time_days=lead_time_days),
            "limit_chance": reckoned.limit_chance,
            "marks": found.marks,
            "ceiling": None if kept.ceiling is None else round(kept.ceiling),
            "findings": kept.findings or NOTHING_FOUND,
            "record": {
                "widening": 1.0,
                **kept.record,
                "said_week_ago_on": kept.said_week_ago_on,
                "said_month_ago_on": kept.said_month_ago_on,
            },
            "path": fan_told(
                outlook,
                horizon_days=wanted["days"],
                quantiles=FAN_QUANTILES,
                added=standing.held_ahead(found),
            ),
            # Plans are none of a tenant's business, though they take room beside it.
            "held": standing.held_told(found) if sees_all(actor_of(request)) else [],
        }
        return Response(StandingRead(body).data)


def _dates(dates: tuple[date | None, date | None, date | None]) -> dict[str, date | None]:
    return dict(zip(("early_on", "likely_on", "late_on"), dates, strict=True))


TOLD = (
    "id", "metric", "as_of", "made_at", "growth_per_day", "attention",
    "attention_because", "limit_early_on", "limit_likely_on", "limit_late_on", "limit_chance",
    "full_likely_on",
)  # fmt: skip
OF_ENTITY = ("id", "kind", "name", "uid")


class CrossingRead(serializers.ModelSerializer[KeptForecast]):
    entity = ThingRead()
    site_name = serializers.CharField(allow_null=True)
    metric = serializers.ChoiceField(choices=Metric.choices)
    unit = serializers.CharField()
    attention = serializers.ChoiceField(choices=[a.value for a in Attention])

    class Meta:
        model = KeptForecast
        fields = ("entity", "site_name", "unit", *TOLD)


class CrossingsWanted(serializers.Serializer[Record]):
    kind = serializers.ChoiceField(choices=KINDS)
    metric = serializers.ChoiceField(choices=Metric.choices, default=Metric.USED)


class CrossingPages(CursorPages):
    page_size = 200
    ordering = ("sort_on", "pk")


class CrossingViewSet(mixins.ListModelMixin, GenericViewSet[KeptForecast]):
    """What ends first of a kind, the nearest date at the top; pools are under /pools."""

    queryset = KeptForecast.objects.none()
    serializer_class = CrossingRead
    pagination_class = CrossingPages
    rights = {"list": Right.READ}

    def get_queryset(self) -> QuerySet[KeptForecast]:
        form = CrossingsWanted(data=self.request.query_params)
        form.is_valid(raise_exception=True)
        return standing.crossings_for(
            actor_of(self.request),
            kind=Kind(form.validated_data["kind"]),
            metric=Metric(form.validated_data["metric"]),
            sift=sift_of(self.request),
        )

    @extend_schema(
        operation_id="forecasts_list",
        parameters=[SCOPE, CrossingsWanted],
        responses={200: CrossingRead(many=True), 400: Problem},
    )
    def list(self, request: Request, *args: Any, **kwargs: Any) -> Response:  # Any: DRF's
        # The rows are plain already; a serializer would take four times as long as the SQL.
        paths = (*TOLD, "sort_on", *(f"entity__{name}" for name in OF_ENTITY))
        rows = self.get_queryset().values(*paths, site_name=F("entity__site__name"))
        page = self.paginate_queryset(rows) or []
        return self.get_paginated_response([_crossing(dict(row)) for row in page])


def _crossing(row: dict[str, Any]) -> dict[str, Any]:  # Any: the row's values
    entity = {name: row[f"entity__{name}"] for name in OF_ENTITY}
    return {
        "entity": entity,
        "site_name": row["site_name"],
        "unit": Metric(row["metric"]).unit,
        **{name: row[name] for name in TOLD},
    }


class PartGrowthRead(serializers.Serializer[Record]):
    entity = ThingRead()
    home_name = serializers.CharField(allow_null=True, help_text="of a pool: its array")
    added_bytes = Int64Field()
    is_new = serializers.BooleanField()
    is_gone = serializers.BooleanField()
    share = serializers.FloatField(allow_null=True)


class ExplainedRead(serializers.Serializer[Record]):
    on = serializers.DateField()
    step_bytes = Int64Field()
    explained_bytes = Int64Field()
    says = serializers.CharField()


class ContributorsRead(serializers.Serializer[Record]):
    first_on = serializers.DateField()
    last_on = serializers.DateField()
    part_kind = serializers.CharField(allow_null=True)
    n_parts = serializers.IntegerField()
    total_bytes = Int64Field()
    new_bytes = Int64Field()
    gone_bytes = Int64Field()
    parts = PartGrowthRead(many=True)
    explained = ExplainedRead(many=True)


class WindowWanted(serializers.Serializer[Record]):
    days = serializers.IntegerField(min_value=1, max_value=MAX_WINDOW_DAYS, default=30)
    until = serializers.DateField(required=False, help_text="the last day; today without")

    def validate_until(self, told: date) -> date:
        if told > utc_today():
            raise serializers.ValidationError("Of days to come nobody knows who grows.")
        return told


class ContributorsView(APIView):
    """Who made the growth of a thing."""

    rations = {"GET": SUMS}

    @extend_schema(
        operation_id="contributors_read",
        parameters=[ENTITY, WindowWanted],
        responses={200: ContributorsRead, 400: Problem, 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        form = WindowWanted(data=request.query_params)
        form.is_valid(raise_exception=True)
        entity = entity_of(request, entity_id)
        found = standing.standing_of(entity, metric=Metric.USED)
        told = contributors_of(
            entity,
            seen=estate.entities_for(actor_of(request)),
            findings=found.forecast.findings if found else None,
            n_days=form.validated_data["days"],
            last_on=form.validated_data.get("until") or utc_today(),
        )
        return Response(ContributorsRead(told).data)


class PartAheadRead(serializers.Serializer[Record]):
    entity = ThingRead()
    bytes_on = serializers.ListField(child=Int64Field())


class TogetherRead(serializers.Serializer[Record]):
    """A whole and its parts on days ahead: parts and what is left out add up to the whole."""

    days = serializers.ListField(child=serializers.DateField())
    whole_bytes = serializers.ListField(child=Int64Field())
    alone_bytes = serializers.ListField(child=Int64Field())
    parts = PartAheadRead(many=True)
    n_left_out = serializers.IntegerField(help_text="parts that are not forecast yet")
    left_out_bytes = Int64Field(help_text="what they were last read to hold, taken to stay")


class TogetherView(APIView):
    """Likely bytes of a thing and its parts, made to add up."""

    rations = {"GET": SUMS}

    @extend_schema(
        operation_id="together_read",
        parameters=[ENTITY],
        responses={200: TogetherRead, 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        entity = entity_of(request, entity_id)
        seen = estate.entities_for(actor_of(request))
        told = together_of(entity, seen=seen, today=utc_today())
        if told is None:
            raise exceptions.NotFound(
                f"Of {entity.kind} {entity.name} and its parts nothing is forecast together, "
                f"or it has more than {MAX_FORECAST} parts."
            )
        return Response(TogetherRead(told).data)


class ForecastRunRead(serializers.ModelSerializer[ForecastRun]):
    state = serializers.ChoiceField(choices=RunState.choices)
    n_chunks = serializers.IntegerField()
    n_done = serializers.IntegerField()
    n_failed = serializers.IntegerField()

    class Meta:
        model = ForecastRun
        fields = (
            "id", "asked_at", "ended_at", "state", "is_everything", "n_chunks", "n_done",
            "n_failed",
        )  # fmt: skip


class ForecastRunPages(CursorPages):
    page_size = 20
    ordering = ("-asked_at", "-pk")


class ForecastRunViewSet(mixins.ListModelMixin, GenericViewSet[ForecastRun]):
    """Runs that made forecasts, newest first."""

    queryset = ForecastRun.objects.none()
    serializer_class = ForecastRunRead
    pagination_class = ForecastRunPages
    rights = {"list": Right.READ_FEEDS}

    def get_queryset(self) -> QuerySet[ForecastRun]:
        return standing.runs_told()
