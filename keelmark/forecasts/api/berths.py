"""Berths and the reference VM over the API."""

from datetime import UTC, datetime
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import IF_MATCH, Problem, actor_of
from keelmark.access.rights import Right
from keelmark.access.versions import version_of, versioned, wanted_version
from keelmark.core.berths import ReferenceVm
from keelmark.estate.words import with_article
from keelmark.forecasts.api.pools import Int64Field, Record
from keelmark.forecasts.api.standing import ENTITY, entity_of
from keelmark.forecasts.berths.counting import BerthsTold, berths_of, reference_vm
from keelmark.forecasts.berths.reference import reference_facts, set_reference_vm

MAX_CPUS, MAX_BYTES = 4096, 2**50


class ReferenceRead(serializers.Serializer[Record]):
    n_cpus = serializers.IntegerField(min_value=0, max_value=MAX_CPUS)
    memory_bytes = Int64Field(min_value=0, max_value=MAX_BYTES)
    disk_bytes = Int64Field(min_value=0, max_value=MAX_BYTES)


class ReferenceToldRead(ReferenceRead):
    is_set = serializers.BooleanField(help_text="by a planner; else the median of lately")
    version = serializers.CharField(help_text="for If-Match")


class BerthsAtRead(serializers.Serializer[Record]):
    on = serializers.DateField()
    n_likely = serializers.IntegerField(allow_null=True)
    n_low = serializers.IntegerField(allow_null=True, help_text="if it grows as the 90 % path")
    limited_by = serializers.CharField(allow_null=True)


class BerthsRead(serializers.Serializer[Record]):
    reference = ReferenceToldRead()
    n_free = serializers.IntegerField(allow_null=True)
    limited_by = serializers.CharField(allow_null=True)
    by_resource = serializers.DictField(child=serializers.IntegerField(allow_null=True))
    ahead = BerthsAtRead(many=True)
    held_still = serializers.ListField(
        child=serializers.CharField(),
        help_text="resources without a forecast, counted as they are today",
    )


class BerthsView(APIView):
    """Room for more reference VMs in a cluster or datastore."""

    @extend_schema(
        operation_id="berths_read", parameters=[ENTITY], responses={200: BerthsRead, 404: Problem}
    )
    def get(self, request: Request, entity_id: int) -> Response:
        entity = entity_of(request, entity_id)
        told = berths_of(entity, now=datetime.now(UTC))
        if told is None:
            what = with_article(entity.kind)
            raise exceptions.NotFound(f"What is {what} has no berths; clusters and datastores do.")
        return Response(BerthsRead(_berths_body(told)).data)


def _berths_body(told: BerthsTold) -> dict[str, Any]:  # Any: the body's values
    return {
        "reference": _reference_body(told.reference, is_set=told.is_set),
        "n_free": told.now.n_free,
        "limited_by": told.now.limited_by,
        "by_resource": told.now.by_resource,
        "ahead": told.ahead,
        "held_still": told.held_still,
    }


def _reference_body(reference: ReferenceVm, *, is_set: bool) -> dict[str, Any]:  # Any: as above
    return {
        "n_cpus": reference.n_cpus, "memory_bytes": reference.memory_bytes,
        "disk_bytes": reference.disk_bytes, "is_set": is_set,
        "version": version_of(reference_facts()),
    }  # fmt: skip


class ReferenceView(APIView):
    """The VM in whose size berths are counted."""

    rights = {"PUT": Right.PLAN, "DELETE": Right.PLAN}

    @extend_schema(operation_id="reference_read", responses={200: ReferenceToldRead})
    def get(self, request: Request) -> Response:
        return self._told()

    @extend_schema(
        operation_id="reference_set",
        parameters=[IF_MATCH],
        request=ReferenceRead,
        responses={200: ReferenceToldRead, 400: Problem, 412: Problem, 428: Problem},
    )
    def put(self, request: Request) -> Response:
        form = ReferenceRead(data=request.data)
        form.is_valid(raise_exception=True)
        set_reference_vm(
            actor=actor_of(request),
            reference=ReferenceVm(**form.validated_data),
            seen_version=wanted_version(request),
        )
        return self._told()

    @extend_schema(
        operation_id="reference_unset",
        parameters=[IF_MATCH],
        responses={200: ReferenceToldRead, 412: Problem, 428: Problem},
    )
    def delete(self, request: Request) -> Response:
        set_reference_vm(
            actor=actor_of(request), reference=None, seen_version=wanted_version(request)
        )
        return self._told()

    def _told(self) -> Response:
        reference, is_set = reference_vm(now=datetime.now(UTC))
        body = _reference_body(reference, is_set=is_set)
        return versioned(Response(ReferenceToldRead(body).data), facts=reference_facts())
