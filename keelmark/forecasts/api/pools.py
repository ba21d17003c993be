"""Pools over the API: what ends first, one pool's books, soundings, fan and volumes."""

from dataclasses import asdict
from datetime import UTC, datetime
from typing import Any

from django.db.models import QuerySet
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_view
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.serializers import BaseSerializer
from rest_framework.views import APIView
from rest_framework.viewsets import GenericViewSet

from keelmark.access.api.base import Problem, actor_of
from keelmark.access.clock import utc_today
from keelmark.access.errors import wrong_field
from keelmark.access.paging import CursorPages
from keelmark.core.attention import Attention
from keelmark.core.forecast import Repair
from keelmark.estate import selectors as estate
from keelmark.estate.models import Pool
from keelmark.estate.reservations import held_bytes, holds_on
from keelmark.estate.sift import Sift, read_sift
from keelmark.feeds.selectors import feed_name_of
from keelmark.forecasts.models import Reach
from keelmark.forecasts.pools import selectors
from keelmark.forecasts.pools.changes import changes_for
from keelmark.forecasts.pools.export import csv_of
from keelmark.forecasts.pools.rows import (
    Listed,
    PoolRow,
    dates_of,
    forecast_of,
    row_of,
    rows_of,
)
from keelmark.forecasts.reading.workings import workings_of_ledger

Record = Any  # Any: what a read serializer tells of, a dict or a dataclass
SCOPE = OpenApiParameter(
    "scope",
    OpenApiTypes.STR,
    description="sift: site:, array:, class:, state: and bare words; - before a term excludes",
)


class Int64Field(serializers.IntegerField):
    """Bytes: a JSON integer of 64 bits."""


class DatesRead(serializers.Serializer[Record]):
    early_on = serializers.DateField(allow_null=True)
    likely_on = serializers.DateField(allow_null=True)
    late_on = serializers.DateField(allow_null=True)


class PartRead(serializers.Serializer[Record]):
    """A piece of a sentence: text, or a signed amount of bytes."""

    text = serializers.CharField(required=False)
    bytes = Int64Field(required=False)


class PoolRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    array_name = serializers.CharField()
    site_name = serializers.CharField(allow_null=True)
    service_class = serializers.CharField(allow_null=True)
    usable_bytes = Int64Field()
    used_bytes = Int64Field()
    free_bytes = Int64Field()
    plannable_bytes = Int64Field()
    reserved_bytes = Int64Field()
    held_bytes = Int64Field(help_text="of them, for accepted scenarios and tenants")
    provisioned_bytes = Int64Field(allow_null=True)
    exposure_bytes = Int64Field(allow_null=True)
    overcommit_percent = serializers.FloatField(allow_null=True)
    caution_percent = serializers.IntegerField()
    limit_percent = serializers.IntegerField()
    lead_time_days = serializers.IntegerField()
    read_at = serializers.DateTimeField()
    as_of = serializers.DateField(allow_null=True)
    attention = serializers.ChoiceField(choices=[a.value for a in Attention])
    attention_because = serializers.CharField()
    reason = PartRead(many=True)
    reach = serializers.ChoiceField(choices=[r.name.lower() for r in Reach])
    growth_bytes_per_day = Int64Field(allow_null=True)
    limit = DatesRead()
    order_by_on = serializers.DateField(allow_null=True)


class StepRead(serializers.Serializer[Record]):
    label = serializers.CharField()  # type: ignore[assignment]  # DRF's own attribute of that name
    sign = serializers.CharField(allow_blank=True)
    amount = Int64Field(allow_null=True)
    text = serializers.CharField(allow_blank=True)
    on = serializers.DateField(allow_null=True)
    is_result = serializers.BooleanField()


class WorkingRead(serializers.Serializer[Record]):
    figure = serializers.CharField()
    title = serializers.CharField()
    says = serializers.CharField()
    unit = serializers.CharField(help_text="of every amount of its steps")
    steps = StepRead(many=True)


class PoolDetailRead(PoolRead):
    caution = DatesRead()
    full = DatesRead()
    n_volumes = serializers.IntegerField()
    n_drives = serializers.IntegerField()
    workings = WorkingRead(many=True)
    feed_name = serializers.CharField(allow_null=True)
    said_week_ago_on = serializers.DateField(allow_null=True)
    said_month_ago_on = serializers.DateField(allow_null=True)


class ShiftRead(serializers.Serializer[Record]):
    on = serializers.DateField()
    amount = Int64Field()


