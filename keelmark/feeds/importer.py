"""The one place where estate documents become rows."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

import structlog
from django.db import transaction

from keelmark.estate.documents import (
    AboutDocument,
    AnyDocument,
    CompleteDocument,
    CountersDocument,
    Document,
    EventDocument,
    MeasuresDocument,
    PerformanceDocument,
    ProtectionDocument,
    ReadingsDocument,
    Thing,
)
from keelmark.estate.errors import UnknownParentError
from keelmark.estate.models import Alias, Protocol, Source
from keelmark.estate.services.delivery import (
    Delivery,
    Difference,
    complete,
    ensure_source,
    open_delivery,
    record,
    record_history,
)
from keelmark.estate.services.identities import Met
from keelmark.feeds.bounds import out_of_bounds
from keelmark.feeds.models import Feed
from keelmark.feeds.waiting import Freed, overlooked, set_aside, take_up
from keelmark.feeds.window import at_arrival
from keelmark.readings.counters import take_counters
from keelmark.readings.measures import measures_carried, rows_of_measures, write_measures
from keelmark.readings.rows import (
    end_to_end,
    rows_of_inventory,
    rows_of_performance,
    rows_of_readings,
)
from keelmark.readings.services import note_past, write_daily, write_steps

log = structlog.get_logger()
BY_HAND = "by hand"


@dataclass(slots=True, kw_only=True)
class Imported:
    """What an import did, and for whom: without a delivery it is nobody's feed."""

    delivery: Delivery | None = None
    may_wait: bool = False  # documents of things not known yet are kept, not refused
    difference: Difference = field(default_factory=Difference)
    n_documents: int = 0
    n_readings: int = 0
    n_daily: int = 0  # of them, those that forecasts are made of
    n_waiting: int = 0
    freeing: set[str] = field(default_factory=set)  # uids that are new, and may be waited for


@transaction.atomic
def import_documents(documents: Sequence[Document], *, into: Imported) -> None:
    """Write the documents and what waited for their things, all or none."""
    write_documents(documents, into=into)
    take_up_freed(into)


@transaction.atomic
def write_documents(documents: Sequence[Document], *, into: Imported) -> None:
    """Write the documents, all or none, and add to the account of what was done.

    Inventory comes before the readings of the same thing. Running it again changes nothing.
    """
    if into.delivery is None:
        into.delivery = open_delivery(ensure_source(name=BY_HAND, protocol=Protocol.FILE))
    ready: Sequence[Document] = at_arrival(documents, now=datetime.now(UTC))
    if into.may_wait:
        ready, n_waiting = set_aside(ready, source=into.delivery.source)
        into.n_waiting += n_waiting
    into.freeing |= _write(ready, into=into, delivery=into.delivery)
    into.n_documents += len(documents)


@transaction.atomic
def take_up_freed(into: Imported) -> None:
    """Write what waited for the things that are new."""
    uids, into.freeing = into.freeing, set()
    _take_up(uids, into=into)


def take_up_after(into: Imported) -> None:
    """Write what waited for the things of a delivery that is written, in a transaction of its own.

    Deliveries take turns, and the past that waited for a cluster's disks may take longer than the
    cluster. Whatever goes wrong here undoes nothing of the delivery: the sweep takes it up.
    """
    try:
        take_up_freed(into)
    except Exception:
        log.exception("taken_up_later")


@transaction.atomic
def take_up_overlooked() -> Imported:
    """Write what still waits for things that are known; return the account of it.

    Of two deliveries under way at once, one may bring the thing before it sees what the other
    sets aside, and the other look for it before it is there. Neither then takes it up.
    """
    into = Imported()
    _take_up(overlooked(), into=into)
    return into


def _take_up(uids: set[str], *, into: Imported) -> None:
    while uids and (freed := take_up(uids)):
        uids = set()
        for waited in freed:
            uids |= _written_or_left(waited, into=into)


