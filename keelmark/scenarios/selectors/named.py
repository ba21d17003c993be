"""What steps of a work order name, as it has been read since."""

from datetime import datetime

from django.db.models import QuerySet

from keelmark.estate.models import (
    Entity,
    Volume,
)
from keelmark.scenarios.models import WorkStep


def made_since(step: WorkStep, kind: str) -> "QuerySet[Entity]":
    """Things of a kind that came since it was accepted and bear its name, the newest first."""
    named = Entity.objects.filter(
        kind=kind, retired_at=None, name=step.values["name"], first_seen_at__gte=since(step)
    )
    return named.order_by("-first_seen_at", "-pk")


def since(step: WorkStep) -> datetime:
    """From when on what comes may be of this plan: what was there before only bears the name."""
    return step.order.scenario.accepted_at or step.order.made_at


def brought(step: WorkStep, kind: str) -> int | None:
    """Return what an earlier step brings and this one names, once it is read."""
    named = Entity.objects.filter(
        kind=kind, retired_at=None, name=step.values.get(kind, ""),
        first_seen_at__gte=since(step),
    )  # fmt: skip
    return named.order_by("-first_seen_at", "-pk").values_list("pk", flat=True).first()


def pool_of(step: WorkStep) -> int | None:
    """Return the pool that a step is on, known before or brought by an earlier one."""
    return int(step.values.get("pool_id") or 0) or brought(step, "pool")


def volume_of(step: WorkStep) -> Volume | None:
    """Return the volume that a step is of, known before or made for it since."""
    if step.subject_id is not None:
        return Volume.objects.filter(pk=step.subject_id, entity__retired_at=None).first()
    named = Volume.objects.filter(
        entity__retired_at=None, entity__name=step.values["name"],
        pool__in=[pool_of(step)], entity__first_seen_at__gte=since(step),
    )  # fmt: skip
    return named.order_by("-entity__first_seen_at").first()


def copy_of(step: WorkStep) -> Volume | None:
    """Return the volume that mirrors another, or is to: known before, or made for it since."""
    there = Volume.objects.filter(entity__retired_at=None)
    if copy_id := step.values.get("copy_id"):
        return there.filter(pk=copy_id).first()
    named = there.filter(
        entity__name=step.values["copy"], pool__in=[pool_of(step)],
        entity__first_seen_at__gte=since(step),
    )  # fmt: skip
    return named.order_by("-entity__first_seen_at").first()


def subject_of(step: WorkStep) -> int | None:
    """Return what a step is of, known before or brought by an earlier one."""
    if step.subject_id is not None or "name" not in step.values:
        return step.subject_id
    return made_since(step, step.subject_kind).values_list("pk", flat=True).first()
