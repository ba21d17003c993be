"""Writes the VM in whose size berths are counted."""

from dataclasses import asdict
from datetime import UTC, datetime, timedelta

from django.contrib.auth.models import User
from django.db import transaction

from keelmark.access.services import audit
from keelmark.core.berths import ReferenceVm
from keelmark.forecasts.berths import median_vm
from keelmark.forecasts.models import MedianSize, ReferenceSize

HELD_FOR = timedelta(hours=1)


@transaction.atomic
def set_reference_vm(*, actor: User, reference: ReferenceVm | None) -> None:
    """Count berths in this size from now on; None: in the median VM of lately again."""
    kept = ReferenceSize.objects.select_for_update().first()
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


def _told(kept: ReferenceSize) -> dict[str, int]:
    return {
        "n_cpus": kept.n_cpus, "memory_bytes": kept.memory_bytes, "disk_bytes": kept.disk_bytes,
    }  # fmt: skip
