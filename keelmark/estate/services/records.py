"""Writes events and protection runs, and notes what changed by itself."""

from collections.abc import Iterable
from datetime import datetime

from keelmark.estate.documents import EventDocument, ProtectionDocument
from keelmark.estate.errors import UnknownParentError
from keelmark.estate.models import Event, Kind, ProtectionRun
from keelmark.estate.services.identities import BATCH_ROWS, Met
from keelmark.estate.services.rows import Change

NOTED_KINDS = {Kind.POOL, Kind.VOLUME, Kind.DATASTORE, Kind.VM, Kind.DISK, Kind.BUCKET}
_RESULT_RANK = {"running": 0}  # any other result is final


def write_events(documents: list[EventDocument], *, met: Met) -> int:
    """Write events once however often they come; return how many are new."""
    met.learn({u for d in documents for u in (d.of_uid, d.from_uid, d.to_uid) if u})
    rows = []
    for d in {d.uid: d for d in documents}.values():
        if d.of_uid not in met.ids:
            raise UnknownParentError(uid=d.uid, parent_uid=d.of_uid)
        rows.append(
            Event(
                uid=d.uid,
                of_id=met.ids[d.of_uid],
                at=d.at,
                what=d.what,
                by=d.by or "",
                from_entity_id=met.ids.get(d.from_uid or ""),
                to_entity_id=met.ids.get(d.to_uid or ""),
                bytes_before=d.bytes_before,
                bytes_after=d.bytes_after,
            )
        )
    return _insert_new(rows)


def _insert_new(rows: list[Event]) -> int:
    known = set(
        Event.objects.filter(uid__in=[row.uid for row in rows]).values_list("uid", flat=True)
    )
    new = [row for row in rows if row.uid not in known]
    Event.objects.bulk_create(new, batch_size=BATCH_ROWS, ignore_conflicts=True)
    return len(new)


def write_protection(documents: list[ProtectionDocument], *, met: Met) -> None:
    """Write protection runs; one that has ended is not put back to running."""
    met.learn({d.of_uid for d in documents})
    latest: dict[str, ProtectionDocument] = {}
    for d in sorted(documents, key=lambda d: _RESULT_RANK.get(d.result, 1)):
        if d.of_uid not in met.ids:
            raise UnknownParentError(uid=d.uid, parent_uid=d.of_uid)
        latest[d.uid] = d
    ended = set(
        ProtectionRun.objects.filter(uid__in=latest)
        .exclude(result="running")
        .values_list("uid", flat=True)
    )
    ProtectionRun.objects.bulk_create(
        [
            ProtectionRun(
                uid=d.uid,
                of_id=met.ids[d.of_uid],
                job=d.job,
                method=d.method,
                started_at=d.started_at,
                ended_at=d.ended_at,
                result=d.result,
                n_bytes=d.n_bytes,
            )
            for d in latest.values()
            if d.result != "running" or d.uid not in ended
        ],
        batch_size=BATCH_ROWS,
        update_conflicts=True,
        unique_fields=["uid"],
        update_fields=["of", "job", "method", "started_at", "ended_at", "result", "n_bytes"],
    )


def note_changes(changes: Iterable[Change], *, at: dict[int, datetime], delivery: int) -> None:
    """Note what grew, shrank or moved between two readings."""
    rows = []
    for change in changes:
        if change.kind not in NOTED_KINDS:
            continue
        base = {"of_id": change.entity_id, "at": at[change.entity_id]}
        uid = f"id.noted/{delivery}/{change.entity_id}"
        if change.bytes_before is not None and change.bytes_after is not None:
            rows.append(
                Event(
                    uid=f"{uid}/size",
                    what="grown" if change.bytes_after > change.bytes_before else "shrunk",
                    bytes_before=change.bytes_before,
                    bytes_after=change.bytes_after,
                    **base,
                )
            )
        if change.from_id is not None and change.to_id is not None:
            rows.append(
                Event(
                    uid=f"{uid}/place",
                    what="moved",
                    from_entity_id=change.from_id,
                    to_entity_id=change.to_id,
                    **base,
                )
            )
    _insert_new(rows)


def note_arrivals(ids: Iterable[int], *, at: dict[int, datetime], delivery: int) -> None:
    """Note what was not there at the reading before."""
    _insert_new(
        [
            Event(uid=f"id.noted/{delivery}/{pk}/new", of_id=pk, at=at[pk], what="created")
            for pk in ids
        ]
    )


def note_departures(ids: Iterable[int], *, at: datetime, delivery: int) -> None:
    """Note what is gone since the reading before."""
    _insert_new(
        [Event(uid=f"id.noted/{delivery}/{pk}/gone", of_id=pk, at=at, what="deleted") for pk in ids]
    )
