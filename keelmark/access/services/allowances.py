"""Rations: how often something may be done, kept in the database for all processes at once.

A leaky bucket (Turner 1986): each taking fills it by one, time drains it. Whoever finds it
full waits for the drop that makes room and is not charged, so nobody's wait is prolonged by
others who keep asking.
"""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from django.db import transaction

from keelmark.access.errors import TooOftenError
from keelmark.access.models import Allowance

KEPT_FOR = timedelta(days=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Ration:
    """So many at once, and then one every so many seconds."""

    n_at_once: int
    every_seconds: float


@transaction.atomic
def take(key: str, *, ration: Ration, now: datetime | None = None) -> float:
    """Take one, and return 0; or take nothing, and return the seconds until there is one."""
    now = now or datetime.now(UTC)
    Allowance.objects.bulk_create([Allowance(key=key, at=now)], ignore_conflicts=True)
    kept = Allowance.objects.select_for_update().get(pk=key)
    drained = max((now - kept.at).total_seconds(), 0.0) / ration.every_seconds
    level = max(kept.level - drained, 0.0)
    if level + 1 > ration.n_at_once:
        return (level + 1 - ration.n_at_once) * ration.every_seconds
    kept.level, kept.at = level + 1, max(kept.at, now)
    kept.save(update_fields=["level", "at"])
    return 0.0


def give_back(key: str) -> None:
    """Return what was taken last: it was not what the ration is for."""
    with transaction.atomic():
        kept = Allowance.objects.select_for_update().filter(pk=key).first()
        if kept is not None:
            kept.level = max(kept.level - 1, 0.0)
            kept.save(update_fields=["level"])


def spend(key: str, *, ration: Ration) -> None:
    """Take one or raise TooOftenError with the time to wait."""
    wait_seconds = take(key, ration=ration)
    if wait_seconds > 0:
        raise TooOftenError(wait_seconds=wait_seconds)


def sweep_allowances(*, now: datetime) -> int:
    """Forget rations that nobody took of lately; return how many."""
    return Allowance.objects.filter(at__lt=now - KEPT_FOR).delete()[0]
