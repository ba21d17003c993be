"""What is told of volumes, pools and arrays."""

from collections import defaultdict

from django.db.models import Count, Max, Q, Sum

from keelmark.bearings.selectors.details.section import Column, Row, Section, held_now, told
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


def whereabouts(entity: Entity) -> Section | None:
    """Where an array's bytes are: in volumes, free in pools, or in drives that no pool has."""
    pools = models.Pool.objects.filter(array=entity.pk, entity__retired_at=None)
    snapshots = pools.aggregate(held=Sum("snapshot_bytes"))["held"]
    books = held_now("array", ids=[entity.pk])[entity.pk]
    drives = models.Drive.objects.filter(array=entity.pk, entity__retired_at=None)
    by_role = {
        row["role"]: row
        for row in drives.values("role").annotate(n=Count("pk"), held=Sum("capacity_bytes"))
    }
    rows = []
    if books.used is not None and books.size is not None:
        rows = [
            Row(cells=("written in pools", "usable", None, books.used)),
            Row(cells=("by snapshots alone", "usable", None, snapshots), depth=1),
            Row(cells=("free in pools", "usable", None, books.size - books.used)),
        ]
    rows += [
        Row(cells=(words, "raw", by_role[role]["n"], by_role[role]["held"]))
        for role, words in _OUTSIDE
        if role in by_role
    ]
    return told(
        "whereabouts", "Where its bytes are", rows, Column(name="what"), Column(name="counted as"),
        Column(name="drives", measure="count"), Column(name="bytes", measure="bytes"),
    )  # fmt: skip


_OUTSIDE = (
    ("unpooled", "in drives of no pool"), ("spare", "in spare drives"),
    ("system", "in drives for the system alone"), ("failed", "in failed drives"),
)  # fmt: skip


def faults(entity: Entity) -> Section | None:
    """What the next failed drive costs each pool: what is to be built anew, and what takes it."""
    own = {"array": entity.pk} if entity.kind == Kind.ARRAY else {"pk": entity.pk}
    failed = Count("drives", filter=Q(drives__role="failed"))
    pools = (
        models.Pool.objects.filter(entity__retired_at=None, drives__isnull=False, **own)
        .annotate(n=Count("drives"), n_failed=failed, largest=Max("drives__capacity_bytes"))
        .select_related("entity")
        .order_by("entity__name")
    )
    arrays = {pool.array_id for pool in pools if pool.array_id}
    spares: dict[int | None, list[int]] = defaultdict(list)
    for array_id, held in models.Drive.objects.filter(
        array__in=arrays, role="spare", entity__retired_at=None
    ).values_list("array_id", "capacity_bytes"):
        spares[array_id].append(held)
    rows = []
    for pool in pools:
        n, n_failed, largest = (getattr(pool, name) for name in ("n", "n_failed", "largest"))
        n_fit = sum(held >= largest for held in spares[pool.array_id])
        share = pool.used_bytes / pool.usable_bytes if pool.usable_bytes else 1.0
        takes = f"{n_fit} spare drives" if n_fit > 1 else "a spare drive" if n_fit else (
            "its own spare space" if "spare" in pool.raid.lower() or "distributed" in
            pool.raid.lower() else "no spare drive"
        )  # fmt: skip
        cells = (
            pool.entity.name,
            pool.raid or None,
            n,
            n_failed,
            largest,
            round(largest * share),
            takes,
        )
        rows.append(Row(cells=cells, thing_id=pool.pk, thing_kind=Kind.POOL))
    return told(
        "faults", "If a drive fails", rows, Column(name="pool"), Column(name="RAID"),
        Column(name="drives", measure="count"), Column(name="failed", measure="count"),
        Column(name="largest drive", measure="bytes"),
        Column(name="to be built anew", measure="bytes"), Column(name="taken by"),
    )  # fmt: skip


def controllers(entity: Entity) -> Section | None:
    """Return the controllers of an array by the ports that are told of them."""
    rows = [
        Row(
            cells=(
                row["controller"], row["n"], row["n_up"], row["speed"], row["n_logins"],
            )
        )
        for row in models.Port.objects.filter(array=entity.pk, entity__retired_at=None)
        .exclude(controller="").values("controller")
        .annotate(
            n=Count("pk"), n_up=Count("pk", filter=Q(is_up=True)),
            speed=Sum("speed_bits_per_second", filter=Q(is_up=True)), n_logins=Sum("n_logins"),
        ).order_by("controller")
    ]  # fmt: skip
    return told(
        "controllers", "Controllers", rows, Column(name="controller"),
        Column(name="ports", measure="count"), Column(name="up", measure="count"),
        Column(name="bits a second", measure="count"), Column(name="logged in", measure="count"),
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
