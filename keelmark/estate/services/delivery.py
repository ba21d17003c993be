"""Takes estate documents in: who is meant, what is said, what changed, what it hangs on."""

import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime

from django.db import connection, transaction
from django.db.models import Exists, F, OuterRef, Q, Sum

from keelmark.estate import sql
from keelmark.estate.documents import AboutDocument, EventDocument, ProtectionDocument, Thing
from keelmark.estate.errors import UnknownParentError
from keelmark.estate.kinds import SPECS
from keelmark.estate.models import (
    Entity,
    File,
    FindingKind,
    Kind,
    Pool,
    Protocol,
    Source,
    VirtualDisk,
    Volume,
)
from keelmark.estate.services.conflicts import keep_conflicts
from keelmark.estate.services.identities import BATCH_ROWS, Met, meet
from keelmark.estate.services.places import settle_places
from keelmark.estate.services.records import (
    NOTED_KINDS,
    note_arrivals,
    note_changes,
    note_departures,
    write_events,
    write_protection,
)
from keelmark.estate.services.retiring import forget_source, retire_unnamed
from keelmark.estate.services.rows import Change, Written, tie_loose_ends, write_rows
from keelmark.estate.services.statements import Told, added_of, retold, state, told_of

MAX_EXAMPLES = 40  # of what changed, by name


@dataclass(slots=True, kw_only=True)
class Difference:
    """What a delivery changed, counted by kind, with some of it by name."""

    n_new: dict[str, int] = field(default_factory=dict)
    n_changed: dict[str, int] = field(default_factory=dict)
    n_grown: dict[str, int] = field(default_factory=dict)
    n_retired: dict[str, int] = field(default_factory=dict)
    examples: list[dict[str, object]] = field(default_factory=list)

    def count(self, counts: dict[str, int], kind: str, n: int) -> None:
        """Add to a count; nothing is no entry."""
        if n:
            counts[kind] = counts.get(kind, 0) + n


@dataclass(frozen=True, slots=True, kw_only=True)
class Delivery:
    """One delivery of a source; all of its batches carry its number."""

    source: Source
    number: int
    is_first: bool  # nothing was known of this source before: all is met, nothing arrived


@transaction.atomic
def ensure_source(*, name: str, protocol: Protocol) -> Source:
    """Return the source of this name, made where it is new."""
    source, _ = Source.objects.get_or_create(name=name, defaults={"protocol": protocol})
    if source.protocol != protocol:
        source.protocol = protocol
        source.save(update_fields=["protocol"])
    return source


def open_delivery(source: Source, *, number: int | None = None) -> Delivery:
    """Begin a delivery; a number no other has is found where none is given."""
    own = number if number is not None else time.time_ns()
    return Delivery(
        source=source,
        number=own,
        is_first=not source.statements.exclude(delivery=own).exists(),
    )


@transaction.atomic
def record(
    documents: Sequence[Thing | AboutDocument], *, delivery: Delivery, difference: Difference
) -> Met:
    """Write inventory documents and return the things that were met.

    Parents come before children, in the batch or in the database. A document that is older
    than what its source said already changes nothing but may be new. Runs twice without harm.
    """
    if not documents:
        return Met()
    _take_turn()
    things = [d for d in documents if isinstance(d, Thing)]
    met = meet(things)
    told = [told_of(thing, met=met) for thing in things]
    told += _added([d for d in documents if isinstance(d, AboutDocument)], met=met)
    accounts = state(told, met=met, source=delivery.source, delivery=delivery.number)
    written = write_rows(accounts, met=met)
    _lower_first_seen(things, met=met)
    tied = tie_loose_ends(met)
    _settle(tied=tied, written=written, met=met)
    _sum_thick(written)
    _mark_orphans(written, met=met)
    keep_conflicts(accounts, met=met, at=max(d.read_at for d in documents))
    _account_for(written, met=met, difference=difference)
    moments = {pk: account.read_at for pk, account in accounts.items()}
    note_changes(written.changes, at=moments, delivery=delivery.number)
    if not delivery.is_first:
        noted = [pk for pk in met.new_ids if met.kinds[pk] in NOTED_KINDS]
        note_arrivals(noted, at=moments, delivery=delivery.number)
    return met


@transaction.atomic
def drop_source(source: Source, *, at: datetime) -> None:
    """Forget a source: its words count no more, where others speak of the same things too."""
    _take_turn()
    left = sorted(forget_source(source, at=at))
    for begin in range(0, len(left), BATCH_ROWS):
        met = Met(kinds=_kinds_of(set(left[begin : begin + BATCH_ROWS])))
        accounts = retold(met)
        written = write_rows(accounts, met=met)
        _settle(tied=set(), written=written, met=met)
        _sum_thick(written)
        _mark_orphans(written, met=met)
        keep_conflicts(accounts, met=met, at=at, judged=(FindingKind.CONFLICT,))


@transaction.atomic
def record_history(events: list[EventDocument], protection: list[ProtectionDocument]) -> None:
    """Write events and protection runs of things that are known."""
    met = Met()
    write_events(events, met=met)
    write_protection(protection, met=met)


@transaction.atomic
def complete(
    *, of_uid: str | None, at: datetime, delivery: Delivery, difference: Difference
) -> None:
    """Retire what a complete delivery did not name."""
    retired = retire_unnamed(of_uid=of_uid, source=delivery.source, delivery=delivery.number, at=at)
    for kind, ids in retired.items():
        difference.count(difference.n_retired, kind, len(ids))
        _add_examples(difference, what="gone", kind=kind, ids=ids)
        if kind in NOTED_KINDS:
            note_departures(ids, at=at, delivery=delivery.number)


