"""The tide bar, completion of a sift, and kept siftings over the API."""

from datetime import timedelta
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Q
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.clock import now
from keelmark.access.errors import wrong_field
from keelmark.access.rights import Right
from keelmark.bearings.api.asked import (
    AHEAD_DAYS,
    BEARING,
    bearing_of,
    kind_named,
    names_asked,
    view_of,
)
from keelmark.bearings.models import Sifting
from keelmark.bearings.selectors.jumps import ORDER, jumps_for
from keelmark.bearings.selectors.lists import names_in_full
from keelmark.bearings.selectors.tides import tide_of
from keelmark.bearings.selectors.views import Bearing, View, view_for
from keelmark.core.errors import SiftFault
from keelmark.core.estate.columns import NOWHERE, Words
from keelmark.core.estate.figures import figure
from keelmark.core.sift import MAX_CHARS, parse
from keelmark.core.sift.completing import complete
from keelmark.estate.errors import SiftError
from keelmark.estate.models import MAX_NAME

MOST_SIFTINGS = 200


class PointRead(serializers.Serializer[Record]):
    on = serializers.DateField()
    used_bytes = serializers.IntegerField()


class TickRead(serializers.Serializer[Record]):
    on = serializers.DateField()
    id = serializers.IntegerField()
    name = serializers.CharField()
    state = serializers.CharField(allow_null=True)


class TideRead(serializers.Serializer[Record]):
    now_on = serializers.DateField()
    first_on = serializers.DateField()
    last_on = serializers.DateField()
    n_pools = serializers.IntegerField()
    line = PointRead(many=True)
    ticks = TickRead(many=True)
    steps = serializers.ListField(
        child=serializers.DateField(),
        help_text="on which a scenario changes something; as it is: begins to hold something",
    )


class TideView(APIView):
    """What the pools in sight used so far, and when they will stand at their limit marks."""

    @extend_schema(
        operation_id="estate_tide",
        parameters=[BEARING[0], BEARING[-1]],
        responses={200: TideRead, 400: Problem},
    )
    def get(self, request: Request) -> Response:
        asked = bearing_of(request)
        view = view_for(
            actor_of(request), bearing=Bearing(scope=asked.scope, scenario_id=asked.scenario_id)
        )
        tide = tide_of(view)
        return Response(
            {
                "now_on": tide.now_on,
                "first_on": tide.first_on,
                "last_on": tide.now_on + timedelta(days=AHEAD_DAYS),
                "n_pools": tide.n_pools,
                "line": [{"on": on, "used_bytes": used} for on, used in tide.line],
                "ticks": TickRead(tide.ticks, many=True).data,
                "steps": tide.steps,
            }
        )


class SuggestionRead(serializers.Serializer[Record]):
    text = serializers.CharField()
    about = serializers.CharField()


class SiftFaultRead(serializers.Serializer[Record]):
    begin = serializers.IntegerField()
    end = serializers.IntegerField()
    why = serializers.CharField()
    would_be = serializers.ListField(child=serializers.CharField())


class CompletionRead(serializers.Serializer[Record]):
    begin = serializers.IntegerField()
    end = serializers.IntegerField()
    suggestions = SuggestionRead(many=True)
    fault = SiftFaultRead(allow_null=True, help_text="where the sift cannot be read")


class CompletionView(APIView):
    """What may come next while a sift is typed, and what is wrong with it so far."""

    @extend_schema(
        operation_id="estate_words",
        parameters=[
            *BEARING[1:],
            OpenApiParameter("kind", OpenApiTypes.STR),
            OpenApiParameter("text", OpenApiTypes.STR),
            OpenApiParameter("cursor", OpenApiTypes.INT),
        ],
        responses={200: CompletionRead, 400: Problem},
    )
    def get(self, request: Request) -> Response:
        asked = request.query_params
        text = asked.get("text", "").replace("\x00", "")[: MAX_CHARS + 1]
        cursor = asked.get("cursor") or str(len(text))
        if not cursor.isdecimal():
            raise wrong_field("cursor", "Use a number of characters.")
        kind = kind_named(asked.get("kind") or "pool")
        whole = view_of(request)
        found = complete(
            text,
            cursor=int(cursor[:6]),
            kind=kind.name,
            values=lambda of, name: _words(whole, kind=of, name=name),
        )
        return Response(
            {
                "begin": found.span.begin,
                "end": found.span.end,
                "suggestions": SuggestionRead(found.suggestions, many=True).data,
                "fault": _fault(request, text=text, kind=kind.name),
            }
        )


