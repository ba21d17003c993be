"""What a pushing program may tell of: of what it brought everything, of others' what is said.

Whoever holds a token for one feed must not rename another's array. A thing is a feed's own if
nobody else tells of it now; about others' it tells the sorts that its option names.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from keelmark.estate.documents import (
    AboutDocument,
    AnyDocument,
    CountersDocument,
    EventDocument,
    MeasuresDocument,
    PerformanceDocument,
    ProtectionDocument,
    ReadingsDocument,
    Thing,
)
from keelmark.estate.models import Alias, Source, Statement
from keelmark.feeds.errors import OptionsError

SORTS: dict[str, tuple[type[Any], ...]] = {  # Any: documents
    "inventory": (Thing,),
    "facts": (AboutDocument,),
    "readings": (ReadingsDocument, MeasuresDocument, PerformanceDocument, CountersDocument),
    "events": (EventDocument,),
    "protection": (ProtectionDocument,),
}
OPTION = "of_others"
Numbered = Sequence[tuple[int, AnyDocument]]
BATCH_UIDS = 5000


def sorts_of(options: Mapping[str, Any]) -> set[str]:
    """Return the sorts that a feed may tell of others' things; raise OptionsError at another."""
    told = set(options.get(OPTION) or ())
    unknown = sorted(told - SORTS.keys())
    if unknown:
        raise OptionsError(option=OPTION, why=f"knows {', '.join(SORTS)}, not {unknown[0]}")
    return told


def out_of_bounds(
    documents: Numbered, *, source: Source, options: Mapping[str, Any]
) -> list[str]:  # Any: JSON
    """Return by line what a feed may not tell."""
    allowed = sorts_of(options)
    asked = [
        (number, document, sort)
        for number, document in documents
        if (sort := _sort_of(document)) and sort not in allowed
    ]
    foreign = _foreign({uid for _, one, _ in asked for uid in _subjects(one)}, source=source)
    return [
        f"line {number}: {uid} is told of by {foreign[uid]}; this feed may tell no {sort} of it "
        f"(its option {OPTION} would allow that)"
        for number, document, sort in asked
        for uid in sorted(_subjects(document) & foreign.keys())
    ]


def _sort_of(document: AnyDocument) -> str:
    return next((name for name, kinds in SORTS.items() if isinstance(document, kinds)), "")


def _subjects(document: AnyDocument) -> set[str]:
    match document:
        case Thing():
            return {document.uid, *document.also}
        case EventDocument() | ProtectionDocument():
            return {document.of_uid}
    return {str(getattr(document, "uid", ""))} - {""}


def _foreign(uids: Iterable[str], *, source: Source) -> dict[str, str]:
    """Return by uid who tells of things that this source does not tell of."""
    wanted = sorted(uids)
    owners: dict[str, str] = {}
    for begin in range(0, len(wanted), BATCH_UIDS):
        known = dict(
            Alias.objects.filter(uid__in=wanted[begin : begin + BATCH_UIDS]).values_list(
                "uid", "entity_id"
            )
        )
        told = Statement.objects.filter(
            entity_id__in=known.values(), gone_at=None, is_sighting=True
        ).values_list("entity_id", "source_id", "source__name")
        by_entity: dict[int, dict[int, str]] = {}
        for entity_id, source_id, name in told:
            by_entity.setdefault(entity_id, {})[source_id] = name
        for uid, entity_id in known.items():
            tellers = by_entity.get(entity_id, {})
            if tellers and source.pk not in tellers:
                owners[uid] = ", ".join(sorted(tellers.values()))
    return owners
