"""What the owners' records say, as an estate file: tenants, tiers, policies, protection, events."""

import json
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from standins.breaches import (
    LABEL,
    LATE_COPY,
    TWO_SIDED,
    VAULT,
    Promised,
    has_failed_backup,
    promised,
)
from standins.compute import TENANTS, Cluster, Machine, bare_port
from standins.demand import Demand
from standins.estate import Estate
from standins.holding import held_bytes

Document = dict[str, Any]  # one line of the file; its schema is published with the product
GIB = 1024**3
TIB = 1024**4
SUSTAINABLE_IOPS = {"heron": 100_000, "avocet": 75_000, "plover": 50_000, "dunlin": 60_000}
ACCOUNT_QUOTA_BYTES = 16 * TIB
NIGHT_HOURS = 2
COPIED_FROM, COPIED_TO = "Skerry", "Marram"
WITHOUT_COPY = 2  # of three
LATE_COPY_MINUTES = 9 * 60  # how old one stays


def write_records(estate: Estate, *, path: Path, now: datetime) -> int:
    """Write the records; return the number of lines."""
    lines = [
        json.dumps(document, separators=(",", ":")) + "\n" for document in records(estate, now=now)
    ]
    fresh = path.with_suffix(".writing")
    fresh.write_text("".join(lines), encoding="utf-8")
    fresh.replace(path)
    return len(lines)


def write_copies(estate: Estate, *, folder: Path, now: datetime) -> Path:
    """Write what the copies did last beside the records, in the place of what it said before."""
    header = {"doc": "header", "format": "keelmark-estate", "version": 1, "source": "copies"}
    lines = [header, *_copies(copied_volumes(estate), now=now)]
    path = folder / f"copies-{now:%Y%m%dT%H%M}.ndjson"
    fresh = path.with_suffix(".writing")
    fresh.write_text(
        "".join(json.dumps(line, separators=(",", ":")) + "\n" for line in lines), encoding="utf-8"
    )
    for old in folder.glob("copies-*.ndjson"):
        old.unlink()
    fresh.replace(path)
    return path


def records(estate: Estate, *, now: datetime) -> Iterator[Document]:
    """Yield the lines, parents first."""
    read_at = now.isoformat()
    yield {"doc": "header", "format": "keelmark-estate", "version": 1, "source": "records"}
    yield from _tenants(read_at)
    yield _account(read_at)
    for array in estate.arrays:
        kind = array.name.split("-")[0]
        yield _about(
            f"serial.{array.serial}",
            read_at,
            sustainable_iops=SUSTAINABLE_IOPS[kind],
            sustainable_bytes_per_second=SUSTAINABLE_IOPS[kind] * 32 * 1024,
        )
    for site in sorted({array.story.site for array in estate.arrays}):
        yield {
            "doc": "host", "uid": f"wwn.{bare_port(site)}", "name": f"{site.lower()}-archive",
            "read_at": read_at, "site": site, "state": "up",
        }  # fmt: skip
    yield from _idle_volumes(estate, now=now)
    copied = copied_volumes(estate)
    yield from _copies(copied, now=now)
    demand = Demand(estate)
    tiers = demand.tiers | demand.odd
    wanted = promised(estate, copied=frozenset(copied))
    for cluster in estate.clusters:
        yield from _cluster(cluster, estate=estate, wanted=wanted, tiers=tiers, now=now)


def _tenants(read_at: str) -> Iterator[Document]:
    for tenant in TENANTS:
        uid = f"id.tenant/{tenant.prefix}"
        yield {
            "doc": "tenant", "uid": uid, "name": tenant.name, "read_at": read_at,
            "quota_bytes": tenant.quota_tib * TIB,
        }  # fmt: skip
        for project in tenant.projects:
            yield {
                "doc": "project", "uid": f"id.project/{tenant.prefix}/{project}",
                "name": f"{tenant.name}: {project}", "read_at": read_at, "tenant_uid": uid,
                "quota_bytes": tenant.quota_tib * TIB // len(tenant.projects),
            }  # fmt: skip


def _account(read_at: str) -> Document:
    """What the owner of the buckets may hold; the object store itself tells no quota."""
    return {
        "doc": "account", "uid": "id.account/satellite", "name": "satellite", "read_at": read_at,
        "quota_bytes": ACCOUNT_QUOTA_BYTES,
    }  # fmt: skip


