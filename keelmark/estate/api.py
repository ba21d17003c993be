"""The joined estate over the API: findings, counts by kind, the chain below a thing."""

from dataclasses import asdict
from typing import Any

from django.db.models import Count, Max, QuerySet
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, mixins, serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework.viewsets import GenericViewSet

from keelmark.access.api.base import Problem, actor_of
from keelmark.access.paging import CursorPages
from keelmark.access.rights import Right
from keelmark.estate import selectors
from keelmark.estate.export import csv_download
from keelmark.estate.models import Entity, Finding, FindingKind, Kind
from keelmark.estate.sift import read_sift
from keelmark.estate.trace import find_named, trace

Record = Any  # Any: what a read serializer tells of
WHY: dict[FindingKind, str] = {
    FindingKind.LOOSE_END: (
        "What lies behind this end is not counted, and nobody can say on which drives it is."
    ),
    FindingKind.NO_POOL: (
        "Its array tells of no pool it comes from, nor enough of its drives to work one out: what "
        "is left for it and when it ends cannot be told."
    ),
    FindingKind.CONFLICT: (
        "Two sources cannot both be right; the figures follow the one that is believed first."
    ),
    FindingKind.TWO_IDENTITIES: (
        "It may be counted twice, or two things may be taken for one, until a source mends it."
    ),
    FindingKind.UNMANAGED_HOST: (
        "Bytes are written here that no VM explains, and freeing it would hurt who writes them."
    ),
    FindingKind.TWO_NAMES: (
        "A device name alone leads to the wrong volume: only its worldwide name is the same on "
        "every host."
    ),
    FindingKind.FREE_BUT_OWNED: (
        "A volume that looks unassigned is in use: giving it away would destroy data."
    ),
    FindingKind.MIRROR_SIDE_LOST: (
        "There is one copy left; the next fault loses data, and the usable bytes are not safe."
    ),
    FindingKind.HELD_LONG: (
        "Its work waits for its limit, day after day: replay tells what another limit would do."
    ),
    FindingKind.STARVED_OFTEN: (
        "It does not get what its tier promises: its volume or its array gives less than it must."
    ),
    FindingKind.BUSY_UNTIERED: (
        "Nothing is promised to it and nothing holds it back: it takes from who has a promise."
    ),
    FindingKind.OUTGROWS_TIER: (
        "From that day on its work waits for its limit, and nobody notices before it does."
    ),
    FindingKind.UNKNOWN_NAME: (
        "What its name promises is nowhere written, so nobody judges whether it is kept."
    ),
}


class ThingRead(serializers.ModelSerializer[Entity]):
    class Meta:
        model = Entity
        fields = ("id", "kind", "name", "uid")


class FindingRead(serializers.ModelSerializer[Finding]):
    kind = serializers.ChoiceField(choices=FindingKind.choices)
    entity = ThingRead()
    others = ThingRead(many=True)
    site_name = serializers.CharField(source="entity.site.name", allow_null=True, default=None)
    why = serializers.SerializerMethodField()
    pool_id = serializers.SerializerMethodField()

    class Meta:
        model = Finding
        fields = (
            "id", "kind", "entity", "others", "site_name", "detail", "why", "found_at", "pool_id",
        )  # fmt: skip

    def get_why(self, finding: Finding) -> str:
        return WHY[FindingKind(finding.kind)]

    def get_pool_id(self, finding: Finding) -> int | None:
        """Return the pool whose page shows this thing."""
        pools: dict[int, int] = self.context.get("pools", {})
        return pools.get(finding.entity_id)


class FindingPages(CursorPages):
    page_size = 200
    ordering = ("kind", "entity__name", "pk")


class FindingsWanted(serializers.Serializer[Record]):
    kind = serializers.ChoiceField(choices=FindingKind.choices, required=False)
    text = serializers.CharField(max_length=200, required=False, allow_blank=True)
    scope = serializers.CharField(required=False, allow_blank=True, trim_whitespace=False)


class FindingCountRead(serializers.Serializer[Record]):
    kind = serializers.ChoiceField(choices=FindingKind.choices)
    n = serializers.IntegerField()


FINDING_COLUMNS = ("finding", "kind", "name", "uid", "site", "detail", "found_at")


