"""Documents that came before what they are about: kept, and taken up when that is told of."""

import hashlib
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime

from keelmark.estate.documents import Document, decoder, to_line
from keelmark.estate.models import Alias, Source
from keelmark.feeds.estate_file import parents_of, uids_of
from keelmark.feeds.models import Waiting

BATCH_ROWS = 2000


def set_aside(documents: Sequence[Document], *, source: Source) -> tuple[list[Document], int]:
    """Keep the documents whose things are not known; return the others and how many wait."""
    wanted = {uid for document in documents for uid in parents_of(document)}
    known = set(Alias.objects.filter(uid__in=wanted).values_list("uid", flat=True))
    ready: list[Document] = []
    waiting: list[Waiting] = []
    now = datetime.now(UTC)
    for document in documents:
        missing = sorted(parents_of(document) - known)
        if not missing:
            ready.append(document)
            known |= uids_of(document)
            continue
        line = to_line(document)
        waiting.append(
            Waiting(
                source=source,
                wanted_uid=missing[0],
                line=line.decode(),
                digest=hashlib.sha256(line).hexdigest(),
                kept_at=now,
            )
        )
    Waiting.objects.bulk_create(waiting, batch_size=BATCH_ROWS, ignore_conflicts=True)
    return ready, len(waiting)


def take_up(uids: Iterable[str]) -> list[tuple[Source, list[Document]]]:
    """Take what waited for these things and for nothing else, by source, oldest first."""
    rows = list(Waiting.objects.filter(wanted_uid__in=uids).select_related("source").order_by("pk"))
    if not rows:
        return []
    lines = {row.pk: decoder.decode(row.line) for row in rows}
    wanted = {uid for document in lines.values() for uid in parents_of(document)}
    known = set(Alias.objects.filter(uid__in=wanted).values_list("uid", flat=True))
    freed: dict[int, tuple[Source, list[Document]]] = {}
    done: list[int] = []
    for row in rows:
        missing = sorted(parents_of(lines[row.pk]) - known)
        if missing:
            row.wanted_uid = missing[0]
            row.save(update_fields=["wanted_uid"])
            continue
        freed.setdefault(row.source_id, (row.source, []))[1].append(lines[row.pk])
        known |= uids_of(lines[row.pk])
        done.append(row.pk)
    Waiting.objects.filter(pk__in=done).delete()
    return list(freed.values())