def _about(uid: str, read_at: str, **says: object) -> Document:
    return {"doc": "about", "uid": uid, "read_at": read_at, "says": says}


def _idle_volumes(estate: Estate, *, now: datetime) -> Iterator[Document]:
    """Every volume's workload; a few have had no I/O for months."""
    number = 0
    for array in estate.arrays:
        if array.story.is_busy:
            continue  # nobody has collected it yet, so nothing is known to add to
        for pool in array.pools:
            for volume in pool.volumes:
                number += 1
                is_idle = number % 37 == 0 and not volume.seen_by
                last = now - timedelta(
                    days=140 + number % 50 if is_idle else 0, minutes=number % 60
                )
                yield _about(
                    f"naa.{volume.naa}",
                    now.isoformat(),
                    workload=volume.name.rsplit("-", 1)[0],
                    last_io_at=last.isoformat(),
                )


def copied_volumes(estate: Estate) -> dict[str, str]:
    """Return which volume has its copy in which: two of three under datastores of one site."""
    stores = [
        store
        for cluster in estate.clusters
        for store in cluster.datastores
        if store.array.story.site == COPIED_FROM and not store.array.story.is_busy
    ]
    taken = {store.volume.naa for cluster in estate.clusters for store in cluster.datastores}
    free = [
        volume
        for array in estate.arrays
        if array.story.site == COPIED_TO and not array.story.is_busy
        for pool in array.pools
        for volume in pool.volumes
        if volume.naa not in taken
    ]
    return {
        store.volume.naa: copy.naa
        for at, (store, copy) in enumerate(zip(stores, free, strict=False))
        if at % 3 != WITHOUT_COPY
    }


def _copies(copied: dict[str, str], *, now: datetime) -> Iterator[Document]:
    """Every copy is minutes old but one, that nothing came to for hours."""
    for at, (naa, copy) in enumerate(copied.items()):
        uid = f"naa.{naa}"
        yield _about(uid, now.isoformat(), replicated_to=[f"naa.{copy}"])
        begun = now - timedelta(minutes=LATE_COPY_MINUTES if at == LATE_COPY else 20 + at % 200)
        yield {
            "doc": "protection", "uid": f"id.copy/{naa}/{begun:%Y%m%d}",
            "of_uid": uid, "job": "over the water", "method": "replication",
            "started_at": begun.isoformat(),
            "ended_at": (begun + timedelta(minutes=6)).isoformat(), "result": "done",
        }  # fmt: skip


def _cluster(
    cluster: Cluster,
    *,
    estate: Estate,
    wanted: Promised,
    tiers: dict[str, str],
    now: datetime,
) -> Iterator[Document]:
    story = cluster.story
    for number in range(1, story.n_hosts + 1):
        if number == story.faulted_host:
            yield {
                "doc": "host", "uid": f"wwn.{cluster.port_of(number)}",
                "name": cluster.host_name(number), "read_at": now.isoformat(),
                "cluster_uid": f"id.cluster/{story.name}", "state": "faulted",
                "n_network_errors": 18_244,
            }  # fmt: skip
        else:
            yield _about(
                f"wwn.{cluster.port_of(number)}", now.isoformat(), n_network_errors=number * 3
            )
    if story.shared_pool:
        yield from _shared_pool(cluster, now=now)
    day = estate.day_of(now)
    for at, machine in enumerate(cluster.machines):
        if machine.host == story.faulted_host:
            continue
        yield from _machine(machine, at=at, wanted=wanted, tiers=tiers, day=day, now=now)