class PaceChangeRead(serializers.Serializer[Record]):
    on = serializers.DateField()
    before_per_day = serializers.FloatField()
    after_per_day = serializers.FloatField()


class RepairRead(serializers.Serializer[Record]):
    first_on = serializers.DateField()
    last_on = serializers.DateField()
    why = serializers.ChoiceField(choices=[r.name.lower() for r in Repair if r])


class JumpsRead(serializers.Serializer[Record]):
    n = serializers.IntegerField()
    mean_amount = Int64Field()
    last_on = serializers.DateField()
    every_days = serializers.FloatField(
        allow_null=True, required=False, help_text="from one to the next at the median"
    )


class WayRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    share = serializers.FloatField(help_text="0 to 1")


class MixRead(serializers.Serializer[Record]):
    """Which ways to go on count how much, and what was learnt from other histories on top."""

    ways = WayRead(many=True, help_text="the heaviest first")
    n_more = serializers.IntegerField(help_text="others that count")
    learnt_per_day = serializers.FloatField(help_text="on top of the ways, in four weeks ahead")
    is_unlike = serializers.BooleanField(
        help_text="unlike all histories that were learnt from: the ways stand alone"
    )
    always_share = serializers.FloatField(
        default=0.0,  # of what was kept before this was told
        help_text="how much counts what would be said had its few shifts always been there",
    )
    line_share = serializers.FloatField(
        default=0.0, help_text="how much counts what a line that never bent does"
    )


class FindingsRead(serializers.Serializer[Record]):
    """What the model saw in the past; amounts are in the unit of what is forecast."""

    shifts = ShiftRead(many=True)
    pace_changes = PaceChangeRead(many=True)
    repairs = RepairRead(many=True)
    jumps = JumpsRead(allow_null=True)
    weekly_swing = Int64Field(allow_null=True)
    monthly_swing = Int64Field(allow_null=True)
    n_kin = serializers.IntegerField()
    mix = MixRead(allow_null=True, required=False, help_text="null where not judged")


class VolumeRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    uid = serializers.CharField()
    size_bytes = Int64Field()
    written_bytes = Int64Field(allow_null=True)
    grown_30_days_bytes = Int64Field(allow_null=True)
    provisioning = serializers.CharField(allow_null=True)
    is_mapped = serializers.BooleanField(allow_null=True)
    read_at = serializers.DateTimeField()


class ChangeRead(serializers.Serializer[Record]):
    kind = serializers.ChoiceField(choices=["feed", "date", "shift", "inventory"])
    state = serializers.CharField()
    at = serializers.DateTimeField()
    headline = PartRead(many=True)
    note = serializers.CharField(allow_blank=True)
    pool_id = serializers.IntegerField(allow_null=True)
    feed_id = serializers.IntegerField(allow_null=True)


class CountRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    n_pools = serializers.IntegerField()


class FacetsRead(serializers.Serializer[Record]):
    n_pools = serializers.IntegerField()
    sites = CountRead(many=True)
    states = CountRead(many=True)
    classes = CountRead(many=True)
    reaches = CountRead(many=True, help_text="how far pools reach, as the list groups them")


def sift_of(request: Request) -> Sift:
    """Return the request's scope; one that means nothing is refused."""
    return read_sift(request.query_params.get("scope", "").replace("\x00", ""))


class PoolPages(CursorPages):
    page_size = 200
    max_page_size = 500
    page_size_query_param = "page_size"
    ordering = selectors.ORDER

    def _get_position_from_instance(self, instance: Any, ordering: Any) -> str:  # Any: DRF
        """Return the reach, by which the pages are ordered first."""
        reach = Listed.of(instance).reach
        return str(Reach.NO_END.value if reach is None else reach)


class VolumePages(CursorPages):
    page_size = 250
    orders = [f"{sign}{name}" for name in ("written", "size", "name") for sign in ("-", "")]

    def get_ordering(
        self, request: Request, queryset: Any, view: Any
    ) -> tuple[str, str]:  # Any: DRF
        """Return the order asked for; one that is none is refused."""
        asked = request.query_params.get("order") or self.orders[0]
        if asked not in self.orders:
            raise wrong_field("order", f"Use one of {', '.join(self.orders)}.")
        return asked, "-pk" if asked.startswith("-") else "pk"


