"""QoS tiers over the API: read, drawn up, revised, retired, named."""

from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import IF_MATCH, Problem, Record, actor_of
from keelmark.access.rights import Right
from keelmark.access.snapshots import one_moment
from keelmark.access.versions import version_of, versioned, wanted_version
from keelmark.bearings.api.asked import BEARING, AtRead, at_told, view_of
from keelmark.compliance.api.asked import seen_ids
from keelmark.compliance.models import MAX_NAME, MAX_NOTE, Tier, TierRevision
from keelmark.compliance.selectors.found import found_tally, week_at
from keelmark.compliance.selectors.names import unknown_names
from keelmark.compliance.selectors.serving import STATES, seen_disks, served_at, tier_tally
from keelmark.compliance.selectors.tiers import standing_tiers, tiered_at
from keelmark.compliance.services.tiers import (
    NAMERS,
    TierDraft,
    draw_up_tier,
    name_tier,
    retire_tier,
    revise_tier,
    tier_facts,
)
from keelmark.core.estate.reading import When
from keelmark.core.qos.tiers import DEFAULT_BURST

TIER = OpenApiParameter("tier_id", OpenApiTypes.INT, OpenApiParameter.PATH)
IO_STATES = [one.value for one in STATES]


class TierRevisionRead(serializers.Serializer[Record]):
    number = serializers.IntegerField()
    min_iops = serializers.IntegerField()
    max_iops = serializers.IntegerField()
    burst = serializers.FloatField()
    max_bytes_per_second = serializers.IntegerField(allow_null=True)
    latency_ms = serializers.FloatField(allow_null=True)
    is_together = serializers.BooleanField(help_text="for all its disks, not for each")
    note = serializers.CharField()
    made_at = serializers.DateTimeField()
    author = serializers.CharField()


FOUND_FIELD = serializers.DictField(
    child=serializers.IntegerField(),
    help_text="disks in sight by what the last days show, and spare_iops: by how much limits that "
    "are too wide could be lowered",
)


class TierRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    version = serializers.CharField(help_text="for If-Match")
    newest = TierRevisionRead()
    n_revisions = serializers.IntegerField()
    n_disks = serializers.IntegerField()
    counts = serializers.DictField(
        child=serializers.IntegerField(), help_text="disks in sight by state; of now alone"
    )
    found = FOUND_FIELD


class TiersRead(serializers.Serializer[Record]):
    at = AtRead()
    read_at = serializers.DateTimeField(allow_null=True, help_text="end of the newest mean")
    n_untiered = serializers.IntegerField()
    untiered = serializers.DictField(child=serializers.IntegerField())
    found_untiered = FOUND_FIELD
    found_days = serializers.IntegerField(help_text="of which that was found")
    results = TierRead(many=True)


class UnknownNameRead(serializers.Serializer[Record]):
    word = serializers.ChoiceField(choices=["policy", "tier"])
    name = serializers.CharField()
    n = serializers.IntegerField(help_text="of things in sight that are told to be in it")


class TierDraftWrite(serializers.Serializer[Record]):
    min_iops = serializers.IntegerField()
    max_iops = serializers.IntegerField()
    burst = serializers.FloatField(default=DEFAULT_BURST)
    max_bytes_per_second = serializers.IntegerField(allow_null=True, default=None)
    latency_ms = serializers.FloatField(allow_null=True, default=None)
    is_together = serializers.BooleanField(default=False)
    note = serializers.CharField(max_length=MAX_NOTE, allow_blank=True, default="")


class TierWrite(TierDraftWrite):
    name = serializers.CharField(max_length=MAX_NAME)


class TierNamingWrite(serializers.Serializer[Record]):
    tier_id = serializers.IntegerField(allow_null=True, help_text="null: none of their own")
    entity_ids = serializers.ListField(
        child=serializers.IntegerField(), help_text=f"each a {', '.join(NAMERS)}"
    )


class TierNamedRead(serializers.Serializer[Record]):
    entity_id = serializers.IntegerField()
    tier_id = serializers.IntegerField(allow_null=True, help_text="that it named before")


