"""Finds out which thing a document is about: by worldwide name, never by display name."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from keelmark.estate.documents import Thing
from keelmark.estate.errors import OtherKindError
from keelmark.estate.kinds import spec_of
from keelmark.estate.models import Alias, Entity, Kind

BATCH_ROWS = 2000
WEAK_FORM = "path"  # where it stands, which another thing may do after it


@dataclass(slots=True, kw_only=True)
class Met:
    """The things that documents are about."""

    ids: dict[str, int] = field(default_factory=dict)  # of every uid met
    kinds: dict[int, Kind] = field(default_factory=dict)
    new_ids: set[int] = field(default_factory=set)
    new_uids: set[str] = field(default_factory=set)
    clashes: dict[int, list[int]] = field(default_factory=dict)  # one document, two things

    def learn(self, uids: Iterable[str]) -> None:
        """Look up more uids."""
        wanted = set(uids) - self.ids.keys()
        if not wanted:
            return
        for uid, pk, kind in Alias.objects.filter(uid__in=wanted).values_list(
            "uid", "entity_id", "entity__kind"
        ):
            self.ids[uid] = pk
            self.kinds[pk] = Kind(kind)


@dataclass(slots=True, kw_only=True)
class _Newcomer:
    kind: Kind
    uid: str
    name: str
    seen_at: datetime
    uids: list[str]


def names_of(document: Thing) -> list[str]:
    """Return all uids of a document, the strong ones first."""
    return sorted([document.uid, *document.also], key=lambda uid: form_of(uid) == WEAK_FORM)


def form_of(uid: str) -> str:
    """Return the kind of a uid, such as naa or uuid."""
    return uid.partition(".")[0]


def meet(documents: Sequence[Thing]) -> Met:
    """Return the entity of every document, made where it is new; a thing is met once."""
    met = Met()
    met.learn(uid for document in documents for uid in names_of(document))
    strong = _strong_names(set(met.ids.values()))
    newcomers: list[_Newcomer] = []
    by_uid: dict[str, _Newcomer] = {}
    moved: dict[str, int] = {}
    for document in documents:
        names = names_of(document)
        found = _found(names, met=met, strong=strong)
        if found:
            _check_kind(document, met.kinds[found[0]])
            if len(found) > 1:
                met.clashes[found[0]] = found[1:]
            moved |= {n: found[0] for n in names if met.ids.get(n) is None or _is_weak(n)}
            continue
        known = next((by_uid[n] for n in names if n in by_uid), None)
        if known is None:
            known = _Newcomer(
                kind=spec_of(document).kind,
                uid=document.uid,
                name=document.name,
                seen_at=document.read_at,
                uids=[],
            )
            newcomers.append(known)
        known.uids += [n for n in names if n not in known.uids]
        by_uid |= dict.fromkeys(names, known)
    _make(newcomers, met=met)
    moved |= {n: met.ids[one.uid] for one in newcomers for n in one.uids}
    _name(moved, met=met)
    return met


def _is_weak(uid: str) -> bool:
    return form_of(uid) == WEAK_FORM


def _strong_names(ids: set[int]) -> dict[int, dict[str, set[str]]]:
    """The strong uids of things, by form."""
    strong: dict[int, dict[str, set[str]]] = {}
    for uid, pk in Alias.objects.filter(entity_id__in=ids).values_list("uid", "entity_id"):
        if not _is_weak(uid):
            strong.setdefault(pk, {}).setdefault(form_of(uid), set()).add(uid)
    return strong


def _found(names: list[str], *, met: Met, strong: dict[int, dict[str, set[str]]]) -> list[int]:
    """Return the known things of these names; a native path alone proves little."""
    hits = list(dict.fromkeys(met.ids[n] for n in names if n in met.ids and not _is_weak(n)))
    if hits:
        return hits
    own = [n for n in names if not _is_weak(n)]
    for name in names:
        pk = met.ids.get(name)
        if pk is None:
            continue
        known = strong.get(pk, {})
        is_another = any(form_of(n) in known and n not in known[form_of(n)] for n in own)
        if not is_another:
            return [pk]
    return []


def _check_kind(document: Thing, kind: Kind) -> None:
    wanted = spec_of(document).kind
    if wanted != kind:
        raise OtherKindError(uid=document.uid, is_kind=kind, told_kind=wanted)


def _make(newcomers: list[_Newcomer], *, met: Met) -> None:
    rows = Entity.objects.bulk_create(
        [
            Entity(
                kind=one.kind,
                uid=one.uid,
                name=one.name,
                first_seen_at=one.seen_at,
                last_seen_at=one.seen_at,
            )
            for one in newcomers
        ],
        batch_size=BATCH_ROWS,
    )
    for row, one in zip(rows, newcomers, strict=True):
        met.new_ids.add(row.pk)
        met.kinds[row.pk] = one.kind
        met.ids[one.uid] = row.pk


def _name(owners: dict[str, int], *, met: Met) -> None:
    """Keep under which uids things are known; a native path goes to who stands there now."""
    fresh = {uid: pk for uid, pk in owners.items() if met.ids.get(uid) != pk or pk in met.new_ids}
    Alias.objects.bulk_create(
        [Alias(uid=uid, entity_id=pk) for uid, pk in fresh.items()],
        batch_size=BATCH_ROWS,
        update_conflicts=True,
        unique_fields=["uid"],
        update_fields=["entity"],
    )
    met.ids |= owners
    met.new_uids |= fresh.keys()
