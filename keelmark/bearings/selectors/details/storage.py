"""What is told of volumes, pools and arrays."""

from django.db.models import Count, Sum

from keelmark.bearings.selectors.details.section import Column, Row, Section, told
from keelmark.estate import models
from keelmark.estate.models import Entity, Kind


def mappings(entity: Entity) -> Section | None:
    """Over all hosts, whoever told: one that nobody maps may still be another's."""
    devices = {
        (device.host_id): device
        for device in models.HostDevice.objects.filter(
            volume=entity.pk, entity__retired_at=None
        ).select_related("entity", "host__entity")
    }
    rows = []
    mapped = models.Mapping.objects.filter(volume=entity.pk).select_related("target")
    for mapping in mapped.order_by("target__name", "wanted_uid"):
        device = devices.pop(mapping.target_id, None)
        rows.append(
            Row(
                cells=(
                    mapping.target.name if mapping.target else mapping.wanted_uid,
                    "mapped to it", device.entity.name if device else None,
                    device.use if device else None,
                ),
                thing_id=mapping.target_id,
                thing_kind=mapping.target.kind if mapping.target else None,
            )
        )  # fmt: skip
    rows += [
        Row(
            cells=(device.host.entity.name, "sees it", device.entity.name, device.use),
            thing_id=device.host_id, thing_kind=Kind.HOST,
        )
        for device in devices.values()
    ]  # fmt: skip
    owners = owners_of_volume(entity)
    note = f"it belongs to {', '.join(owners)}" if owners else "no datastore or pool lies on it"
    return Section(
        key="mappings", title="Who sees it", note=note,
        columns=(
            Column(name="host"), Column(name="how"), Column(name="as"),
            Column(name="the host says"),
        ),
        rows=rows, n_all=len(rows),
    )  # fmt: skip


def owners_of_volume(entity: Entity) -> list[str]:
    stores = models.Extent.objects.filter(target=entity.pk).values_list(
        "datastore__entity__name", flat=True
    )
    pools = models.PoolBacking.objects.filter(target=entity.pk).values_list(
        "pool__entity__name", flat=True
    )
    return [*(f"datastore {name}" for name in stores), *(f"pool {name}" for name in pools)]


def copies(entity: Entity) -> Section | None:
    """Return a section of it, None where there is none."""
    rows = [
        Row(
            cells=(copy.target.name if copy.target else copy.wanted_uid,
                   copy.target.site.name if copy.target and copy.target.site else None),
            thing_id=copy.target_id, thing_kind=Kind.VOLUME,
        )
        for copy in models.Replica.objects.filter(volume=entity.pk).select_related("target__site")
    ]  # fmt: skip
    return told("copies", "Copied to", rows, Column(name="volume"), Column(name="site"))


def ports(entity: Entity) -> Section | None:
    """Return a section of it, None where there is none."""
    rows = [
        Row(
            cells=(port.entity.name, port.protocol or None, port.speed_bits_per_second,
                   port.is_up, port.n_logins),
            thing_id=port.pk, thing_kind=Kind.PORT,
        )
        for port in models.Port.objects.filter(array=entity.pk, entity__retired_at=None)
        .select_related("entity").order_by("entity__name")
    ]  # fmt: skip
    return told(
        "ports", "Front-end ports", rows,
        Column(name="port"), Column(name="protocol"), Column(name="bits a second", measure="count"),
        Column(name="up", measure="flag"), Column(name="logged in", measure="count"),
    )  # fmt: skip


def drives(entity: Entity) -> Section | None:
    """Return a section of it, None where there is none."""
    path = {Kind.ARRAY: "array", Kind.POOL: "pool", Kind.HOST: "host"}[Kind(entity.kind)]
    drives = models.Drive.objects.filter(**{path: entity.pk}, entity__retired_at=None)
    counted = drives.values("role", "media").annotate(n=Count("pk"), held=Sum("capacity_bytes"))
    rows = [
        Row(cells=(row["role"], row["media"], row["n"], row["held"]))
        for row in counted.order_by("role", "media")
    ]
    return told(
        "drives", "Drives by role", rows,
        Column(name="role"), Column(name="media"), Column(name="how many", measure="count"),
        Column(name="raw", measure="bytes"),
    )  # fmt: skip


def shelves(entity: Entity) -> Section | None:
    """Return a section of it, None where there is none."""
    shelves = (
        models.Shelf.objects.filter(array=entity.pk, entity__retired_at=None)
        .annotate(n=Count("drives"))
        .select_related("entity")
        .order_by("entity__name")
    )
    rows = [
        Row(cells=(shelf.entity.name, shelf.n_bays, shelf.n), thing_id=shelf.pk, thing_kind="shelf")
        for shelf in shelves
    ]
    return told(
        "shelves", "Shelves", rows, Column(name="shelf"), Column(name="bays", measure="count"),
        Column(name="drives", measure="count"),
    )  # fmt: skip


def backings(entity: Entity) -> Section | None:
    """Return a section of it, None where there is none."""
    rows = [
        Row(
            cells=(
                backing.target.name if backing.target else backing.wanted_uid,
                backing.mirror_side or None, backing.tier or None,
                None if backing.target else "nobody tells of it: this side is lost",
            ),
            thing_id=backing.target_id, thing_kind=Kind.VOLUME,
        )
        for backing in models.PoolBacking.objects.filter(pool=entity.pk).select_related("target")
    ]  # fmt: skip
    return told(
        "members", "Members and mirror sides", rows, Column(name="volume"),
        Column(name="side"), Column(name="tier"), Column(name="note"),
    )  # fmt: skip
