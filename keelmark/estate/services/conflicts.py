"""Keeps the findings that single accounts show: sources that contradict each other."""

from collections.abc import Iterable
from datetime import datetime

from keelmark.estate.models import Entity, Finding, FindingKind
from keelmark.estate.services.identities import Met
from keelmark.estate.services.statements import Account

OF_ACCOUNTS = (FindingKind.CONFLICT, FindingKind.TWO_IDENTITIES)
MAX_SUBJECT = 400


def keep_conflicts(
    accounts: dict[int, Account],
    *,
    met: Met,
    at: datetime,
    judged: tuple[FindingKind, ...] = OF_ACCOUNTS,
) -> None:
    """Open and end the conflicts of these things."""
    wanted: dict[tuple[FindingKind, int, str], tuple[str, list[int]]] = {}
    for pk, account in accounts.items():
        for conflict in account.conflicts:
            said = " but ".join(f"{name} says {fact}" for name, fact in conflict.told)
            key = (FindingKind.CONFLICT, pk, conflict.attribute)
            wanted[key] = (f"{conflict.attribute}: {said}", [])
    for pk, others in met.clashes.items():
        names = Entity.objects.filter(pk__in=others).values_list("name", flat=True)
        told = "told of under names that belong to " + ", ".join(sorted(names))
        wanted[FindingKind.TWO_IDENTITIES, pk, "uid"] = (told, others)
    open_now = Finding.objects.filter(entity_id__in=accounts, kind__in=judged, ended_at=None)
    keep(wanted, standing=open_now, at=at)


def keep(
    wanted: dict[tuple[FindingKind, int, str], tuple[str, list[int]]],
    *,
    standing: Iterable[Finding],
    at: datetime,
) -> None:
    """Make the open findings be these: (kind, entity, subject) → (what is so, other things)."""
    known = {(FindingKind(f.kind), f.entity_id, f.subject): f for f in standing}
    ended = [f.pk for key, f in known.items() if key not in wanted]
    Finding.objects.filter(pk__in=ended).update(ended_at=at)
    for key, (detail, others) in wanted.items():
        finding = known.get(key)
        if finding is None:
            kind, pk, subject = key
            finding = Finding.objects.create(
                kind=kind, entity_id=pk, subject=subject[:MAX_SUBJECT], detail=detail, found_at=at
            )
            finding.others.set(others)
        elif finding.detail != detail:
            finding.detail = detail
            finding.save(update_fields=["detail"])
            finding.others.set(others)
