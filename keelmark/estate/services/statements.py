"""Keeps what each source said last, and makes one account of it by explicit precedence."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from math import inf
from typing import Any

import msgspec

from keelmark.estate.documents import AboutDocument, Thing
from keelmark.estate.kinds import IDENTITY, check_facts
from keelmark.estate.models import Kind, Source, Statement
from keelmark.estate.precedence import IN_PARTS, MUST_AGREE, STAYING, order_of
from keelmark.estate.services.identities import BATCH_ROWS, Met

Facts = dict[str, Any]  # Any: JSON, in the documents' own fields


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """What one document says of one thing."""

    entity_id: int
    read_at: datetime
    facts: Facts
    is_sighting: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Conflict:
    """Two sources that cannot both be right."""

    attribute: str
    told: tuple[tuple[str, object], ...]  # source's name and what it says


@dataclass(slots=True, kw_only=True)
class Account:
    """All that is said of one thing, in one."""

    facts: Facts
    read_at: datetime
    is_changed: bool
    conflicts: list[Conflict] = field(default_factory=list)


def told_of(document: Thing, *, met: Met) -> Told:
    """Return what a document says, without what it leaves out."""
    told: Facts = msgspec.to_builtins(document)
    kept = {name: fact for name, fact in told.items() if name not in IDENTITY and name != "doc"}
    return Told(
        entity_id=met.ids[document.uid],
        read_at=document.read_at,
        facts=kept | {"name": document.name},
        is_sighting=True,
    )


def added_of(document: AboutDocument, *, met: Met) -> Told:
    """Return what is added to a known thing."""
    pk = met.ids[document.uid]
    return Told(
        entity_id=pk,
        read_at=document.read_at,
        facts=check_facts(met.kinds[pk], facts=document.says),
        is_sighting=False,
    )


def state(
    all_told: Sequence[Told], *, met: Met, source: Source, delivery: int
) -> dict[int, Account]:
    """Keep the documents as statements of a source; return the accounts of their things.

    A document that is older than what its source said already changes nothing.
    """
    latest: dict[int, list[Told]] = {}
    for told in sorted(all_told, key=lambda t: t.read_at):
        latest.setdefault(told.entity_id, []).append(told)
    standing: dict[int, list[Statement]] = {}
    for one in Statement.objects.filter(entity_id__in=latest).select_related("source"):
        standing.setdefault(one.entity_id, []).append(one)
    kept = _Kept(source=source, delivery=delivery)
    accounts = {}
    for pk, of_thing in latest.items():
        statements = standing.setdefault(pk, [])
        is_changed = kept.take(pk, told=of_thing, statements=statements)
        accounts[pk] = _account(
            met.kinds[pk], statements=statements, is_changed=is_changed, ids=met.ids
        )
    kept.write()
    return accounts


def retold(met: Met) -> dict[int, Account]:
    """Return the accounts of known things as their standing statements make them."""
    standing: dict[int, list[Statement]] = {}
    for one in Statement.objects.filter(entity_id__in=met.kinds).select_related("source"):
        standing.setdefault(one.entity_id, []).append(one)
        agreed = MUST_AGREE.get(met.kinds[one.entity_id], ())
        met.learn(str(one.facts[name]) for name in agreed if one.facts.get(name) is not None)
    return {
        pk: _account(met.kinds[pk], statements=statements, is_changed=True, ids=met.ids)
        for pk, statements in standing.items()
    }


@dataclass(slots=True, kw_only=True)
class _Kept:
    """Statements to be written: new ones, changed ones, and those merely said again."""

    source: Source
    delivery: int
    new: list[Statement] = field(default_factory=list)
    changed: list[Statement] = field(default_factory=list)
    again: dict[datetime, list[int]] = field(default_factory=dict)

    def take(self, pk: int, *, told: list[Told], statements: list[Statement]) -> bool:
        """Bring the source's own statement up to date; return whether its words changed."""
        own = next((s for s in statements if s.source_id == self.source.pk), None)
        if own is None:
            statements.append(self._first(pk, told=told))
            return True
        young = [t for t in told if t.read_at >= own.read_at]
        if not young:
            return False
        facts: Facts = dict(own.facts)
        for one in young:
            facts |= _since(facts, told=one)
        read_at = young[-1].read_at
        returns = own.gone_at is not None and read_at > own.gone_at
        is_sighting = own.is_sighting or any(t.is_sighting for t in young)
        is_changed = facts != own.facts or returns or is_sighting != own.is_sighting
        own.facts, own.read_at, own.delivery = facts, read_at, self.delivery
        own.is_sighting = is_sighting
        if returns:
            own.gone_at = None
        if is_changed:
            self.changed.append(own)
        else:
            self.again.setdefault(read_at, []).append(own.pk)
        return is_changed

    def _first(self, pk: int, *, told: list[Told]) -> Statement:
        facts: Facts = {}
        for one in told:
            facts |= one.facts
        own = Statement(
            entity_id=pk,
            source=self.source,
            facts=facts,
            read_at=told[-1].read_at,
            delivery=self.delivery,
            is_sighting=any(t.is_sighting for t in told),
        )
        self.new.append(own)
        return own

    def write(self) -> None:
        """Write them."""
        Statement.objects.bulk_create(self.new, batch_size=BATCH_ROWS)
        # An upsert of whole rows takes a fifth of the time of an update by cases.
        Statement.objects.bulk_create(
            self.changed,
            batch_size=BATCH_ROWS,
            update_conflicts=True,
            unique_fields=["entity", "source"],
            update_fields=["facts", "read_at", "delivery", "gone_at", "is_sighting"],
        )
        for read_at, pks in self.again.items():
            Statement.objects.filter(pk__in=pks).update(read_at=read_at, delivery=self.delivery)


