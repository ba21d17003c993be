"""What is told of who owns: quotas, and what came lately."""

from datetime import timedelta

from django.db.models import Count, Q

from keelmark.access.clock import now
from keelmark.bearings.selectors.details.section import Column, Held, Row, Section, held_now, told
from keelmark.estate import models
from keelmark.estate.models import Entity, Kind

CAME_DAYS = 30
MOST_CAME = 50


def quotas(entity: Entity) -> Section | None:
    """Return what each project holds of what it may hold: bytes and VMs."""
    of = {"tenant": entity.pk} if entity.kind == Kind.TENANT else {"pk": entity.pk}
    projects = list(
        models.Project.objects.filter(entity__retired_at=None, **of)
        .annotate(n_vms=Count("vms", filter=Q(vms__entity__retired_at=None)))
        .select_related("entity")
        .order_by("entity__name")
    )
    held = held_now("project", ids=[project.pk for project in projects])
    rows = [
        Row(
            cells=(
                project.entity.name, *_books(held[project.pk]), project.n_vms, project.quota_vms,
            ),
            thing_id=project.pk, thing_kind=Kind.PROJECT,
        )
        for project in projects
    ]  # fmt: skip
    return told(
        "quotas", "Quotas", rows, Column(name="project"), Column(name="held", measure="bytes"),
        Column(name="quota", measure="bytes"), Column(name="left", measure="bytes"),
        Column(name="of quota"), Column(name="VMs", measure="count"),
        Column(name="quota of VMs", measure="count"),
    )  # fmt: skip


def came(entity: Entity) -> Section | None:
    """Return which VMs came lately, from where they were made and by whom."""
    since = now() - timedelta(days=CAME_DAYS)
    path = "project__tenant" if entity.kind == Kind.TENANT else "project"
    vms = (
        models.VirtualMachine.objects.filter(
            **{path: entity.pk}, entity__retired_at=None, entity__first_seen_at__gte=since
        )
        .select_related("entity", "project__entity")
        .order_by("-entity__first_seen_at", "entity__name")
    )
    found = list(vms[:MOST_CAME])
    held = held_now("vm", ids=[vm.pk for vm in found])
    made = {
        event.of_id: event
        for event in models.Event.objects.filter(
            of__in=[vm.pk for vm in found], what__in=("created", "cloned")
        ).select_related("from_entity")
    }
    rows = [
        Row(
            cells=(
                vm.entity.name, vm.entity.first_seen_at.isoformat(),
                vm.project.entity.name if vm.project else None, held[vm.pk].used,
                made[vm.pk].by or None if vm.pk in made else None,
                _origin(made.get(vm.pk)),
            ),
            thing_id=vm.pk, thing_kind=Kind.VM,
        )
        for vm in found
    ]  # fmt: skip
    return told(
        "came", f"Came in {CAME_DAYS} days", rows, Column(name="VM"),
        Column(name="first seen", measure="moment"), Column(name="project"),
        Column(name="holds", measure="bytes"), Column(name="made by"), Column(name="from"),
    )  # fmt: skip


def _origin(event: models.Event | None) -> str | None:
    return event.from_entity.name if event and event.from_entity else None


def _books(held: Held) -> tuple[int | None, int | None, int | None, str | None]:
    """What is held, the quota, what is left of it, and the share."""
    if held.size is None or held.used is None:
        return held.used, held.size, None, None
    share = f"{100 * held.used // held.size} %" if held.size else None
    return held.used, held.size, held.size - held.used, share
