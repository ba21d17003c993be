"""The estate at a bearing over the API: rows of any kind, totals, facets, strata."""

from typing import Any

import numpy as np
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import Problem, Record
from keelmark.access.errors import wrong_field
from keelmark.access.rights import Right
from keelmark.bearings.api.asked import (
    BEARING,
    GROUPED_BY,
    KIND,
    AtRead,
    at_told,
    groupings,
    kind_named,
    names_asked,
    plain_view_of,
    view_of,
)
from keelmark.bearings.selectors.export import FORMATS, exported
from keelmark.bearings.selectors.lists import (
    Columns,
    cells,
    checked_columns,
    facet,
    ordered,
    totals,
)
from keelmark.core.estate.kinds import KINDS, Kind, Measure

PAGE = 200
MAX_PAGE = 1000
MAX_CURSOR = 40
MAX_SELECTED = 100_000
MAX_ID = 2**63 - 1
DEFAULT_COLUMNS = ("name", "state", "used")


class EstateFieldRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    measure = serializers.ChoiceField(choices=[*(one.value for one in Measure), "link"])
    about = serializers.CharField()
    kind = serializers.CharField(allow_null=True, help_text="of a link: where it leads")


class EstateKindRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    plural = serializers.CharField()
    fields = EstateFieldRead(many=True)  # type: ignore[assignment]  # DRF's name


class TotalRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    known_bytes = serializers.IntegerField(help_text="or a count")
    n_unread = serializers.IntegerField()


class RowRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    cells = serializers.DictField(help_text="by column: an amount, a word, or a linked thing")
    otherwise = serializers.DictField(
        allow_null=True, help_text="cells that a scenario changes, as they are without it"
    )
    is_new = serializers.BooleanField(help_text="a scenario brings it")


class RowsRead(serializers.Serializer[Record]):
    at = AtRead()
    n_all = serializers.IntegerField()
    totals = TotalRead(many=True)
    results = RowRead(many=True)
    next = serializers.CharField(allow_null=True)


class SliceRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    n = serializers.IntegerField()
    used_bytes = serializers.IntegerField(allow_null=True)


class FacetRead(serializers.Serializer[Record]):
    by = serializers.CharField()
    slices = SliceRead(many=True)


class SelectedWrite(serializers.Serializer[Record]):
    ids = serializers.ListField(
        child=serializers.IntegerField(min_value=1, max_value=MAX_ID), max_length=MAX_SELECTED
    )


class SelectedRead(serializers.Serializer[Record]):
    n = serializers.IntegerField()
    totals = TotalRead(many=True)


COLUMNS = OpenApiParameter("columns", OpenApiTypes.STR, description="names, with commas between")
ORDER = OpenApiParameter("order", OpenApiTypes.STR, description="names, - before one that falls")
PAGING = [
    OpenApiParameter("cursor", OpenApiTypes.STR),
    OpenApiParameter("page_size", OpenApiTypes.INT),
]


class KindsOfEstateView(APIView):
    """Which kinds there are, and what can be told and asked of each."""

    @extend_schema(operation_id="estate_kinds", responses={200: EstateKindRead(many=True)})
    def get(self, request: Request) -> Response:
        return Response(
            EstateKindRead([_kind_told(kind) for kind in KINDS.values()], many=True).data
        )


def _kind_told(kind: Kind) -> dict[str, Any]:  # Any: JSON
    fields = [
        {"name": one.name, "measure": one.measure.value, "about": one.about, "kind": None}
        for one in kind.fields
    ] + [
        {"name": name, "measure": "link", "about": f"the {target} it is of", "kind": target}
        for name, target in kind.links
    ]
    return {"name": kind.name, "plural": kind.plural, "fields": fields}


class _OfKindView(APIView):
    """What is shared by all that tells rows of one kind."""

    def columns_of(self, request: Request, *, kind: Kind) -> tuple[Columns, list[str], np.ndarray]:
        """Return the columns, the names asked for, and the rows in the order asked for."""
        view = view_of(request)
        names = checked_columns(
            kind, names=names_asked(request, parameter="columns", without=DEFAULT_COLUMNS)
        )
        order = names_asked(request, parameter="order", without=("name",))
        checked_columns(kind, names=[one.removeprefix("-") for one in order])
        columns = Columns(view, kind=kind.name)
        rows = np.flatnonzero(view.shown(kind.name))
        return columns, names, ordered(columns, rows=rows, order=order)


