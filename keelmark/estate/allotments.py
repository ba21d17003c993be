"""Reads what tenants may provision of pools themselves, and what they have taken of it."""

from collections.abc import Sequence
from dataclasses import dataclass

from django.contrib.auth.models import User
from django.db.models import QuerySet

from keelmark.access.selectors import sees_all, tenant_ids_of
from keelmark.core.days import EPOCH
from keelmark.core.estate.holds import Hold
from keelmark.estate.models import Allotment, DrawnVolume, Volume


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """One volume out of an allotment: as it was asked for, and as it is read."""

    asked: DrawnVolume
    size_bytes: int  # as read, before that as asked for
    come_bytes: int  # of it on the pool: what is written, all of a thick one
    min_iops: int
    is_read: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Taking:
    """What was taken of one allotment."""

    drawn: tuple[Drawn, ...]

    @property
    def provisioned_bytes(self) -> int:
        """The sizes of its volumes, those too that are being made."""
        return sum(one.size_bytes for one in self.drawn)

    @property
    def come_bytes(self) -> int:
        """What the pool holds of them."""
        return sum(one.come_bytes for one in self.drawn)

    @property
    def min_iops(self) -> int:
        """What its volumes are promised at least."""
        return sum(one.min_iops for one in self.drawn)


def standing_allotments() -> QuerySet[Allotment]:
    """Return the allotments that stand, of pools and tenants that are there."""
    return Allotment.objects.filter(ended_at=None, entity__retired_at=None, tenant__retired_at=None)


def allotments_for(actor: User) -> QuerySet[Allotment]:
    """Return the allotments a person may see: all, or those of their own tenants."""
    seen = standing_allotments().select_related("entity__site", "tenant")
    if not sees_all(actor):
        seen = seen.filter(tenant__in=tenant_ids_of(actor))
    return seen.order_by("tenant__name", "entity__name", "pk")


def takings_of(some: Sequence[Allotment]) -> dict[int, Taking]:
    """Return by allotment what was taken of it; a volume that is gone gave its bytes back."""
    drawn = DrawnVolume.objects.filter(allotment__in=some, dropped_at=None)
    asked = list(drawn.select_related("volume"))
    known = Volume.objects.filter(pk__in=[one.volume_id for one in asked if one.volume_id])
    volumes = {one.pk: one for one in known}
    told: dict[int, list[Drawn]] = {one.pk: [] for one in some}
    for one in asked:
        if one.volume is None or one.volume.retired_at is None:
            told[one.allotment_id].append(_drawn(one, volumes.get(one.volume_id or 0)))
    return {pk: Taking(drawn=tuple(drawn)) for pk, drawn in told.items()}


def hold_of_allotment(
    one: Allotment, taking: Taking, *, row: int, tenant: int, volumes: tuple[int, ...] = ()
) -> Hold:
    """Return what is still held for a tenant: what was allotted, less what has come of it."""
    read_bytes = sum(each.size_bytes for each in taking.drawn if each.is_read)
    return Hold(
        kind="pool", row=row, owner=-one.pk, days=((one.from_on - EPOCH).days,),
        amounts=(max(0, one.allotted_bytes - taking.come_bytes),),
        promised_bytes=max(0, one.allotted_bytes - read_bytes),
        min_iops=max(0, one.min_iops - taking.min_iops), tenant=tenant, volumes=volumes,
        asked_bytes=taking.provisioned_bytes - read_bytes,
    )  # fmt: skip


def _drawn(asked: DrawnVolume, volume: Volume | None) -> Drawn:
    if volume is None:
        return Drawn(
            asked=asked, size_bytes=asked.size_bytes, come_bytes=0, min_iops=0, is_read=False
        )
    is_thick = volume.provisioning == Volume.Provisioning.THICK
    return Drawn(
        asked=asked, size_bytes=volume.size_bytes, min_iops=volume.qos_min_iops or 0,
        come_bytes=volume.size_bytes if is_thick else volume.written_bytes or 0, is_read=True,
    )  # fmt: skip


def draws_of(scenario_id: int) -> tuple[tuple[int, int], ...]:
    """Return by allotment the bytes that a scenario draws on it, and that are not read yet."""
    drawn = DrawnVolume.objects.filter(scenario_id=scenario_id, volume=None, dropped_at=None)
    sums: dict[int, int] = {}
    for allotment_id, size_bytes in drawn.values_list("allotment_id", "size_bytes"):
        sums[allotment_id] = sums.get(allotment_id, 0) + size_bytes
    return tuple(sorted(sums.items()))