def _written_or_left(waited: Freed, *, into: Imported) -> set[str]:
    """Write what waited; a line that is refused now waits on by itself and holds back nobody."""
    try:
        with transaction.atomic():
            waited.forget()
            return _write_freed(waited, into=into)
    except Exception as exc:
        if len(waited.row_ids) > 1:
            uids = [_written_or_left(one, into=into) for one in waited.one_by_one()]
            return set().union(*uids)
        log.warning("waiting_refused", source=waited.source.name, row=waited.row_ids, why=str(exc))
        return set()


def _write_freed(waited: Freed, *, into: Imported) -> set[str]:
    documents = _within_bounds(waited.documents, source=waited.source)
    is_same = into.delivery is not None and into.delivery.source == waited.source
    delivery = into.delivery if is_same and into.delivery else open_delivery(waited.source)
    return _write(documents, into=into, delivery=delivery)


def _within_bounds(documents: Sequence[AnyDocument], *, source: Source) -> list[AnyDocument]:
    """Return what waited and its feed may tell: others may have brought the thing since."""
    feed = Feed.objects.filter(source=source, protocol=Protocol.PUSH).first()
    if feed is None:
        return list(documents)
    return [
        document
        for document in documents
        if not out_of_bounds([(0, document)], source=source, options=feed.options)
    ]


def _write(documents: Sequence[Document], *, into: Imported, delivery: Delivery) -> set[str]:
    """Write documents whose things are known; return the uids that are new."""
    things = [d for d in documents if isinstance(d, Thing)]
    told = [d for d in documents if isinstance(d, Thing | AboutDocument)]
    met = record(told, delivery=delivery, difference=into.difference)
    record_history(
        [d for d in documents if isinstance(d, EventDocument)],
        [d for d in documents if isinstance(d, ProtectionDocument)],
    )
    _write_readings(documents, things=things, met=met, delivery=delivery, into=into)
    for document in documents:
        if isinstance(document, CompleteDocument):
            complete(
                of_uid=document.of_uid or document.array_uid,
                at=document.read_at or max(d.read_at for d in things),
                delivery=delivery,
                difference=into.difference,
            )
    return met.new_uids


def _write_readings(
    documents: Sequence[Document],
    *,
    things: Sequence[Thing],
    met: Met,
    delivery: Delivery,
    into: Imported,
) -> None:
    told = [d for d in documents if isinstance(d, ReadingsDocument)]
    steps = [d for d in documents if isinstance(d, PerformanceDocument)]
    counters = [d for d in documents if isinstance(d, CountersDocument)]
    ids = met.ids
    measures = [d for d in documents if isinstance(d, MeasuresDocument)]
    _learn({d.uid for part in (told, steps, counters, measures) for d in part}, ids=ids)
    # Of two readings of one second, the one that was sent as a reading stands.
    parts = [rows_of_inventory(things, ids=ids)]
    if told:
        parts.append(rows_of_readings(told, ids=ids))
    n_daily = write_daily(end_to_end(parts), told_by=delivery.source.name)
    n_daily += write_measures(
        [*measures_carried(things, ids=ids), *rows_of_measures(measures, ids=ids)]
    )
    past_of = {ids[d.uid] for part in (told, measures) for d in part}
    if n_daily and past_of:
        # Only then can who makes forecasts see them, and must not take them for learnt before.
        transaction.on_commit(lambda: note_past(past_of, at=datetime.now(UTC)))
    into.n_daily += n_daily
    into.n_readings += n_daily
    if steps:
        into.n_readings += write_steps(rows_of_performance(steps, ids=ids))
    if counters:
        counted = take_counters(counters, ids=ids, source_id=delivery.source.pk)
        into.n_readings += counted.n_steps


def _learn(uids: set[str], *, ids: dict[str, int]) -> None:
    ids |= dict(Alias.objects.filter(uid__in=uids - ids.keys()).values_list("uid", "entity_id"))
    missing = sorted(uids - ids.keys())
    if missing:
        raise UnknownParentError(uid="readings", parent_uid=missing[0])
