"""Sets volumes of arrays to what they must offer, on an interval that an operator chose."""

from collections import Counter
from datetime import datetime, timedelta
from typing import Final

import numpy as np
import structlog
from django.contrib.auth.models import User
from django.db import transaction
from rest_framework import exceptions

from keelmark.access.clock import now as this_moment
from keelmark.access.errors import RefusalError
from keelmark.access.rights import Right, has_right
from keelmark.access.services.audit import audit
from keelmark.bearings.selectors.picture import reading_at
from keelmark.compliance.models import Righting
from keelmark.compliance.selectors.offers import offers_at
from keelmark.compliance.selectors.righting import Drifted, drifted_of, rightings_told
from keelmark.core.estate.reading import LIKELY
from keelmark.estate.models import Entity
from keelmark.feeds.changes.allowed import LIMITS
from keelmark.feeds.changes.asking import MAX_AT_ONCE, ask_changes

log = structlog.get_logger()
LEAST_SECONDS: Final = 15
MOST_SECONDS: Final = 86_400
MAX_TOLD: Final = 500


@transaction.atomic
def set_righting(*, actor: User, array_id: int, every_seconds: int | None) -> None:
    """Have an array's volumes set right every so long, or no more; in the operator's name."""
    array = Entity.objects.filter(pk=array_id, kind="array").first()
    if array is None or array_id not in {one["array_id"] for one in rightings_told()}:
        raise exceptions.NotFound(f"No array {array_id} can be set from here.")
    before = Righting.objects.select_for_update().filter(array=array).first()
    told = {"every_seconds": before.every_seconds, "author": before.author_name} if before else None
    if every_seconds is None:
        Righting.objects.filter(array=array).delete()
    else:
        Righting.objects.update_or_create(
            array=array,
            defaults={
                "every_seconds": every_seconds, "made_at": this_moment(), "author": actor,
                "author_name": actor.get_username(),
                "due_at": this_moment() + timedelta(seconds=every_seconds),
            },
        )  # fmt: skip
    audit(
        actor, action="set right on an interval" if every_seconds else "set right no more",
        kind="array", subject_id=array.pk, name=array.name, before=told,
        after={"every_seconds": every_seconds},
    )  # fmt: skip


def set_right_due(*, now: datetime) -> int:
    """Ask for the changes of all arrays that are due; return of how many volumes."""
    due = list(Righting.objects.filter(due_at__lte=now).values_list("pk", flat=True))
    return sum(_set_right(pk, now=now) for pk in due)


@transaction.atomic
def _set_right(pk: int, *, now: datetime) -> int:
    one = (
        Righting.objects.select_for_update(of=("self",), skip_locked=True)
        .select_related("array", "author")
        .filter(pk=pk, due_at__lte=now)
        .first()
    )
    if one is None:  # another worker has it, or it was taken back
        return 0
    try:
        with transaction.atomic():
            n, told = _asked_for(one)
    except RefusalError as exc:
        n, told = 0, str(exc)
        log.warning("not_set_right", array=one.array.name, why=told)
    one.last_at, one.last_told = now, told[:MAX_TOLD]
    one.due_at = now + timedelta(seconds=one.every_seconds)
    one.save(update_fields=["last_at", "last_told", "due_at"])
    return n


def _asked_for(one: Righting) -> tuple[int, str]:
    """Ask for what is to be set right; return of how many volumes, and what came of it in words."""
    actor = one.author
    if actor is None or not actor.is_active or not has_right(actor, Right.CARRY_OUT):
        return 0, f"Stands still: {one.author_name} may set limits no more."
    drifted = _drifted(one)
    wanted = [each.change for each in drifted if not each.left_alone][:MAX_AT_ONCE]
    reasons = Counter(each.left_alone for each in drifted if each.left_alone)
    left = "; ".join(f"{n} left alone: {why}" for why, n in reasons.items())
    if not wanted:
        return 0, left or "Nothing had drifted."
    ask_changes(
        actor=actor, key=f"righting {one.pk} {one.due_at.isoformat()}", what=LIMITS,
        changes=wanted, is_released=True, why=f"Set right every {one.every_seconds} s.",
    )  # fmt: skip
    told = f"{len(wanted)} asked for"
    return len(wanted), f"{told}; {left}" if left else f"{told}."


def _drifted(one: Righting) -> list[Drifted]:
    reading = reading_at(day=None, quantile=LIKELY)
    offers = offers_at(reading, kind="volume")
    pool = reading.link("volume", "pool")
    array = np.append(reading.link("pool", "array"), -1)[pool]
    row = int(reading.estate.table("array").rows_of(np.array([one.array_id], dtype=np.int64))[0])
    mine = np.flatnonzero((array == row) & (offers.n_disks > 0)) if row >= 0 else np.zeros(0, int)
    return drifted_of(reading, offers, mine.astype(np.int64))
