"""One thing at a bearing over the API."""

from dataclasses import asdict
from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record, actor_of
from keelmark.access.clock import now
from keelmark.bearings.api.asked import BEARING, AtRead, at_told, looked_at
from keelmark.bearings.api.drawings import SumRead
from keelmark.bearings.selectors.details.sections import history_of, sections_of
from keelmark.bearings.selectors.ledgers import (
    is_shared_out,
    knows_reserved,
    ledger_at,
    size_name_of,
    workings_at,
)
from keelmark.bearings.selectors.things import (
    figures_of,
    growth_of,
    measures_of,
    related_to,
    stops_with,
)
from keelmark.bearings.selectors.views import View
from keelmark.core.estate.strata import Node
from keelmark.estate.selectors import entities_for
from keelmark.forecasts.api.pools import WorkingRead


class GrownRead(serializers.Serializer[Record]):
    days = serializers.IntegerField()
    bytes = serializers.IntegerField(allow_null=True)


class NamedRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    used_bytes = serializers.IntegerField(allow_null=True)
    grown_bytes = serializers.IntegerField(allow_null=True)
    state = serializers.CharField(allow_null=True)


class RelatedRead(serializers.Serializer[Record]):
    kind = serializers.CharField()
    side = serializers.ChoiceField(choices=["under", "over", "beside"])
    n = serializers.IntegerField()
    used = SumRead(help_text="there alone, of whoever eats it")
    grown = SumRead(help_text="in the window")
    named = NamedRead(many=True)


class OfTenantRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    n = serializers.IntegerField()


class CarriesOnRead(serializers.Serializer[Record]):
    """A pool in which copies lie of what would be gone."""

    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    home_name = serializers.CharField(allow_null=True)
    state = serializers.CharField(allow_null=True)
    plannable_bytes = serializers.IntegerField(allow_null=True)
    early_on = serializers.DateField(allow_null=True, help_text="early day at its limit mark")
    n_copies = serializers.IntegerField()


class StopsRead(serializers.Serializer[Record]):
    n_vms = serializers.IntegerField()
    by_tenant = OfTenantRead(many=True)
    n_copied = serializers.IntegerField(help_text="that have a copy of all their disks elsewhere")
    oldest_copy_on = serializers.DateField(allow_null=True)
    n_without = serializers.IntegerField()
    without = NamedRead(many=True)
    carry_on = CarriesOnRead(many=True)


class LedgerRead(serializers.Serializer[Record]):
    """The books of a thing on the day looked at, in bytes."""

    size_name = serializers.CharField(help_text="usable, size or quota")
    usable_bytes = serializers.IntegerField()
    used_bytes = serializers.IntegerField()
    free_bytes = serializers.IntegerField()
    plannable_bytes = serializers.IntegerField(allow_null=True)
    provisioned_bytes = serializers.IntegerField(allow_null=True)
    reserved_bytes = serializers.IntegerField()
    held_bytes = serializers.IntegerField(help_text="of them, by accepted scenarios")
    overcommit_percent = serializers.FloatField(allow_null=True)
    exposure_bytes = serializers.IntegerField(allow_null=True)
    caution_percent = serializers.IntegerField()
    limit_percent = serializers.IntegerField()
    is_shared_out = serializers.BooleanField(help_text="promised to others")
    workings = WorkingRead(many=True)


class EstateThingRead(serializers.Serializer[Record]):
    at = AtRead()
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    is_there = serializers.BooleanField(help_text="on the day looked at")
    figures = serializers.DictField(help_text="by name: an amount, a word, or a linked thing")
    measures = serializers.DictField(help_text="in what each figure is told")
    ledger = LedgerRead(allow_null=True)
    grown = GrownRead(many=True)
    related = RelatedRead(many=True)
    stops = StopsRead(allow_null=True)


