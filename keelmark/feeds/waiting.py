"""Documents that came before what they are about: kept, and taken up when that is told of."""

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

from django.db.models import Exists, OuterRef

from keelmark.estate.documents import (
    AnyDocument,
    Document,
    ProtectionDocument,
    from_line,
    to_line,
)
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


def without_unknown_copies(documents: Sequence[Document]) -> list[Document]:
    """Leave out when things were copied that nobody tells of, as of a mirror of another's array.

    The next reading tells it again; kept, a line of each would wait.
    """
    copied = {one.of_uid for one in documents if isinstance(one, ProtectionDocument)}
    if not copied:
        return list(documents)
    known = set(Alias.objects.filter(uid__in=copied).values_list("uid", flat=True))
    for one in documents:
        known |= uids_of(one)
    return [
        one for one in documents if not isinstance(one, ProtectionDocument) or one.of_uid in known
    ]


def overlooked() -> set[str]:
    """Return the uids that are waited for and are known."""
    known = Alias.objects.filter(uid=OuterRef("wanted_uid"))
    waited = Waiting.objects.filter(Exists(known)).values_list("wanted_uid", flat=True)
    return set(waited.distinct()[:BATCH_ROWS])


@dataclass(frozen=True, slots=True, kw_only=True)
class Freed:
    """What one source told too early and may be written now."""

    source: Source
    documents: list[AnyDocument] = field(default_factory=list)
    row_ids: list[int] = field(default_factory=list)

    def forget(self) -> None:
        """Wait no longer; to be undone with the writing where that fails."""
        Waiting.objects.filter(pk__in=self.row_ids).delete()

    def one_by_one(self) -> list["Freed"]:
        """Return each document by itself."""
        rows = zip(self.documents, self.row_ids, strict=True)
        return [Freed(source=self.source, documents=[one], row_ids=[pk]) for one, pk in rows]


def take_up(uids: Iterable[str]) -> list[Freed]:
    """Return what waited for these things and for nothing else, by source, oldest first."""
    rows = list(
        Waiting.objects.filter(wanted_uid__in=uids)
        .select_related("source")
        .select_for_update(of=("self",), skip_locked=True)  # another may be taking them up
        .order_by("pk")
    )
    lines = {row.pk: from_line(row.line.encode()) for row in rows}
    wanted = {uid for document in lines.values() for uid in parents_of(document)}
    known = set(Alias.objects.filter(uid__in=wanted).values_list("uid", flat=True))
    freed: dict[int, Freed] = {}
    for row in rows:
        document = lines[row.pk]
        missing = sorted(parents_of(document) - known)
        if missing:
            row.wanted_uid = missing[0]
            row.save(update_fields=["wanted_uid"])
            continue
        known |= uids_of(document)
        of_source = freed.setdefault(row.source_id, Freed(source=row.source))
        of_source.documents.append(document)
        of_source.row_ids.append(row.pk)
    return list(freed.values())