class TiersView(APIView):
    """Tiers with how many of their disks in sight stand how, the highest first."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="tiers_list", parameters=BEARING, responses={200: TiersRead, 400: Problem}
    )
    def get(self, request: Request) -> Response:
        with one_moment():  # a tier may be retired while all of them are added up
            return Response(TiersRead(self._read(request)).data)

    @staticmethod
    def _read(request: Request) -> dict[str, Any]:  # Any: JSON
        view = view_of(request)
        served = served_at(view) if view.reading.when is When.NOW else None
        counts = tier_tally(view, served)
        by_id = {one.pk: one for one in standing_tiers()}
        *of_tiers, untiered = counts
        *found, found_untiered = found_tally(view, shown=seen_disks(view))
        n_untiered = untiered.pop("n")
        results = [
            {
                **_told(by_id[one.tier.pk]),
                "n_disks": mine.pop("n"),
                "counts": mine,
                "found": shown,
            }
            for one, mine, shown in zip(
                tiered_at(view.reading).defined, of_tiers, found, strict=True
            )
        ]
        return {
            "at": at_told(view),
            "read_at": served.read_at if served else None,
            "n_untiered": n_untiered,
            "found_untiered": found_untiered,
            "found_days": len(week_at(view.reading).days),
            "untiered": untiered,
            "results": results,
        }

    @extend_schema(
        operation_id="tiers_draw_up",
        request=TierWrite,
        responses={201: TierRead, 400: Problem, 409: Problem},
    )
    def post(self, request: Request) -> Response:
        form = TierWrite(data=request.data)
        form.is_valid(raise_exception=True)
        told = dict(form.validated_data)
        tier = draw_up_tier(actor=actor_of(request), name=told.pop("name"), draft=TierDraft(**told))
        return Response(TierRead(_told(tier)).data, status=201)


class TierView(APIView):
    """One tier: its revisions; retired when nothing names it any more."""

    rights = {"DELETE": Right.PLAN}

    @extend_schema(
        operation_id="tiers_revisions",
        parameters=[TIER],
        responses={200: TierRevisionRead(many=True), 404: Problem},
    )
    def get(self, request: Request, tier_id: int) -> Response:
        tier = _tier(tier_id)
        return Response(
            TierRevisionRead([_revision(one) for one in tier.revisions.all()], many=True).data
        )

    @extend_schema(
        operation_id="tiers_retire", parameters=[TIER], responses={204: None, 404: Problem}
    )
    def delete(self, request: Request, tier_id: int) -> Response:
        retire_tier(actor=actor_of(request), tier_id=_tier(tier_id).pk)
        return Response(status=204)


class UnknownNamesView(APIView):
    """Names of policies and tiers that feeds tell and nobody drew up."""

    @extend_schema(
        operation_id="unknown_names",
        parameters=BEARING,
        responses={200: UnknownNameRead(many=True), 400: Problem},
    )
    def get(self, request: Request) -> Response:
        view = view_of(request)
        found = unknown_names(view.reading, seen=view.seen)
        return Response(UnknownNameRead(found, many=True).data)


class TierRevisionsView(APIView):
    """The next revision of a tier."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="tiers_revise",
        parameters=[TIER, IF_MATCH],
        request=TierDraftWrite,
        responses={201: TierRead, 400: Problem, 404: Problem, 412: Problem, 428: Problem},
    )
    def post(self, request: Request, tier_id: int) -> Response:
        form = TierDraftWrite(data=request.data)
        form.is_valid(raise_exception=True)
        made = revise_tier(
            actor=actor_of(request), tier_id=_tier(tier_id).pk,
            draft=TierDraft(**form.validated_data), seen_version=wanted_version(request),
        )  # fmt: skip
        response = Response(TierRead(_told(_tier(tier_id))).data, status=201)
        return versioned(response, facts=tier_facts(made))


class TierNamingsView(APIView):
    """Which tier things name."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="tiers_name",
        request=TierNamingWrite,
        responses={200: TierNamedRead(many=True), 400: Problem, 404: Problem},
    )
    def post(self, request: Request) -> Response:
        form = TierNamingWrite(data=request.data)
        form.is_valid(raise_exception=True)
        told = form.validated_data
        if told["tier_id"] is not None:
            _tier(told["tier_id"])
        before = name_tier(
            actor=actor_of(request), tier_id=told["tier_id"], entity_ids=told["entity_ids"],
            seen=seen_ids(request, kinds=NAMERS),
        )  # fmt: skip
        return Response(TierNamedRead(before, many=True).data)


def _tier(tier_id: int) -> Tier:
    tier = standing_tiers().filter(pk=tier_id).first()
    if tier is None:
        raise exceptions.NotFound(f"No tier {tier_id} stands.")
    return tier


def _told(tier: Tier) -> dict[str, Any]:  # Any: JSON
    revisions = list(tier.revisions.all())
    return {
        "id": tier.pk,
        "name": tier.name,
        "version": version_of(tier_facts(revisions[0])),
        "newest": _revision(revisions[0]),
        "n_revisions": len(revisions),
        "n_disks": 0,
        "counts": {},
        "found": {},
    }


def _revision(one: TierRevision) -> dict[str, Any]:  # Any: JSON
    return {**tier_facts(one), "made_at": one.made_at, "author": one.author_name}
