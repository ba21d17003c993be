"""Allots bytes of pools to tenants: given, changed, ended; never more than there is."""

from datetime import date

from django.contrib.auth.models import User
from django.db import transaction
from rest_framework.exceptions import NotFound

from keelmark.access.clock import now, utc_today
from keelmark.access.errors import wrong_field
from keelmark.access.services.audit import Facts, audit
from keelmark.access.versions import check_version
from keelmark.bearings.selectors.picture import day_of, newest_estate, reading_at
from keelmark.bearings.selectors.views import BAD_CASE
from keelmark.core.units import MAX_BYTES
from keelmark.estate.allotments import allotments_for, takings_of
from keelmark.estate.models import Allotment, Entity, Kind
from keelmark.forecasts.definitions.horizon import HORIZON_DAYS
from keelmark.forecasts.marks.setting import hold_anew
from keelmark.scenarios.errors import AllottedError, BeyondError

MOST_IOPS = 10**9


def facts_of_allotment(one: Allotment) -> Facts:
    """Return what may be written of an allotment: its version is made of it."""
    return {
        "allotted_bytes": one.allotted_bytes, "min_iops": one.min_iops, "note": one.note,
        "has_ended": one.ended_at is not None,
    }  # fmt: skip


def allotment_for(actor: User, allotment_id: int, *, is_locked: bool = False) -> Allotment:
    """Return one that a person may see; raise NotFound else."""
    seen = allotments_for(actor)
    found = (seen.select_for_update(of=("self",)) if is_locked else seen).filter(pk=allotment_id)
    one = found.first()
    if one is None:
        raise NotFound(f"No allotment {allotment_id} is known.")
    return one


@transaction.atomic
def allot(
    *, actor: User, pool_id: int, tenant_id: int, allotted_bytes: int, min_iops: int = 0,
    from_on: date | None = None, note: str = "", scenario_id: int | None = None,
) -> Allotment:  # fmt: skip
    """Hold bytes and I/O of a pool for a tenant, who may provision out of them from then on.

    Raises
    ------
    AllottedError
        If the tenant has some of that pool already.
    BeyondError
        If that is more than is plannable of the pool on the bad case from that day on; what an
        accepted scenario held for it is there.
    """
    pool = _thing(pool_id, kind=Kind.POOL, field="pool_id")
    tenant = _thing(tenant_id, kind=Kind.TENANT, field="tenant_id")
    if Allotment.objects.filter(entity=pool, tenant=tenant, ended_at=None).exists():
        raise AllottedError(tenant=tenant.name, pool=pool.name)
    today = utc_today()
    from_on = from_on or today
    if not 0 <= (from_on - today).days <= HORIZON_DAYS:
        raise wrong_field("from_on", "Use today or a day of the next two years.")
    _check_iops(min_iops)
    if scenario_id is None:
        _check_room(pool, wanted=allotted_bytes, from_on=from_on)
    at = now()
    made = Allotment.objects.create(
        entity=pool, tenant=tenant, allotted_bytes=allotted_bytes, min_iops=min_iops,
        from_on=from_on, note=note, made_at=at, made_by=actor.get_username(), changed_at=at,
        scenario_id=scenario_id,
    )  # fmt: skip
    _audit(actor, made, action="allot", before=None)
    hold_anew([pool.pk])
    return made


@transaction.atomic
def change_allotment(
    *, actor: User, allotment_id: int, seen_version: str | None, allotted_bytes: int | None = None,
    min_iops: int | None = None, note: str | None = None,
) -> Allotment:  # fmt: skip
    """Allot more or less, never less than is provisioned of it.

    Raises
    ------
    BeyondError
        If more is not plannable of its pool, or less is provisioned already.
    StaleError
        If it was changed since it was seen.
    """
    one = allotment_for(actor, allotment_id, is_locked=True)
    before = facts_of_allotment(one)
    check_version(seen_version, facts=before)
    if allotted_bytes is not None:
        pool = _thing(one.entity_id, kind=Kind.POOL, field="pool_id")
        taken = takings_of([one])[one.pk].provisioned_bytes
        if allotted_bytes < taken:
            raise BeyondError(
                field="allotted_bytes", of=f"{one.tenant.name} has provisioned {taken:,} bytes: it",
                n_left=taken, beyond=taken - allotted_bytes, would_be="allot that or more",
            )  # fmt: skip
        _check_room(pool, wanted=allotted_bytes - one.allotted_bytes, from_on=one.from_on)
        one.allotted_bytes = allotted_bytes
    if min_iops is not None:
        _check_iops(min_iops)
        one.min_iops = min_iops
    if note is not None:
        one.note = note
    one.changed_at = now()
    one.save()
    _audit(actor, one, action="change allotment", before=before)
    hold_anew([one.entity_id])
    return one


@transaction.atomic
def end_allotment(*, actor: User, allotment_id: int, seen_version: str | None) -> None:
    """Hold nothing for it any more; what was provisioned of it stays as it is."""
    one = allotment_for(actor, allotment_id, is_locked=True)
    before = facts_of_allotment(one)
    check_version(seen_version, facts=before)
    one.ended_at = one.changed_at = now()
    one.save()
    _audit(actor, one, action="end allotment", before=before)
    hold_anew([one.entity_id])


def _thing(thing_id: int, *, kind: Kind, field: str) -> Entity:
    """A thing, locked: two who allot of one pool do it one after the other."""
    found = Entity.objects.select_for_update().filter(pk=thing_id, kind=kind, retired_at=None)
    one = found.first()
    if one is None:
        raise wrong_field(field, f"{thing_id} is no {kind.value} that is there.")
    return one


def _check_iops(min_iops: int) -> None:
    if not 0 <= min_iops <= MOST_IOPS:
        raise wrong_field("min_iops", f"Use 0 to {MOST_IOPS:,} operations a second.")


def _check_room(pool: Entity, *, wanted: int, from_on: date) -> None:
    """Refuse what is not plannable of a pool, on the bad case of the day."""
    if wanted > MAX_BYTES:
        raise wrong_field("allotted_bytes", "Use at most 8 EiB.")
    if wanted <= 0:
        return
    # What has no forecast leaves what it leaves today.
    days = (max(day_of(from_on), newest_estate().day), None)
    lefts = [_plannable(pool, day=day) for day in days]
    left = next((one for one in lefts if one is not None), None)
    if left is None:
        raise wrong_field("pool_id", f"Nobody read {pool.name}: what it leaves is not known.")
    if wanted > left:
        raise BeyondError(
            field="allotted_bytes", of=f"{pool.name} on {from_on}, on the bad case,", n_left=left,
            beyond=wanted - left, would_be="allot less, or extend it first",
        )  # fmt: skip


def _plannable(pool: Entity, *, day: int | None) -> int | None:
    then = reading_at(day=day, quantile=BAD_CASE)
    row = then.estate.table("pool").row_of(pool.pk)
    marks = then.estate.marks["pool"].limit_percent
    return None if row is None else then.books["pool"].plannable(marks).told(row)


def _audit(actor: User, one: Allotment, *, action: str, before: Facts | None) -> None:
    audit(
        actor, action=action, kind="allotment", subject_id=one.pk,
        name=f"{one.tenant.name} of {one.entity.name}", before=before,
        after={**facts_of_allotment(one), "pool_id": one.entity_id, "tenant_id": one.tenant_id},
    )  # fmt: skip