def _shared_pool(cluster: Cluster, *, now: datetime) -> Iterator[Document]:
    """A pool that the hosts build over four volumes, two a side; one of side B is lost.

    A volume of it carries a datastore, and that a VM that is promised two sides.
    """
    volumes = cluster.spare_volumes
    lost = "naa.3" + "0" * 15
    names = [f"naa.{v.naa}" for v in volumes[:3]] + [lost]
    size = sum(v.size_bytes for v in volumes[:2])
    name, read_at, used = f"{cluster.story.name}-shared", now.isoformat(), size * 46 // 100
    yield {
        "doc": "pool", "uid": f"id.pool/{name}", "name": name, "read_at": read_at,
        "cluster_uid": f"id.cluster/{cluster.story.name}", "backing": "shared",
        "usable_bytes": size, "used_bytes": used, "provisioned_bytes": size * 71 // 100,
        "service_class": "Steady",
        "backed_by": [
            {"volume_uid": uid, "mirror_side": "AB"[at // 2], "tier": "Steady"}
            for at, uid in enumerate(names)
        ],
    }  # fmt: skip
    yield {
        "doc": "volume", "uid": f"id.volume/{name}-01", "name": f"{name}-01", "read_at": read_at,
        "pool_uid": f"id.pool/{name}", "size_bytes": size * 71 // 100, "written_bytes": used,
        "provisioning": "thin", "access": "block", "is_mapped": True,
    }  # fmt: skip
    yield {
        "doc": "datastore", "uid": f"id.datastore/{name}-01", "name": f"{name}-01",
        "read_at": read_at, "kind": "block", "size_bytes": size * 71 // 100, "used_bytes": used,
        "cluster_uid": f"id.cluster/{cluster.story.name}", "extents": [f"id.volume/{name}-01"],
    }  # fmt: skip
    vault = f"id.vm/{VAULT}"
    yield {
        "doc": "vm", "uid": vault, "name": VAULT, "read_at": read_at, "power": "on", "n_cpus": 4,
        "memory_bytes": 16 * GIB, "cluster_uid": f"id.cluster/{cluster.story.name}",
        "project_uid": "id.project/shore-office/books", "policy": TWO_SIDED,
    }  # fmt: skip
    yield {
        "doc": "disk", "uid": f"{vault}:vda", "name": f"{VAULT} vda", "read_at": read_at,
        "vm_uid": vault, "datastore_uid": f"id.datastore/{name}-01", "size_bytes": size // 2,
        "inside_bytes": used, "on_array_bytes": used, "provisioning": "thin",
    }  # fmt: skip


def _machine(
    machine: Machine,
    *,
    at: int,
    wanted: Promised,
    tiers: dict[str, str],
    day: float,
    now: datetime,
) -> Iterator[Document]:
    uid = f"uuid.{machine.uuid}"
    says: Document = {
        "project_uid": f"id.project/{machine.tenant.prefix}/{machine.project}",
        "policy": wanted.policies[machine.uuid],
    }
    if machine.off_days:
        says["power_since_at"] = (now - timedelta(days=machine.off_days)).isoformat()
    yield _about(uid, now.isoformat(), **says)
    for number, disk in enumerate(machine.disks):
        volume = disk.datastore.volume
        held = held_bytes(disk, written=int(volume.curve_bytes[int(day)]))
        guest = int(held * disk.guest_share)
        disk_uid = f"path.{machine.uuid}:{disk.slot}"
        yield _about(
            disk_uid,
            now.isoformat(),
            **({"tier": tiers[disk_uid]} if disk_uid in tiers else {}),
            **({"labels": [LABEL]} if disk_uid in wanted.labelled else {}),
            inside_bytes=guest,
            unshared_bytes=held,
            guest_file_systems=[
                {"path": "/" if number == 0 else f"/data{number}", "size_bytes": disk.size_bytes,
                 "used_bytes": guest}
            ],
        )  # fmt: skip
    for name, days_back, _ in machine.snapshots:
        # What was overwritten since: the older one, the more.
        yield _about(
            f"path.{machine.uuid}:snapshot:{name}",
            now.isoformat(),
            unshared_bytes=(at % 17 + 3) * (days_back + 2) * GIB // 4,
        )
    if machine.is_on:
        yield _backup(machine, at=at, now=now)
    if at % 173 == 7:
        yield {
            "doc": "event", "uid": f"id.event/{machine.name}/made", "of_uid": uid,
            "at": (now - timedelta(days=20 + at % 300)).replace(tzinfo=UTC).isoformat(),
            "what": "created", "by": "m.terne",
        }  # fmt: skip


def _backup(machine: Machine, *, at: int, now: datetime) -> Document:
    begun = (now - timedelta(days=1)).replace(hour=NIGHT_HOURS, minute=at % 60, second=0)
    return {
        "doc": "protection",
        "uid": f"id.backup/{machine.name}/{begun:%Y%m%d}",
        "of_uid": f"uuid.{machine.uuid}",
        "job": "nightly",
        "method": "backup",
        "started_at": begun.isoformat(),
        "ended_at": (begun + timedelta(minutes=3 + at % 40)).isoformat(),
        "result": "failed" if has_failed_backup(at) else "done",
        "n_bytes": (at % 23 + 1) * 1024**3,
    }