def _settle(*, tied: set[int], written: Written, met: Met) -> None:
    """Places of what is new or hangs on something else now; all else stays where it is."""
    moved = met.new_ids | written.moved_ids | tied
    moved |= {c.entity_id for c in written.changes if any(n.endswith("_id") for n in c.columns)}
    by_kind: dict[Kind, set[int]] = {}
    kinds = met.kinds | _kinds_of(moved - met.kinds.keys())
    for pk in moved:
        by_kind.setdefault(kinds[pk], set()).add(pk)
    settle_places(moved=by_kind)


def _kinds_of(ids: set[int]) -> dict[int, Kind]:
    rows = Entity.objects.filter(pk__in=ids).values_list("pk", "kind")
    return {pk: Kind(kind) for pk, kind in rows}


def _added(documents: list[AboutDocument], *, met: Met) -> list[Told]:
    met.learn(document.uid for document in documents)
    for document in documents:
        if document.uid not in met.ids:
            raise UnknownParentError(uid="a fact", parent_uid=document.uid)
    return [added_of(document, met=met) for document in documents]


def _take_turn() -> None:
    with connection.cursor() as cursor:
        cursor.execute(sql.TAKE_TURN)


def _lower_first_seen(documents: Sequence[Thing], *, met: Met) -> None:
    earliest: dict[datetime, list[int]] = {}
    for document in documents:
        earliest.setdefault(document.read_at, []).append(met.ids[document.uid])
    for read_at, pks in earliest.items():
        Entity.objects.filter(pk__in=pks, first_seen_at__gt=read_at).update(first_seen_at=read_at)


def _account_for(written: Written, *, met: Met, difference: Difference) -> None:
    new: dict[Kind, list[int]] = {}
    for pk in sorted(met.new_ids):
        new.setdefault(met.kinds[pk], []).append(pk)
    for kind, ids in new.items():
        difference.count(difference.n_new, kind, len(ids))
        _add_examples(difference, what="new", kind=kind, ids=ids)
    for kind in SPECS:
        changes = [c for c in written.changes if c.kind == kind]
        grown = [c for c in changes if _is_grown(c)]
        difference.count(difference.n_changed, kind, len(changes))
        difference.count(difference.n_grown, kind, len(grown))
        _add_examples(difference, what="grown", kind=kind, ids=[c.entity_id for c in grown])


def _is_grown(change: Change) -> bool:
    before, after = change.bytes_before, change.bytes_after
    return before is not None and after is not None and after > before


def _add_examples(difference: Difference, *, what: str, kind: Kind, ids: list[int]) -> None:
    room = MAX_EXAMPLES - len(difference.examples)
    if room <= 0 or not ids:
        return
    names = dict(Entity.objects.filter(pk__in=ids[:room]).values_list("pk", "name"))
    difference.examples += [
        {"what": what, "kind": str(kind), "id": pk, "name": names[pk]} for pk in ids[:room]
    ]


def _sum_thick(written: Written) -> None:
    """Keep each pool's unwritten thick space: promised in full, so not plannable."""
    volume_ids, pool_ids = written.by_kind.get(Kind.VOLUME, []), written.by_kind.get(Kind.POOL, [])
    if not volume_ids and not pool_ids:
        return
    touched = {
        *pool_ids,
        *Volume.objects.filter(pk__in=volume_ids, pool__isnull=False).values_list(
            "pool_id", flat=True
        ),
    }
    sums = dict(
        Volume.objects.filter(
            pool_id__in=touched,
            provisioning=Volume.Provisioning.THICK,
            written_bytes__lt=F("size_bytes"),
            entity__retired_at=None,
        )
        .values_list("pool_id")
        .annotate(unwritten=Sum(F("size_bytes") - F("written_bytes")))
    )
    changed = []
    for pool in Pool.objects.filter(pk__in=touched).select_for_update(of=("self",)).order_by("pk"):
        wanted = int(sums.get(pool.pk, 0))
        if pool.thick_unwritten_bytes != wanted:
            pool.thick_unwritten_bytes = wanted
            changed.append(pool)
    Pool.objects.bulk_update(changed, ["thick_unwritten_bytes"], batch_size=BATCH_ROWS)


def _mark_orphans(written: Written, *, met: Met) -> None:
    """A disk's file that no known disk uses is an orphan."""
    touched = met.new_ids | {
        c.entity_id for c in written.changes if {"path", "datastore_id", "category"} & {*c.columns}
    }
    file_ids = touched.intersection(written.by_kind.get(Kind.FILE, ()))
    disk_ids = touched.intersection(written.by_kind.get(Kind.DISK, ()))
    if not file_ids and not disk_ids:
        return
    disks = VirtualDisk.objects.filter(pk__in=disk_ids, datastore__isnull=False)
    stores = {
        *File.objects.filter(pk__in=file_ids).values_list("datastore_id", flat=True),
        *disks.values_list("datastore_id", flat=True),
    }
    users = VirtualDisk.objects.filter(
        path=OuterRef("entity__name"), datastore=OuterRef("datastore"), entity__retired_at=None
    )
    files = File.objects.filter(datastore_id__in=stores).alias(is_used=Exists(users))
    lone = Q(category="disk", is_used=False)
    files.filter(lone, is_orphan=False).update(is_orphan=True)
    files.filter(is_orphan=True).exclude(lone).update(is_orphan=False)