class EstateThingView(APIView):
    """One thing of any kind: figures, growth, what it stands on, who stands on it."""

    @extend_schema(
        operation_id="estate_thing",
        parameters=[
            OpenApiParameter("entity_id", OpenApiTypes.INT, OpenApiParameter.PATH), *BEARING[1:]
        ],
        responses={200: EstateThingRead, 404: Problem},
    )  # fmt: skip
    def get(self, request: Request, entity_id: int) -> Response:
        view, node = looked_at(request, entity_id)
        table, stops = view.reading.estate.table(node.kind), stops_with(view, node)
        return Response(
            EstateThingRead(
                {
                    "at": at_told(view),
                    "id": entity_id,
                    "kind": node.kind,
                    "name": table.names[node.row],
                    "is_there": bool(view.reading.is_there[node.kind][node.row]),
                    "figures": figures_of(view, node),
                    "measures": measures_of(node.kind),
                    "ledger": _ledger(view, node),
                    "grown": growth_of(view, node),
                    "related": [asdict(one) for one in related_to(view, node)],
                    "stops": None if stops is None else asdict(stops),
                }
            ).data
        )


def _ledger(view: View, node: Node) -> dict[str, Any] | None:  # Any: JSON
    ledger = ledger_at(view, node)
    if ledger is None:
        return None
    is_shared, is_known = is_shared_out(node), knows_reserved(view, node)
    return {
        "size_name": size_name_of(node),
        "usable_bytes": ledger.usable_bytes,
        "used_bytes": ledger.used_bytes,
        "free_bytes": ledger.free_bytes,
        "plannable_bytes": ledger.plannable_bytes if is_shared and is_known else None,
        "provisioned_bytes": ledger.provisioned_bytes if is_shared else None,
        "reserved_bytes": ledger.reserved_bytes,
        "held_bytes": ledger.held_bytes,
        "overcommit_percent": ledger.overcommit_percent if is_shared else None,
        "exposure_bytes": ledger.exposure_bytes if is_shared else None,
        "caution_percent": ledger.marks.caution_percent,
        "limit_percent": ledger.marks.limit_percent,
        "is_shared_out": is_shared,
        "workings": [asdict(one) for one in workings_at(view, node, ledger=ledger)],
    }


class SectionColumnRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    measure = serializers.ChoiceField(choices=["text", "bytes", "count", "flag", "moment"])


class SectionRowRead(serializers.Serializer[Record]):
    cells = serializers.ListField(help_text="along the columns")
    thing_id = serializers.IntegerField(allow_null=True)
    thing_kind = serializers.CharField(allow_null=True)
    depth = serializers.IntegerField(help_text="how deep it hangs in a tree")


class SectionRead(serializers.Serializer[Record]):
    key = serializers.CharField()
    title = serializers.CharField()
    note = serializers.CharField(allow_blank=True)
    columns = SectionColumnRead(many=True)
    rows = SectionRowRead(many=True)
    n_all = serializers.IntegerField()


class HistoryPointRead(serializers.Serializer[Record]):
    on = serializers.DateField()
    used_bytes = serializers.IntegerField()


class DetailsRead(serializers.Serializer[Record]):
    sections = SectionRead(many=True)
    history = HistoryPointRead(many=True, help_text="of what is read through its disks alone")


class EstateDetailsView(APIView):
    """What is told of one thing by its kind, as it stands now."""

    @extend_schema(
        operation_id="estate_details",
        parameters=[OpenApiParameter("entity_id", OpenApiTypes.INT, OpenApiParameter.PATH)],
        responses={200: DetailsRead, 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        actor = actor_of(request)
        entity = entities_for(actor).filter(pk=entity_id).first()
        if entity is None:
            raise exceptions.NotFound(f"No thing {entity_id} is known.")
        history = history_of(entity, now=now())
        told = {
            "sections": [asdict(one) for one in sections_of(actor, entity=entity)],
            "history": [{"on": on, "used_bytes": used} for on, used in history],
        }
        return Response(DetailsRead(told).data)
