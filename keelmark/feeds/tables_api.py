"""Sent tables over the API: looked into, mapped, checked, imported."""

from dataclasses import asdict
from functools import partial
from typing import Any

from django.db.models import QuerySet
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import mixins, serializers
from rest_framework.decorators import action
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet, ViewSet

from keelmark.access.api.base import IF_MATCH, Problem, actor_of
from keelmark.access.rights import Right
from keelmark.access.services.allowances import Ration
from keelmark.access.versions import version_of, wanted_version
from keelmark.estate.kinds import SPECS
from keelmark.feeds import selectors
from keelmark.feeds.api import RunRead
from keelmark.feeds.models import Mapping
from keelmark.feeds.services import tables
from keelmark.feeds.tables.limits import MAX_CELLS
from keelmark.feeds.tables.limits import MAX_COLUMNS as MAX_TABLE_COLUMNS
from keelmark.feeds.tables.making import MAKES
from keelmark.feeds.tables.mapping import READINGS, UNITS, fields_of

Record = Any  # Any: what a read serializer tells of
KINDS = [READINGS, *(str(kind) for kind in SPECS)]
MAX_COLUMNS = 100
SHEETS = Ration(n_at_once=20, every_seconds=10)
LOOKS = Ration(n_at_once=40, every_seconds=2)


class ColumnField(serializers.Serializer[Record]):
    column = serializers.CharField(max_length=200)
    unit = serializers.CharField(max_length=20, required=False, allow_blank=True, default="")


class MappingField(serializers.Serializer[Record]):
    kind = serializers.ChoiceField(choices=KINDS)
    of_kind = serializers.ChoiceField(
        choices=["", *(str(kind) for kind in SPECS)], required=False, default=""
    )
    decimal_comma = serializers.BooleanField(required=False, default=False)
    makes_things = serializers.BooleanField(
        required=False, default=False, help_text="readings: of things that nobody has told of"
    )
    columns = serializers.DictField(child=ColumnField())

    def validate_columns(self, columns: dict[str, Any]) -> dict[str, Any]:  # Any: forms
        if not 1 <= len(columns) <= MAX_COLUMNS:
            raise serializers.ValidationError(f"Map 1 to {MAX_COLUMNS} fields.")
        for name, column in columns.items():
            is_unit = name.endswith("_bytes")
            if is_unit and (column.get("unit") or "B") not in UNITS:
                raise serializers.ValidationError(f"{name}: the unit is one of {', '.join(UNITS)}.")
        return columns


class FieldRead(serializers.Serializer[Record]):
    name = serializers.CharField()
    form = serializers.CharField()
    is_required = serializers.BooleanField()
    choices = serializers.ListField(child=serializers.CharField())


class SheetRead(serializers.Serializer[Record]):
    key = serializers.CharField()
    name = serializers.CharField()
    header = serializers.ListField(child=serializers.CharField())
    rows = serializers.ListField(
        child=serializers.DictField(child=serializers.CharField(allow_null=True))
    )
    mapping = MappingField()
    mapping_name = serializers.CharField(allow_null=True)
    fields_of_kind = FieldRead(many=True)
    kinds = serializers.ListField(child=serializers.CharField())
    units = serializers.ListField(child=serializers.CharField())
    made_of_rows = serializers.ListField(
        child=serializers.CharField(), help_text="kinds that rows of a day make where unknown"
    )
    limits = serializers.DictField(child=serializers.IntegerField())


class AlikeRead(serializers.Serializer[Record]):
    says = serializers.CharField()
    n_rows = serializers.IntegerField()
    rows = serializers.ListField(child=serializers.IntegerField(), help_text="the first ones")
    can_make = serializers.BooleanField(help_text="naming the kind of the rows would make them")


class CheckRead(serializers.Serializer[Record]):
    n_rows = serializers.IntegerField()
    n_good = serializers.IntegerField()
    n_problems = serializers.IntegerField()
    problems = serializers.ListField(child=serializers.CharField())
    alike = AlikeRead(many=True, help_text="all that is wrong, the like of it together")
    n_made = serializers.IntegerField(help_text="things that the table makes")


class ImportWrite(serializers.Serializer[Record]):
    mapping = MappingField()
    skips_bad = serializers.BooleanField(required=False, default=False)


class SavedMappingRead(serializers.ModelSerializer[Mapping]):
    header = serializers.ListField(child=serializers.CharField())
    columns = serializers.DictField(child=ColumnField())
    version = serializers.SerializerMethodField(help_text="for If-Match")

    class Meta:
        model = Mapping
        fields = (
            "id", "name", "kind", "of_kind", "decimal_comma", "makes_things", "columns",
            "header", "made_at", "version",
        )  # fmt: skip

    @extend_schema_field(str)
    def get_version(self, mapping: Mapping) -> str:
        return version_of(tables.mapping_facts(mapping))


class SavedMappingWrite(serializers.Serializer[Mapping]):
    name = serializers.CharField(max_length=200)
    header = serializers.ListField(
        child=serializers.CharField(max_length=200), min_length=1, max_length=1000
    )
    mapping = MappingField()