class FindingViewSet(mixins.ListModelMixin, GenericViewSet[Finding]):
    """What joining the layers showed, as long as it is so."""

    queryset = Finding.objects.none()
    serializer_class = FindingRead
    pagination_class = FindingPages
    rights = {"list": Right.READ, "counts": Right.READ, "export": Right.READ}

    def get_queryset(self) -> QuerySet[Finding]:
        found = self._of_all_kinds()
        kind = self.request.query_params.get("kind")
        return found.filter(kind=kind) if kind else found

    def _of_all_kinds(self) -> QuerySet[Finding]:
        form = FindingsWanted(data=self.request.query_params)
        form.is_valid(raise_exception=True)
        wanted = form.validated_data
        return selectors.findings_for(
            actor_of(self.request),
            sift=read_sift(wanted.get("scope", "")),
            text=wanted.get("text", ""),
        )

    @extend_schema(
        parameters=[FindingsWanted], responses={200: FindingRead(many=True), 400: Problem}
    )
    def list(self, request: Request, *args: Any, **kwargs: Any) -> Response:  # Any: DRF
        page = self.paginate_queryset(self.get_queryset()) or []
        context = {"pools": selectors.pools_of([finding.entity_id for finding in page])}
        return self.get_paginated_response(FindingRead(page, many=True, context=context).data)

    @extend_schema(
        parameters=[FindingsWanted],
        responses={200: FindingCountRead(many=True), 400: Problem},
        filters=False,
    )
    @action(detail=False, pagination_class=None)
    def counts(self, request: Request) -> Response:
        """How many there are of each kind in a scope and with a text, over all pages."""
        counted = self._of_all_kinds().order_by("kind").values("kind").annotate(n=Count("pk"))
        return Response(FindingCountRead(counted, many=True).data)

    @extend_schema(
        parameters=[FindingsWanted],
        responses={(200, "text/csv"): OpenApiTypes.STR, 400: Problem},
        filters=False,
    )
    @action(detail=False, pagination_class=None)
    def export(self, request: Request) -> HttpResponse:
        """All of them as they are listed, as CSV."""
        rows = (
            (f.kind, f.entity.kind, f.entity.name, f.entity.uid,
             f.entity.site.name if f.entity.site else "", f.detail, f.found_at.isoformat())
            for f in self.get_queryset()
        )  # fmt: skip
        return csv_download(FINDING_COLUMNS, rows, filename="findings.csv")


class TenantViewSet(mixins.ListModelMixin, GenericViewSet[Entity]):
    """The tenants, by name."""

    queryset = Entity.objects.none()
    serializer_class = ThingRead
    pagination_class = None

    def get_queryset(self) -> QuerySet[Entity]:
        return selectors.tenants_for(actor_of(self.request))


class KindCountRead(serializers.Serializer[Record]):
    kind = serializers.ChoiceField(choices=Kind.choices)
    n = serializers.IntegerField()
    last_seen_at = serializers.DateTimeField(allow_null=True)


class KindsView(APIView):
    """How many things of each kind are known, and when one was seen last."""

    @extend_schema(operation_id="kinds_list", responses={200: KindCountRead(many=True)})
    def get(self, request: Request) -> Response:
        counted = {
            row["kind"]: row
            for row in selectors.entities_for(actor_of(request))
            .order_by()
            .values("kind")
            .annotate(n=Count("pk"), last_seen_at=Max("last_seen_at"))
        }
        nothing = {"n": 0, "last_seen_at": None}
        rows = [counted.get(kind, {"kind": kind, **nothing}) for kind in Kind.values]
        return Response(KindCountRead(rows, many=True).data)


class TraceView(APIView):
    """The chain below a thing, by its name or one of its uids."""

    @extend_schema(
        operation_id="trace_read",
        parameters=[OpenApiParameter("name", OpenApiTypes.STR, required=True)],
        responses={200: OpenApiTypes.OBJECT, 404: Problem},
    )
    def get(self, request: Request) -> Response:
        name = request.query_params.get("name", "").replace("\x00", "")
        found = find_named(actor_of(request), name=name)
        if not found:
            raise exceptions.NotFound(f"Nothing is known as “{name}”.")
        seen = selectors.things_ever_for(actor_of(request))
        return Response(asdict(trace(found[0], seen=seen)))
