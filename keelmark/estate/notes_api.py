"""Notes of a thing over the API."""

from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import exceptions, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from keelmark.access.api.base import IF_MATCH, Problem, Record, actor_of
from keelmark.access.rights import Right
from keelmark.access.versions import version_of, versioned, wanted_version
from keelmark.estate.models import Entity, Note
from keelmark.estate.selectors import may_write_note, note_for, notes_of, things_ever_for
from keelmark.estate.services.notes import (
    MAX_NOTE_CHARS,
    change_note,
    note_facts,
    set_note_dropped,
    write_note,
)

THING = OpenApiParameter("entity_id", OpenApiTypes.INT, OpenApiParameter.PATH)
NOTE = OpenApiParameter("note_id", OpenApiTypes.INT, OpenApiParameter.PATH)


class NoteRead(serializers.Serializer[Record]):
    id = serializers.IntegerField()
    body = serializers.CharField(help_text="Markdown")
    author = serializers.CharField()
    written_at = serializers.DateTimeField()
    changed_at = serializers.DateTimeField(allow_null=True)
    may_change = serializers.BooleanField()
    version = serializers.CharField(help_text="for If-Match")


class NoteWrite(serializers.Serializer[Record]):
    body = serializers.CharField(max_length=MAX_NOTE_CHARS)


class NotesView(APIView):
    """What people wrote down of a thing, the newest first; tenant viewers read none."""

    rights = {"POST": Right.PLAN}

    @extend_schema(
        operation_id="notes_list",
        parameters=[THING],
        responses={200: NoteRead(many=True), 404: Problem},
    )
    def get(self, request: Request, entity_id: int) -> Response:
        actor, entity = actor_of(request), _thing(request, entity_id)
        notes = notes_of(actor, entity=entity)
        return Response([_told(request, note) for note in notes])

    @extend_schema(
        operation_id="notes_write",
        parameters=[THING],
        request=NoteWrite,
        responses={201: NoteRead, 400: Problem, 404: Problem},
    )
    def post(self, request: Request, entity_id: int) -> Response:
        form = NoteWrite(data=request.data)
        form.is_valid(raise_exception=True)
        note = write_note(
            actor=actor_of(request),
            entity=_thing(request, entity_id),
            body=form.validated_data["body"],
        )
        return versioned(Response(_told(request, note), status=201), facts=note_facts(note))


class NoteView(APIView):
    """One note: written anew or dropped by its author or an administrator."""

    rights = {"PUT": Right.PLAN, "DELETE": Right.PLAN}

    @extend_schema(
        operation_id="notes_change",
        parameters=[NOTE, IF_MATCH],
        request=NoteWrite,
        responses={
            200: NoteRead, 400: Problem, 403: Problem, 404: Problem, 412: Problem, 428: Problem,
        },
    )  # fmt: skip
    def put(self, request: Request, note_id: int) -> Response:
        form = NoteWrite(data=request.data)
        form.is_valid(raise_exception=True)
        note = change_note(
            actor=actor_of(request),
            note_id=_note(request, note_id).pk,
            body=form.validated_data["body"],
            seen_version=wanted_version(request),
        )
        return versioned(Response(_told(request, note)), facts=note_facts(note))

    @extend_schema(
        operation_id="notes_drop",
        parameters=[NOTE],
        responses={204: None, 403: Problem, 404: Problem},
    )
    def delete(self, request: Request, note_id: int) -> Response:
        found = _note(request, note_id)
        set_note_dropped(actor=actor_of(request), note_id=found.pk, is_dropped=True)
        return Response(status=204)


class DroppedNoteView(APIView):
    """Takes a drop back."""

    rights = {"DELETE": Right.PLAN}

    @extend_schema(
        operation_id="notes_bring_back",
        parameters=[NOTE],
        responses={200: NoteRead, 403: Problem, 404: Problem},
    )
    def delete(self, request: Request, note_id: int) -> Response:
        found = _note(request, note_id, is_dropped=True)
        note = set_note_dropped(actor=actor_of(request), note_id=found.pk, is_dropped=False)
        return Response(_told(request, note))


def _thing(request: Request, entity_id: int) -> Entity:
    entity = things_ever_for(actor_of(request)).filter(pk=entity_id).first()
    if entity is None:
        raise exceptions.NotFound(f"No thing {entity_id} is known.")
    return entity


def _note(request: Request, note_id: int, *, is_dropped: bool = False) -> Note:
    note = note_for(actor_of(request), note_id=note_id, is_dropped=is_dropped)
    if note is None:
        raise exceptions.NotFound(f"No note {note_id} is known.")
    return note


def _told(request: Request, note: Note) -> dict[str, Any]:  # Any: JSON
    told = {
        "id": note.pk,
        "body": note.body,
        "author": note.author_name,
        "written_at": note.written_at,
        "changed_at": note.changed_at,
        "may_change": may_write_note(actor_of(request), note=note),
        "version": version_of(note_facts(note)),
    }
    return dict(NoteRead(told).data)
