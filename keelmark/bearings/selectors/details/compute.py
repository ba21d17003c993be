"""What is told of VMs, datastores, hosts and clusters."""

from collections import defaultdict
from dataclasses import replace

from django.db.models import Count, Sum

from keelmark.bearings.selectors.details.section import MOST_ROWS, Column, Row, Section, told
from keelmark.core.units import GIB
from keelmark.estate import models
from keelmark.estate.models import Entity, Kind


def snapshots(entity: Entity) -> Section | None:
    """As they hang together: what removing one frees, and how many a roll-back drops."""
    taken = list(
        models.Snapshot.objects.filter(of=entity.pk, entity__retired_at=None)
        .select_related("entity")
        .order_by("taken_at", "pk")
    )
    if not taken:
        return None
    children: dict[int | None, list[models.Snapshot]] = defaultdict(list)
    known = {one.pk for one in taken}
    for one in taken:
        children[one.parent_id if one.parent_id in known else None].append(one)

    def younger(one: models.Snapshot) -> int:
        return sum(1 + younger(child) for child in children[one.pk])

    rows: list[Row] = []

    def hang(one: models.Snapshot, depth: int) -> None:
        cells = (one.entity.name, one.taken_at.isoformat(), one.unshared_bytes, younger(one))
        rows.append(Row(cells=cells, thing_id=one.pk, thing_kind=Kind.SNAPSHOT, depth=depth))
        for child in children[one.pk]:
            hang(child, depth + 1)

    for root in children[None]:
        hang(root, 0)
    return Section(
        key="snapshots",
        title="Snapshots",
        note="as they hang together; removing one frees its bytes and keeps the younger ones",
        columns=(
            Column(name="snapshot"), Column(name="taken", measure="moment"),
            Column(name="removing frees", measure="bytes"),
            Column(name="rolling back drops", measure="count"),
        ),
        rows=rows,
        n_all=len(rows),
    )  # fmt: skip


def protection(entity: Entity) -> Section | None:
    """Return a section of it, None where there is none."""
    runs = models.ProtectionRun.objects.filter(of=entity.pk)
    rows = [
        Row(cells=(run.job, run.method, run.result, run.started_at.isoformat(), run.n_bytes))
        for run in runs.order_by("-started_at")[:10]
    ]
    return told(
        "protection", "Copies and backups", rows,
        Column(name="job"), Column(name="by"), Column(name="went"),
        Column(name="begun", measure="moment"), Column(name="bytes", measure="bytes"),
    )  # fmt: skip


def extents(entity: Entity) -> Section | None:
    """Return a section of it, None where there is none."""
    store = models.Datastore.objects.filter(pk=entity.pk).first()
    if store is None:
        return None
    rows = [
        Row(
            cells=(extent.target.name if extent.target else extent.wanted_uid,
                   None if extent.target else "no feed tells of it"),
            thing_id=extent.target_id, thing_kind=Kind.VOLUME,
        )
        for extent in models.Extent.objects.filter(datastore=entity.pk).select_related("target")
    ]  # fmt: skip
    export = (
        f"NFS {store.nfs_version}, {store.nfs_server}:{store.nfs_path}" if store.nfs_path else ""
    )
    return Section(
        key="extents", title="Lies on", note=export,
        columns=(Column(name="volume"), Column(name="note")), rows=rows, n_all=len(rows),
    )  # fmt: skip


def sights(entity: Entity) -> Section | None:
    """Return a section of it, None where there is none."""
    under = models.Extent.objects.filter(datastore=entity.pk).values("target")
    devices: dict[int, list[str]] = defaultdict(list)
    for host_id, name in models.HostDevice.objects.filter(volume__in=under).values_list(
        "host_id", "entity__name"
    ):
        devices[host_id].append(name)
    sights = models.Sight.objects.filter(datastore=entity.pk).select_related("target")
    rows = [
        Row(
            cells=(sight.target.name if sight.target else sight.wanted_uid,
                   ", ".join(sorted(devices.get(sight.target_id or 0, []))) or None),
            thing_id=sight.target_id, thing_kind=Kind.HOST,
        )
        for sight in sights.order_by("target__name", "wanted_uid")
    ]  # fmt: skip
    return told("sights", "Seen by", rows, Column(name="host"), Column(name="its volume there as"))


def files(entity: Entity) -> Section | None:
    """Return a section of it, None where there is none."""
    files = models.File.objects.filter(datastore=entity.pk, entity__retired_at=None)
    counted = files.values("category", "is_orphan").annotate(n=Count("pk"), held=Sum("size_bytes"))
    rows = [
        Row(
            cells=("files of nobody" if row["is_orphan"] else f"{row['category']} files",
                   row["n"], row["held"], None)
        )
        for row in counted.order_by("-is_orphan", "category")
    ]  # fmt: skip
    orphans = files.filter(is_orphan=True).select_related("entity").order_by("-size_bytes", "pk")
    rows += [
        Row(
            cells=(file.entity.name, None, file.size_bytes,
                   file.changed_at.isoformat() if file.changed_at else None),
            thing_id=file.pk, thing_kind=Kind.FILE, depth=1,
        )
        for file in orphans[:MOST_ROWS]
    ]  # fmt: skip
    return told(
        "files", "Files", rows,
        Column(name="what"), Column(name="how many", measure="count"),
        Column(name="bytes", measure="bytes"), Column(name="changed", measure="moment"),
    )  # fmt: skip


def hosts(entity: Entity) -> Section | None:
    """Faulted ones first."""
    hosts = models.Host.objects.filter(cluster=entity.pk, entity__retired_at=None)
    rows = [
        Row(
            cells=(host.entity.name, host.state or None, host.n_cpus, host.memory_bytes,
                   host.n_network_errors),
            thing_id=host.pk, thing_kind=Kind.HOST,
        )
        for host in sorted(
            hosts.select_related("entity"),
            key=lambda host: (host.state in ("up", ""), host.entity.name),
        )
    ]  # fmt: skip
    section = told(
        "hosts", "Hosts", rows,
        Column(name="host"), Column(name="state"), Column(name="CPUs", measure="count"),
        Column(name="memory", measure="bytes"), Column(name="network errors", measure="count"),
    )  # fmt: skip
    return None if section is None else replace(section, note=_missing(list(hosts)))


def _missing(hosts: list[models.Host]) -> str:
    """What faulted hosts cost in room."""
    away = [host for host in hosts if host.state not in ("up", "")]
    if not away:
        return "all of them up" if any(host.state for host in hosts) else ""
    n_cpus, memory = sum(h.n_cpus or 0 for h in away), sum(h.memory_bytes or 0 for h in away)
    room = f"{n_cpus} CPUs and {memory / GIB:.0f} GiB of memory are missing"
    return f"{len(away)} of {len(hosts)} not up: {room} until mended"


def devices(entity: Entity) -> Section | None:
    """Return a section of it, None where there is none."""
    devices = models.HostDevice.objects.filter(host=entity.pk, entity__retired_at=None)
    rows = [
        Row(
            cells=(device.entity.name, device.volume.entity.name if device.volume else None,
                   device.size_bytes, device.use or None),
            thing_id=device.volume_id, thing_kind=Kind.VOLUME,
        )
        for device in devices.select_related("entity", "volume__entity")
        .order_by("entity__name")[:MOST_ROWS]
    ]  # fmt: skip
    return told(
        "devices", "Devices", rows,
        Column(name="device"), Column(name="is volume"), Column(name="size", measure="bytes"),
        Column(name="the host says"),
    )  # fmt: skip