@extend_schema_view(
    **{
        name: extend_schema(
            parameters=[OpenApiParameter("pool_id", OpenApiTypes.INT, OpenApiParameter.PATH)]
        )
        for name in ("retrieve", "volumes")
    }
)
class PoolViewSet(GenericViewSet[Pool]):
    """Pools, what ends first at the top."""

    queryset = Pool.objects.none()
    serializer_class: type[BaseSerializer[Any]] = PoolRead  # Any: as Record
    pagination_class = PoolPages
    lookup_field = "pk"
    lookup_url_kwarg = "pool_id"
    lookup_value_regex = r"\d+"

    def get_queryset(self) -> QuerySet[Pool]:
        return selectors.pools_for(actor_of(self.request), sift=sift_of(self.request))

    @extend_schema(parameters=[SCOPE], responses={200: PoolRead(many=True), 400: Problem})
    def list(self, request: Request) -> Response:
        pools = selectors.listed_for(actor_of(request), sift=sift_of(request))
        page = self.paginate_queryset(pools) or []
        # The rows are plain already; a serializer would take as long again as the SQL.
        return self.get_paginated_response([_flat(one) for one in rows_of(page)])

    @extend_schema(
        parameters=[SCOPE],
        responses={(200, "text/csv"): OpenApiTypes.STR, 400: Problem},
        filters=False,
    )
    @action(detail=False, pagination_class=None)
    def export(self, request: Request) -> HttpResponse:
        """Every pool of the scope in the order of the list: exact bytes, ISO dates, as CSV."""
        pools = selectors.listed_for(actor_of(request), sift=sift_of(request))
        return csv_of(rows_of(pools))

    @extend_schema(responses={200: PoolDetailRead, 404: Problem})
    def retrieve(self, request: Request, pool_id: int) -> Response:
        pool = self.get_object()
        forecast = forecast_of(pool)
        held = held_bytes(holds_on([pool.pk]), on=utc_today())
        detail = {
            **_plain(row_of(pool, held_bytes=held)),
            "caution": dates_of(forecast, mark="caution"),
            "full": dates_of(forecast, mark="full"),
            "n_volumes": estate.volumes_of(pool.pk).count(),
            "n_drives": pool.drives.count(),
            "workings": workings_of_ledger(estate.ledger_of(pool, held_bytes=held)),
            "said_week_ago_on": forecast.said_week_ago_on if forecast else None,
            "said_month_ago_on": forecast.said_month_ago_on if forecast else None,
            "feed_name": feed_name_of(pool.pk),
        }
        return Response(PoolDetailRead(detail).data)

    @extend_schema(
        parameters=[
            OpenApiParameter("order", enum=VolumePages.orders, default=VolumePages.orders[0])
        ],
        responses={200: VolumeRead(many=True), 400: Problem, 404: Problem},
    )
    @action(detail=True, pagination_class=VolumePages)
    def volumes(self, request: Request, pool_id: int) -> Response:
        """Volumes of the pool, most written first unless another order is asked for."""
        pages = VolumePages()
        page = pages.paginate_queryset(estate.volumes_of(self.get_object().pk), request, self)
        rows = [
            {
                "id": volume.pk,
                "name": volume.entity.name,
                "uid": volume.entity.uid,
                "size_bytes": volume.size_bytes,
                "written_bytes": volume.written_bytes,
                "grown_30_days_bytes": grown,
                "provisioning": volume.provisioning,
                "is_mapped": volume.is_mapped,
                "read_at": volume.read_at,
            }
            for volume, grown in selectors.with_growth(page, today=utc_today())
        ]
        return pages.get_paginated_response(VolumeRead(rows, many=True).data)


class FacetsView(APIView):
    """How the pools of a scope divide."""

    @extend_schema(parameters=[SCOPE], responses={200: FacetsRead, 400: Problem})
    def get(self, request: Request) -> Response:
        facets = selectors.facets_for(actor_of(request), sift=sift_of(request))
        counted = {
            name: [{"name": n, "n_pools": count} for n, count in getattr(facets, name)]
            for name in ("sites", "states", "classes", "reaches")
        }
        return Response(FacetsRead({"n_pools": facets.n_pools, **counted}).data)


class ChangesView(APIView):
    """What changed lately."""

    @extend_schema(parameters=[SCOPE], responses={200: ChangeRead(many=True), 400: Problem})
    def get(self, request: Request) -> Response:
        changes = changes_for(actor_of(request), sift=sift_of(request), now=datetime.now(UTC))
        return Response(ChangeRead(changes, many=True).data)


def _flat(row: PoolRow) -> dict[str, Any]:  # Any: the row's values
    told = {name: getattr(row, name) for name in row.__slots__}
    told["limit"] = {name: getattr(row.limit, name) for name in row.limit.__slots__}
    return told


def _plain(record: Any) -> dict[str, Any]:  # Any: a dataclass of any kind, its values
    return asdict(record)
