"""Writes notes: put down, changed, dropped, brought back."""

from django.contrib.auth.models import User
from django.db import transaction

from keelmark.access.clock import now
from keelmark.access.errors import wrong_field
from keelmark.access.services.audit import Facts, audit
from keelmark.access.versions import check_version
from keelmark.estate.errors import NotYourNoteError
from keelmark.estate.models import Entity, Note
from keelmark.estate.selectors import may_write_note

MAX_NOTE_CHARS = 20_000


@transaction.atomic
def write_note(*, actor: User, entity: Entity, body: str) -> Note:
    """Put a note down of a thing that was found for its writer."""
    note = Note.objects.create(
        of=entity, body=_checked(body), author=actor, author_name=actor.get_username(),
        written_at=now(),
    )  # fmt: skip
    _audit(actor, note, action="write note on", after={"body": note.body})
    return note


@transaction.atomic
def change_note(*, actor: User, note_id: int, body: str, seen_version: str) -> Note:
    """Write a note of one's own anew; raise StaleError where it was changed meanwhile."""
    note = _own(actor, note_id)
    check_version(seen_version, facts=note_facts(note))
    before, note.body, note.changed_at = note.body, _checked(body), now()
    note.save()
    _audit(actor, note, action="change note on", before={"body": before}, after={"body": note.body})
    return note


@transaction.atomic
def set_note_dropped(*, actor: User, note_id: int, is_dropped: bool) -> Note:
    """Drop a note of one's own, or bring it back; doing it twice changes nothing."""
    note = _own(actor, note_id)
    if (note.dropped_at is not None) != is_dropped:
        note.dropped_at = now() if is_dropped else None
        note.save()
        _audit(actor, note, action="drop note on" if is_dropped else "bring back note on")
    return note


def note_facts(note: Note) -> Facts:
    """Return what may be written of a note: its version is made of it."""
    return {"body": note.body}


def _own(actor: User, note_id: int) -> Note:
    note = Note.objects.select_for_update().get(pk=note_id)
    if not may_write_note(actor, note=note):
        raise NotYourNoteError(author=note.author_name)
    return note


def _checked(body: str) -> str:
    text = body.strip()
    if not text:
        raise wrong_field("body", "A note wants some words.", code="blank")
    if len(text) > MAX_NOTE_CHARS:
        raise wrong_field("body", f"Use at most {MAX_NOTE_CHARS:,} characters.", code="too_long")
    return text


def _audit(
    actor: User, note: Note, *, action: str, before: Facts | None = None, after: Facts | None = None
) -> None:
    audit(
        actor, action=action, kind=note.of.kind, subject_id=note.of_id, name=note.of.name,
        before=before, after=after,
    )  # fmt: skip