class RowsView(_OfKindView):
    """Rows of one kind at a bearing, a page at a time, with totals over all pages."""

    @extend_schema(
        operation_id="estate_rows",
        parameters=[KIND, *BEARING, COLUMNS, ORDER, *PAGING],
        responses={200: RowsRead, 400: Problem, 422: Problem},
    )
    def get(self, request: Request, kind: str) -> Response:
        columns, names, rows = self.columns_of(request, kind=kind_named(kind))
        begin, size = _begin(request, ids=columns.table.ids[rows]), _page_size(request)
        page = rows[begin : begin + size].tolist()
        end = begin + len(page)
        plain_view = plain_view_of(columns.view, request)
        plain = None if plain_view is None else Columns(plain_view, kind=columns.kind)
        return Response(
            {
                "at": at_told(columns.view),
                "n_all": len(rows),
                # Only the first page tells what all add up to: the others would say the same.
                "totals": [] if begin else _totals(columns, rows=rows, names=names),
                "results": [_row(columns, row=row, names=names, plain=plain) for row in page],
                "next": f"{end}.{columns.table.ids[page[-1]]}" if end < len(rows) else None,
            }
        )


def _row(
    columns: Columns, *, row: int, names: list[str], plain: Columns | None
) -> dict[str, Any]:  # Any: JSON
    told = cells(columns, row=row, names=names)
    # What a scenario brings stands behind all that there are.
    is_new = plain is not None and row >= len(plain.table)
    otherwise = None
    if plain is not None and not is_new:
        was = cells(plain, row=row, names=names)
        otherwise = {name: was[name] for name in told if told[name] != was[name]}
    return {
        "id": int(columns.table.ids[row]),
        "kind": columns.kind,
        "name": columns.table.names[row],
        "cells": told,
        "otherwise": otherwise,
        "is_new": is_new,
    }


def _totals(
    columns: Columns, *, rows: np.ndarray, names: list[str]
) -> list[dict[str, Any]]:  # Any: JSON
    return [
        {"name": one.name, "known_bytes": one.known_bytes, "n_unread": one.n_unread}
        for one in totals(columns, rows=rows, names=names)
    ]


def _page_size(request: Request) -> int:
    told = request.query_params.get("page_size") or str(PAGE)
    if not told.isdecimal() or not 1 <= int(told[:9]) <= MAX_PAGE:
        raise wrong_field("page_size", f"Use 1 to {MAX_PAGE}.")
    return int(told)


def _begin(request: Request, *, ids: np.ndarray) -> int:
    """Where a page begins: after the row that the last one ended with, wherever that is now."""
    cursor = request.query_params.get("cursor", "")
    if not cursor:
        return 0
    offset, _, last_id = cursor.partition(".")
    if not (offset.isdecimal() and last_id.isdecimal() and len(cursor) < MAX_CURSOR):
        raise wrong_field("cursor", "Take the cursor that the page before gave.")
    at = min(int(offset), len(ids))
    if at > 0 and ids[at - 1] == int(last_id):
        return at
    moved = np.flatnonzero(ids == int(last_id))
    return int(moved[0]) + 1 if len(moved) else at


class FacetsView(APIView):
    """How the rows of a kind fall by some of its words and links."""

    @extend_schema(
        operation_id="estate_facets",
        parameters=[KIND, *BEARING, GROUPED_BY],
        responses={200: FacetRead(many=True), 400: Problem},
    )
    def get(self, request: Request, kind: str) -> Response:
        of = kind_named(kind)
        view, by = view_of(request), groupings(request, of=of)
        columns = Columns(view, kind=of.name)
        rows = np.flatnonzero(view.shown(of.name))
        told = [{"by": name, "slices": facet(columns, rows=rows, name=name)} for name in by]
        return Response(FacetRead(told, many=True).data)


class SelectedView(_OfKindView):
    """What a selection adds up to; ids that the bearing does not show are left out."""

    rights = {"POST": Right.READ}

    @extend_schema(
        operation_id="estate_selected",
        parameters=[KIND, *BEARING, COLUMNS],
        request=SelectedWrite,
        responses={200: SelectedRead, 400: Problem},
    )
    def post(self, request: Request, kind: str) -> Response:
        form = SelectedWrite(data=request.data)
        form.is_valid(raise_exception=True)
        columns, names, rows = self.columns_of(request, kind=kind_named(kind))
        ids = np.array(form.validated_data["ids"], dtype=np.int64)
        chosen = rows[np.isin(columns.table.ids[rows], ids)]
        return Response({"n": len(chosen), "totals": _totals(columns, rows=chosen, names=names)})


class ExportView(_OfKindView):
    """Exactly what a list shows, all pages of it, as a file."""

    @extend_schema(
        operation_id="estate_export",
        parameters=[
            KIND, *BEARING, COLUMNS, ORDER,
            OpenApiParameter("as", OpenApiTypes.STR, enum=list(FORMATS)),
        ],
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY, 400: Problem},
    )  # fmt: skip
    def get(self, request: Request, kind: str) -> HttpResponse:
        columns, names, rows = self.columns_of(request, kind=kind_named(kind))
        wanted = request.query_params.get("as") or "csv"
        if wanted not in FORMATS:
            raise wrong_field("as", f"Use one of {', '.join(FORMATS)}.")
        return exported(columns, rows=rows, names=names, wanted=wanted)
