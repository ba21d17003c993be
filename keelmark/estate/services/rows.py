"""Turns accounts into rows of the kinds' tables, their links and their loose ends."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db.models import DateTimeField, Model

from keelmark.estate.errors import UnknownParentError
from keelmark.estate.kinds import HOMES, SPECS, KindSpec
from keelmark.estate.models import Entity, Kind, Link, LooseEnd, PoolBacking, ServiceClass, Site
from keelmark.estate.services.identities import BATCH_ROWS, Met
from keelmark.estate.services.statements import Account

GROWING = ("size_bytes", "usable_bytes", "capacity_bytes", "quota_bytes")
WHEREABOUTS = ("datastore_id", "pool_id", "host_id")


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """What became of a thing that was known already."""

    entity_id: int
    kind: Kind
    columns: tuple[str, ...]
    bytes_before: int | None = None
    bytes_after: int | None = None
    from_id: int | None = None
    to_id: int | None = None


@dataclass(slots=True, kw_only=True)
class Written:
    """What the writing of rows did."""

    changes: list[Change] = field(default_factory=list)
    by_kind: dict[Kind, list[int]] = field(default_factory=dict)
    moved_ids: set[int] = field(default_factory=set)  # whose own place changed


def write_rows(accounts: dict[int, Account], *, met: Met) -> Written:
    """Write the rows of changed accounts, parents first; refresh when the others were read."""
    written = Written()
    met.learn(_wanted(accounts, met=met))
    by_kind: dict[Kind, dict[int, Account]] = {}
    for pk, account in accounts.items():
        by_kind.setdefault(met.kinds[pk], {})[pk] = account
    names = _Names(accounts)
    for kind, spec in SPECS.items():
        of_kind = by_kind.get(kind)
        if of_kind:
            written.by_kind[kind] = list(of_kind)
            _write_kind(spec, accounts=of_kind, met=met, names=names, written=written)
    return written


def _wanted(accounts: dict[int, Account], *, met: Met) -> set[str]:
    wanted: set[str] = set()
    for pk, account in accounts.items():
        spec = SPECS[met.kinds[pk]]
        wanted |= {account.facts[r.field] for r in spec.references if account.facts.get(r.field)}
        for name in spec.links:
            wanted |= {_uid_in(entry) for entry in account.facts.get(name) or ()}
    return wanted


def _uid_in(entry: str | dict[str, str]) -> str:
    return entry if isinstance(entry, str) else entry["volume_uid"]


class _Names:
    """Sites and classes, which are known by their names alone."""

    def __init__(self, accounts: dict[int, Account]) -> None:
        facts = [a for a in accounts.values() if a.is_changed]
        self.sites = {
            name: _site_id(name, at=min(a.read_at for a in facts))
            for name in sorted({a.facts["site"] for a in facts if a.facts.get("site")})
        }
        self.classes = {
            name: ServiceClass.objects.get_or_create(name=name)[0].pk
            for name in sorted(
                {a.facts["service_class"] for a in facts if a.facts.get("service_class")}
            )
        }


def _site_id(name: str, *, at: datetime) -> int:
    entity, _ = Entity.objects.get_or_create(
        uid=f"site.{name}",
        defaults={"kind": Kind.SITE, "name": name, "first_seen_at": at, "last_seen_at": at},
    )
    Site.objects.get_or_create(entity=entity)
    return entity.pk


def _write_kind(
    spec: KindSpec, *, accounts: dict[int, Account], met: Met, names: _Names, written: Written
) -> None:
    manager = spec.model._default_manager
    changed = {pk: a for pk, a in accounts.items() if a.is_changed}
    standing = manager.in_bulk(list(changed))
    rows, loose = [], []
    for pk, account in changed.items():
        values, ends = _values(spec, pk=pk, account=account, met=met, names=names)
        loose += ends
        if pk in standing:
            change = _change(standing[pk], spec=spec, values=values)
            if change:
                written.changes.append(change)
        rows.append(spec.model(entity_id=pk, **values))
    columns = [_field_name(spec, column) for column in _columns(spec)]
    manager.bulk_create(
        rows,
        batch_size=BATCH_ROWS,
        update_conflicts=True,
        unique_fields=["entity"],
        update_fields=[*columns, "read_at"],
    )
    _refresh_read(spec, accounts={pk: a for pk, a in accounts.items() if not a.is_changed})
    LooseEnd.objects.filter(entity_id__in=changed).delete()
    LooseEnd.objects.bulk_create(loose, batch_size=BATCH_ROWS)
    for name, link in spec.links.items():
        _write_links(link, name=name, accounts=changed, met=met)
    written.moved_ids |= _write_entities(spec, accounts=accounts, names=names)


def _columns(spec: KindSpec) -> list[str]:
    derived = ["home_id"] if spec.kind == Kind.POOL else []
    classed = ["service_class_id"] if spec.has_class else []
    return [*spec.columns, *(r.column for r in spec.references), *classed, *derived]


def _field_name(spec: KindSpec, column: str) -> str:
    return next(f.name for f in spec.model._meta.concrete_fields if f.attname == column)


def _values(
    spec: KindSpec, *, pk: int, account: Account, met: Met, names: _Names
) -> tuple[dict[str, Any], list[LooseEnd]]:  # Any: a row's values
    values: dict[str, Any] = {"read_at": account.read_at}
    for column in spec.columns:
        values[column] = _stored(spec.model, column=column, fact=account.facts.get(column))
    loose = []
    for reference in spec.references:
        wanted = account.facts.get(reference.field)
        target = met.ids.get(wanted) if wanted else None
        if target is not None and reference.kind not in (None, met.kinds[target]):
            target = None
        values[reference.column] = target
        if wanted and target is None:
            if reference.is_required:
                raise UnknownParentError(uid=account.facts["name"], parent_uid=wanted)
            loose.append(LooseEnd(entity_id=pk, column=reference.column, wanted_uid=wanted))
    if spec.has_class:
        values["service_class_id"] = names.classes.get(account.facts.get("service_class") or "")
    if homes := HOMES.get(spec.kind):
        home = next((at for h in homes if (at := values[f"{h.removesuffix('_uid')}_id"])), None)
        if home is None:
            wanted = next((uid for h in homes if (uid := account.facts.get(h))), "")
            raise UnknownParentError(uid=account.facts["name"], parent_uid=wanted)
        if spec.kind == Kind.POOL:
            values["home_id"] = home
    return values, loose


def _stored(model: type[Model], *, column: str, fact: object) -> object:
    field_of = model._meta.get_field(column)
    if fact is None:
        return None if field_of.null else field_of.get_default()  # type: ignore[union-attr]  # a concrete field
    if isinstance(field_of, DateTimeField) and isinstance(fact, str):
        return datetime.fromisoformat(fact)
    return fact


def _change(
    standing: Model,
    *,
    spec: KindSpec,
    values: dict[str, Any],  # Any: a row's values
) -> Change | None:
    differing = tuple(c for c in _columns(spec) if getattr(standing, c) != values[c])
    if not differing:
        return None
    size = next((c for c in GROWING if c in differing), None)
    place = next((c for c in WHEREABOUTS if c in differing), None)
    return Change(
        entity_id=standing.pk,
        kind=spec.kind,
        columns=differing,
        bytes_before=getattr(standing, size) if size else None,
        bytes_after=values[size] if size else None,
        from_id=getattr(standing, place) if place else None,
        to_id=values[place] if place else None,
    )


def _refresh_read(spec: KindSpec, *, accounts: dict[int, Account]) -> None:
    for read_at, pks in _by_moment(accounts).items():
        spec.model._default_manager.filter(pk__in=pks, read_at__lt=read_at).update(read_at=read_at)


def _by_moment(accounts: dict[int, Account]) -> dict[datetime, list[int]]:
    moments: dict[datetime, list[int]] = {}
    for pk, account in accounts.items():
        moments.setdefault(account.read_at, []).append(pk)
    return moments


def _write_links(link: type[Link], *, name: str, accounts: dict[int, Account], met: Met) -> None:
    """Make the links of things what their sources say now."""
    told = {pk: a.facts[name] for pk, a in accounts.items() if a.facts.get(name) is not None}
    owner = f"{link.OWNER}_id"
    link._default_manager.filter(**{f"{owner}__in": told}).delete()
    rows = []
    for pk, entries in told.items():
        unique = {_uid_in(entry): entry for entry in entries}
        for uid, entry in unique.items():
            row = link(**{owner: pk}, wanted_uid=uid, target_id=met.ids.get(uid))
            if isinstance(row, PoolBacking):
                row.mirror_side, row.tier = entry.get("mirror_side", ""), entry.get("tier", "")
            rows.append(row)
    link._default_manager.bulk_create(rows, batch_size=BATCH_ROWS)


def _write_entities(spec: KindSpec, *, accounts: dict[int, Account], names: _Names) -> set[int]:
    """Write names, places, and that the things were seen; return whose place changed."""
    changed = {pk: a for pk, a in accounts.items() if a.is_changed}
    standing = Entity.objects.in_bulk(list(changed))
    rows, moved = [], set()
    for pk, account in changed.items():
        entity = standing[pk]
        before = (entity.name, entity.site_id)
        entity.name = account.facts["name"]
        if spec.has_site and account.facts.get("site"):
            entity.site_id = names.sites[account.facts["site"]]
        if (entity.name, entity.site_id) != before:
            rows.append(entity)
        if entity.site_id != before[1]:
            moved.add(pk)
    Entity.objects.bulk_create(
        rows,
        batch_size=BATCH_ROWS,
        update_conflicts=True,
        unique_fields=["id"],
        update_fields=["name", "site"],
    )
    for read_at, pks in _by_moment(accounts).items():
        seen = Entity.objects.filter(pk__in=pks)
        seen.filter(last_seen_at__lte=read_at).update(last_seen_at=read_at)
        seen.filter(first_seen_at__gt=read_at).update(first_seen_at=read_at)
        seen.filter(retired_at__lt=read_at).update(retired_at=None)
    return moved


def tie_loose_ends(met: Met) -> set[int]:
    """Join what waited for uids that are known now; return the entities that got an end."""
    tied: set[int] = set()
    waiting = LooseEnd.objects.filter(wanted_uid__in=met.new_uids).select_related("entity")
    done: list[int] = []
    for end in waiting:
        spec = SPECS[Kind(end.entity.kind)]
        reference = next(r for r in spec.references if r.column == end.column)
        target = met.ids[end.wanted_uid]
        if reference.kind in (None, met.kinds[target]):
            spec.model._default_manager.filter(pk=end.entity_id).update(**{end.column: target})
            tied.add(end.entity_id)
            done.append(end.pk)
    LooseEnd.objects.filter(pk__in=done).delete()
    for link in _all_links():
        loose = list(link._default_manager.filter(wanted_uid__in=met.new_uids))
        for row in loose:
            row.target_id = met.ids[row.wanted_uid]
            tied.add(getattr(row, f"{link.OWNER}_id"))
        link._default_manager.bulk_update(loose, ["target"], batch_size=BATCH_ROWS)
    return tied


def _all_links() -> Iterable[type[Link]]:
    return {link for spec in SPECS.values() for link in spec.links.values()}