class SheetViewSet(ViewSet):
    """Tables that were sent; a table is known by its key, for two days."""

    lookup_field = "key"
    lookup_value_regex = r"[A-Za-z0-9._-]{1,200}"
    rights = {
        "create": Right.MANAGE_FEEDS,
        "retrieve": Right.MANAGE_FEEDS,
        "check": Right.MANAGE_FEEDS,
        "import_now": Right.MANAGE_FEEDS,
    }
    rations = {"create": SHEETS, "retrieve": LOOKS, "check": LOOKS, "import_now": SHEETS}

    @extend_schema(
        request={
            "multipart/form-data": {
                "type": "object",
                "properties": {"file": {"type": "string", "format": "binary"}},
                "required": ["file"],
            }
        },
        responses={201: SheetRead, 400: Problem, 422: Problem},
    )
    def create(self, request: Request) -> Response:
        """Send a CSV, XLSX or Parquet file and see what we take it for."""
        form = _FileForm(data=request.data)
        form.is_valid(raise_exception=True)
        file = form.validated_data["file"]
        key = tables.keep_sheet(actor=actor_of(request), name=file.name, chunks=file.chunks())
        return _sheet(request, key=key, kind=None, status=201)

    @extend_schema(
        parameters=[
            OpenApiParameter("key", OpenApiTypes.STR, OpenApiParameter.PATH),
            OpenApiParameter("kind", OpenApiTypes.STR, enum=KINDS),
            OpenApiParameter("of_kind", OpenApiTypes.STR, enum=KINDS[1:]),
        ],
        responses={200: SheetRead, 422: Problem},
    )
    def retrieve(self, request: Request, key: str) -> Response:
        """Look into a sent table again, as another kind if one is given."""
        kind, of_kind = (request.query_params.get(name) for name in ("kind", "of_kind"))
        return _sheet(
            request,
            key=key,
            kind=kind if kind in KINDS else None,
            of_kind=of_kind if of_kind in KINDS[1:] else None,
            status=200,
        )

    @extend_schema(
        parameters=[OpenApiParameter("key", OpenApiTypes.STR, OpenApiParameter.PATH)],
        request=MappingField,
        responses={200: CheckRead, 400: Problem, 422: Problem},
    )
    @action(detail=True, methods=["post"])
    def check(self, request: Request, key: str) -> Response:
        """Read the table through with a mapping and tell what is wrong; nothing is written."""
        form = MappingField(data=request.data)
        form.is_valid(raise_exception=True)
        return Response(tables.check_sheet(key=key, told=_plain(form.validated_data)))

    @extend_schema(
        parameters=[OpenApiParameter("key", OpenApiTypes.STR, OpenApiParameter.PATH)],
        request=ImportWrite,
        responses={202: RunRead, 400: Problem, 422: Problem},
    )
    @action(detail=True, methods=["post"], url_path="import")
    def import_now(self, request: Request, key: str) -> Response:
        """Queue the import; the run tells how far it is."""
        form = ImportWrite(data=request.data)
        form.is_valid(raise_exception=True)
        run = tables.ask_import(
            actor=actor_of(request),
            key=key,
            told=_plain(form.validated_data["mapping"]),
            skips_bad=form.validated_data["skips_bad"],
        )
        return Response(RunRead(run).data, status=202)

    def get_parsers(self) -> list[Any]:  # Any: DRF's own
        if getattr(self, "action_map", {}).get("post") == "create":
            return [MultiPartParser()]
        return super().get_parsers()


class _FileForm(serializers.Serializer[Record]):
    file = serializers.FileField(allow_empty_file=False, max_length=200)


class MappingViewSet(mixins.ListModelMixin, GenericViewSet[Mapping]):
    """Saved mappings of tables."""

    queryset = Mapping.objects.none()
    serializer_class = SavedMappingRead
    pagination_class = None
    rights = {"list": Right.READ_FEEDS, "create": Right.MANAGE_FEEDS}

    def get_queryset(self) -> QuerySet[Mapping]:
        return selectors.mappings_for(actor_of(self.request))

    @extend_schema(
        parameters=[IF_MATCH],
        request=SavedMappingWrite,
        responses={
            201: SavedMappingRead, 400: Problem, 412: Problem, 422: Problem, 428: Problem,
        },
    )  # fmt: skip
    def create(self, request: Request) -> Response:
        """Keep a mapping for the next file of this shape; the same name again changes it."""
        form = SavedMappingWrite(data=request.data)
        form.is_valid(raise_exception=True)
        mapping = tables.save_mapping(
            actor=actor_of(request),
            name=form.validated_data["name"],
            header=form.validated_data["header"],
            told=_plain(form.validated_data["mapping"]),
            seen_version=partial(wanted_version, request),
        )
        return Response(SavedMappingRead(mapping).data, status=201)


def _sheet(
    request: Request, *, key: str, kind: str | None, status: int, of_kind: str | None = None
) -> Response:
    seen = tables.preview(actor=actor_of(request), key=key, kind=kind, of_kind=of_kind)
    saved = seen.mapping
    mapping = {
        "kind": seen.guess.kind,
        "of_kind": saved.of_kind if saved else seen.guess.of_kind,
        "decimal_comma": saved.decimal_comma if saved else seen.guess.decimal_comma,
        "makes_things": saved.makes_things if saved else seen.guess.makes_things,
        "columns": saved.columns
        if saved
        else {name: asdict(column) for name, column in seen.guess.columns.items()},
    }
    told = {
        "key": seen.key,
        "name": seen.name,
        "header": seen.header,
        "rows": seen.rows,
        "mapping": mapping,
        "mapping_name": saved.name if saved else None,
        "fields_of_kind": [
            asdict(field)
            for field in fields_of(seen.guess.kind, of_kind=str(mapping["of_kind"] or ""))
        ],
        "made_of_rows": [str(kind) for kind in MAKES],
        "limits": {"columns": MAX_TABLE_COLUMNS, "cells": MAX_CELLS},
        "kinds": KINDS,
        "units": list(UNITS),
    }
    return Response(told, status=status)


def _plain(told: Any) -> dict[str, Any]:  # Any: a validated form
    return {
        "kind": told["kind"],
        "of_kind": told["of_kind"],
        "decimal_comma": told["decimal_comma"],
        "makes_things": told["makes_things"],
        "columns": {name: dict(column) for name, column in told["columns"].items()},
    }