def _fault(request: Request, *, text: str, kind: str) -> dict[str, Any] | None:  # Any: JSON
    try:
        view_for(actor_of(request), bearing=Bearing(scope=text)).shown(kind)
    except SiftError as exc:
        begin, end = exc.fault.span
        return {"begin": begin, "end": end, "why": exc.fault.why, "would_be": exc.fault.would_be}
    return None


def _words(view: View, *, kind: str, name: str) -> list[tuple[str, int]]:
    """The words of a field among what may be seen, with how many things have each."""
    is_in = view.seen[kind] & view.reading.is_there[kind]
    if name == "name":
        names = names_in_full(view, kind=kind)
        counted: dict[str, int] = {}
        for row in np.flatnonzero(is_in).tolist():
            counted[names[row]] = counted.get(names[row], 0) + 1
        return list(counted.items())
    column = figure(view.reading, kind=kind, name=name)
    if not isinstance(column, Words):
        return []
    codes = column.codes[is_in]
    counts = np.bincount(codes[codes != NOWHERE], minlength=len(column.words))
    return [(word, int(n)) for word, n in zip(column.words, counts, strict=True) if n]


class JumpRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    site_name = serializers.CharField(allow_null=True)
    home_name = serializers.CharField(allow_null=True, help_text="the array of a pool")


class JumpView(APIView):
    """Things of any kind by a part of their name."""

    @extend_schema(
        operation_id="estate_jump",
        parameters=[
            OpenApiParameter("text", OpenApiTypes.STR),
            OpenApiParameter("kinds", OpenApiTypes.STR, description="these alone, with commas"),
        ],
        responses={200: JumpRead(many=True), 400: Problem},
    )
    def get(self, request: Request) -> Response:
        text = request.query_params.get("text", "").replace("\x00", "")[:MAX_NAME]
        kinds = names_asked(request, parameter="kinds", without=ORDER)
        for one in kinds:
            kind_named(one)
        found = jumps_for(actor_of(request), text=text, kinds=kinds)
        return Response(JumpRead(found, many=True).data)


class SiftingRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    text = serializers.CharField()
    is_shared = serializers.BooleanField()
    is_own = serializers.BooleanField()
    owner = serializers.CharField()


class SiftingWrite(serializers.Serializer[Record]):
    name = serializers.CharField(max_length=80)
    text = serializers.CharField(max_length=MAX_CHARS)
    is_shared = serializers.BooleanField(default=False)


class SiftingsView(APIView):
    """Siftings kept under a name: one's own, and those that others share."""

    rights = {"POST": Right.READ}

    @extend_schema(operation_id="siftings_list", responses={200: SiftingRead(many=True)})
    def get(self, request: Request) -> Response:
        actor = actor_of(request)
        kept = Sifting.objects.filter(Q(owner=actor) | Q(is_shared=True)).select_related("owner")
        return Response([_sifting(one, actor_id=actor.pk) for one in kept[:MOST_SIFTINGS]])

    @extend_schema(
        operation_id="siftings_keep",
        request=SiftingWrite,
        responses={200: SiftingRead, 201: SiftingRead, 400: Problem},
    )
    def post(self, request: Request) -> Response:
        """Keep a sift under a name; one's own of that name is written over."""
        form = SiftingWrite(data=request.data)
        form.is_valid(raise_exception=True)
        told, actor = form.validated_data, actor_of(request)
        try:
            parse(told["text"])
        except SiftFault as exc:
            raise SiftError(exc) from exc
        n_own = Sifting.objects.filter(owner=actor).exclude(name=told["name"]).count()
        if n_own >= MOST_SIFTINGS:
            raise wrong_field("name", f"You keep {MOST_SIFTINGS} siftings: drop one first.")
        with transaction.atomic():
            kept, is_new = Sifting.objects.update_or_create(
                owner=actor,
                name=told["name"],
                defaults={
                    "text": told["text"], "is_shared": told["is_shared"], "made_at": now(),
                },
            )  # fmt: skip
        return Response(_sifting(kept, actor_id=actor.pk), status=201 if is_new else 200)


class SiftingView(APIView):
    """One kept sifting."""

    rights = {"DELETE": Right.READ}

    @extend_schema(operation_id="siftings_drop", responses={204: None, 404: Problem})
    def delete(self, request: Request, sifting_id: int) -> Response:
        n_dropped, _ = Sifting.objects.filter(owner=actor_of(request), pk=sifting_id).delete()
        if not n_dropped:
            raise exceptions.NotFound("You keep no such sifting.")
        return Response(status=204)


def _sifting(one: Sifting, *, actor_id: int) -> dict[str, Any]:  # Any: JSON
    return {
        "id": one.pk,
        "name": one.name,
        "text": one.text,
        "is_shared": one.is_shared,
        "is_own": one.owner_id == actor_id,
        "owner": one.owner.username,
    }
