"""Writes the VM in whose size berths are counted."""

from dataclasses import asdict
from datetime import UTC, datetime, timedelta

from django.contrib.auth.models import User
from django.db import connection, transaction

from keelmark.access.services.audit import audit
from keelmark.access.versions import check_version
from keelmark.core.berths import ReferenceVm
from keelmark.forecasts.berths.counting import median_vm
from keelmark.forecasts.models import MedianSize, ReferenceSize

HELD_FOR = timedelta(hours=1)


@transaction.atomic
def set_reference_vm(
    *, actor: User, reference: ReferenceVm | None, seen_version: str | None = None
) -> None:
    """Count berths in this size from now on; None: in the median VM of lately again."""
    with connection.cursor() as cursor:  # there may be no row to lock
        cursor.execute("SELECT pg_advisory_xact_lock(hashtext('keelmark.reference'))")
    kept = ReferenceSize.objects.first()
    check_version(seen_version, facts=reference_facts())
    before = _told(kept) if kept else None
    after = None
    if reference is None:
        ReferenceSize.objects.all().delete()
    else:
        after = {
            "n_cpus": reference.n_cpus,
            "memory_bytes": reference.memory_bytes,
            "disk_bytes": reference.disk_bytes,
        }
        ReferenceSize.objects.update_or_create(
            pk=1, defaults={**after, "set_at": datetime.now(UTC)}
        )
    audit(actor, action="set reference VM", kind="berths", before=before, after=after)


def tell_median(*, now: datetime, is_due: bool = False) -> bool:
    """Find the median VM unless that was done lately; return whether it was done.

    One that was sought before any VM was known is sought again.
    """
    lately = MedianSize.objects.filter(set_at__gte=now - HELD_FOR, n_cpus__gt=0)
    if not is_due and lately.exists():
        return False
    size = asdict(median_vm(now=now))
    MedianSize.objects.update_or_create(pk=1, defaults={**size, "set_at": now})
    return True


def reference_facts() -> dict[str, int]:
    """Return what a planner set, for its version; empty where the median counts."""
    kept = ReferenceSize.objects.first()
    return _told(kept) if kept else {}


def _told(kept: ReferenceSize) -> dict[str, int]:
    return {
        "n_cpus": kept.n_cpus, "memory_bytes": kept.memory_bytes, "disk_bytes": kept.disk_bytes,
    }  # fmt: skip