def _since(known: Facts, *, told: Told) -> Facts:
    """A power state that changed between two readings holds since the later one."""
    facts = told.facts
    power = facts.get("power")
    if power and known.get("power") not in (None, power) and "power_since_at" not in facts:
        return facts | {"power_since_at": told.read_at.isoformat()}
    return facts


def _account(
    kind: Kind, *, statements: list[Statement], is_changed: bool, ids: dict[str, int]
) -> Account:
    if len(statements) == 1:
        only = statements[0]
        return Account(facts=only.facts, read_at=only.read_at, is_changed=is_changed)
    alive = [s for s in statements if s.gone_at is None]
    sighted = [s for s in alive or statements if s.is_sighting] or statements
    return Account(
        facts=merged(kind, statements=statements),
        read_at=max(s.read_at for s in sighted),
        is_changed=is_changed,
        conflicts=_conflicts(kind, statements=alive, ids=ids),
    )


def merged(kind: Kind, *, statements: list[Statement]) -> Facts:
    """Return one account: who lost sight of the thing is heard last, then by precedence."""
    youngest = sorted(statements, key=lambda s: s.read_at, reverse=True)
    facts: Facts = {}
    for attribute in sorted({name for s in statements for name in s.facts}):
        order = order_of(kind, attribute=attribute)
        speaking = [s for s in youngest if s.facts.get(attribute) is not None]
        ranks = [(s.gone_at is not None, order.index(s.source.protocol)) for s in speaking]
        if ranks:
            first = min(ranks)
            equals = [s for s, rank in zip(speaking, ranks, strict=True) if rank == first]
            facts[attribute] = _of_equals(kind, attribute, equals)
    return facts


def _of_equals(kind: Kind, attribute: str, equals: list[Statement]) -> Any:  # Any: JSON
    """What is believed of those that are believed alike, the youngest of them first."""
    if (kind, attribute) not in IN_PARTS | STAYING:
        return equals[0].facts[attribute]
    told = [s.facts[attribute] for s in sorted(equals, key=lambda s: s.pk or inf)]
    if (kind, attribute) in STAYING:
        return told[0]
    return list(dict.fromkeys(uid for some in told for uid in some))


def _conflicts(kind: Kind, *, statements: list[Statement], ids: dict[str, int]) -> list[Conflict]:
    found = []
    for attribute in MUST_AGREE.get(kind, ()):
        told = [
            (s.source.name, s.facts[attribute])
            for s in sorted(statements, key=lambda s: s.source.name)
            if s.facts.get(attribute) is not None
        ]
        if len({ids.get(str(fact), fact) for _, fact in told}) > 1:
            found.append(Conflict(attribute=attribute, told=tuple(told)))
    return found
