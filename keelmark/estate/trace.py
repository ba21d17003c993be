"""The chain of things below one: disk, datastore, volume, pool, drives, array."""

from dataclasses import dataclass, field

from django.contrib.auth.models import User
from django.db.models import Count, QuerySet, Sum

from keelmark.estate import selectors
from keelmark.estate.models import (
    Datastore,
    Drive,
    Entity,
    Extent,
    Kind,
    Pool,
    PoolBacking,
    VirtualDisk,
    VirtualMachine,
    Volume,
)

MAX_DEPTH = 12


@dataclass(slots=True, kw_only=True)
class Knot:
    """One thing of a chain with its bytes, and what it lies on."""

    kind: str
    id: int | None
    name: str
    uid: str
    size_bytes: int | None = None
    used_bytes: int | None = None
    note: str = ""
    below: list["Knot"] = field(default_factory=list)


def find_named(actor: User, *, name: str) -> list[Entity]:
    """Return what this person sees that is called so, or has this uid."""
    return found_of(selectors.entities_for(actor), name=name)


def found_of(seen: QuerySet[Entity], *, name: str) -> list[Entity]:
    """Return what is called so, or has this uid; the kinds that consume come first."""
    found = list(seen.filter(aliases__uid=name)) or list(seen.filter(name=name))
    order = [Kind.VM, Kind.DISK, Kind.DATASTORE, Kind.VOLUME, Kind.POOL]
    return sorted(
        found,
        key=lambda e: (order.index(Kind(e.kind)) if e.kind in order else len(order), e.pk),
    )


def trace(entity: Entity) -> Knot:
    """Return the chain below a thing that was found for its reader."""
    match entity.kind:
        case Kind.VM:
            return _vm(VirtualMachine.objects.select_related("entity", "host__entity",
                       "project__entity").get(pk=entity.pk))  # fmt: skip
        case Kind.DISK:
            return _disk(VirtualDisk.objects.select_related("entity").get(pk=entity.pk))
        case Kind.DATASTORE:
            return _datastore(entity.pk)
        case Kind.VOLUME:
            return _volume(entity.pk, depth=0)
        case Kind.POOL:
            return _pool(entity.pk, depth=0)
    return _knot(entity)


def _knot(entity: Entity, **facts: object) -> Knot:
    return Knot(kind=entity.kind, id=entity.pk, name=entity.name, uid=entity.uid, **facts)  # type: ignore[arg-type]  # by name


def _vm(vm: VirtualMachine) -> Knot:
    told = [vm.power and f"power {vm.power}", vm.host and f"on {vm.host.entity.name}",
            vm.project and vm.project.entity.name]  # fmt: skip
    disks = vm.disks.select_related("entity").filter(entity__retired_at=None)
    return _knot(
        vm.entity, note=", ".join(str(t) for t in told if t), below=[_disk(d) for d in disks]
    )


def _disk(disk: VirtualDisk) -> Knot:
    below = [_datastore(disk.datastore_id)] if disk.datastore_id else []
    told = [disk.provisioning, disk.tier and f"tier {disk.tier}", disk.path]
    return _knot(
        disk.entity,
        size_bytes=disk.size_bytes,
        used_bytes=disk.on_array_bytes,
        note=", ".join(t for t in told if t),
        below=below,
    )


def _datastore(pk: int) -> Knot:
    store = Datastore.objects.select_related("entity").get(pk=pk)
    extents = Extent.objects.filter(datastore=store).order_by("pk")
    below = [
        _volume(x.target_id, depth=0) if x.target_id else _missing(x.wanted_uid) for x in extents
    ]
    note = f"NFS {store.nfs_version} {store.nfs_server}:{store.nfs_path}" if store.nfs_path else (
        store.kind
    )  # fmt: skip
    return _knot(
        store.entity,
        size_bytes=store.size_bytes,
        used_bytes=store.used_bytes,
        note=note,
        below=below,
    )


def _missing(uid: str) -> Knot:
    return Knot(kind="volume", id=None, name=uid, uid=uid, note="no feed tells of it")


def _volume(pk: int, *, depth: int) -> Knot:
    volume = Volume.objects.select_related("entity").filter(pk=pk).first()
    if volume is None:
        return _knot(Entity.objects.get(pk=pk))
    return _knot(
        volume.entity,
        size_bytes=volume.size_bytes,
        used_bytes=volume.written_bytes,
        note=volume.provisioning or "",
        below=[_pool(volume.pool_id, depth=depth + 1)],
    )


def _pool(pk: int, *, depth: int) -> Knot:
    pool = Pool.objects.select_related("entity", "home").get(pk=pk)
    below: list[Knot] = []
    if depth < MAX_DEPTH:
        for backing in PoolBacking.objects.filter(pool=pool):
            lower = (
                _volume(backing.target_id, depth=depth + 1)
                if backing.target_id
                else _missing(backing.wanted_uid)
            )
            lower.note = ", ".join(filter(None, [lower.note, f"side {backing.mirror_side}"]))
            below.append(lower)
    below += [_drives(pool), _knot(pool.home)] if not below else [_knot(pool.home)]
    return _knot(
        pool.entity,
        size_bytes=pool.usable_bytes,
        used_bytes=pool.used_bytes,
        note=", ".join(filter(None, [pool.raid, pool.backing])),
        below=below,
    )


def _drives(pool: Pool) -> Knot:
    """The drives of a pool as one: a planner counts them, and looks at one elsewhere."""
    drives = Drive.objects.filter(pool=pool, entity__retired_at=None)
    told = drives.aggregate(n=Count("pk"), capacity=Sum("capacity_bytes"))
    first = drives.select_related("entity").order_by("entity__name").first()
    last = drives.select_related("entity").order_by("-entity__name").first()
    names = f"{first.entity.name} … {last.entity.name}" if first and last else "none known"
    return Knot(
        kind="drives",
        id=None,
        name=f"{told['n']} drives",
        uid="",
        size_bytes=told["capacity"],
        note=names,
    )
