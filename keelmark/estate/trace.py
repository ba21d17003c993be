"""The chain of things below one: disk, datastore, volume, pool, drives, array.

A walk shows its reader what they may see and no more: who looks after one tenant learns that
their disks lie on a datastore, and neither how full it is nor whose else lies there.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace

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

MAX_KNOTS = 3000  # a chain that fans out further is cut there, and says so


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


def trace(entity: Entity, *, seen: QuerySet[Entity]) -> Knot:
    """Return the chain below a thing that was found for its reader, who may see `seen`.

    `seen` names retired things too: a chain may lead through what is gone.
    """
    return _Walk(seen).below(entity)


def knot_ids(knot: Knot) -> set[int]:
    """Return the things of a chain."""
    found: set[int] = set()
    left = [knot]
    while left:
        one = left.pop()
        if one.id is not None:
            found.add(one.id)
        left += one.below
    return found


class _Walk:
    """One walk down; what was walked before is not walked again, nor round in a circle."""

    def __init__(self, seen: QuerySet[Entity]) -> None:
        self.seen = seen
        self.n_knots = 0
        self._known: dict[int, tuple[Knot, int]] = {}  # with how many knots it has
        self._path: set[int] = set()
        self._visible: dict[int, bool] = {}

    def below(self, entity: Entity) -> Knot:
        """Return a thing with what it lies on."""
        walks: dict[str, Callable[[int], Knot]] = {
            Kind.VM: self._vm,
            Kind.DISK: self._disk,
            Kind.DATASTORE: self._datastore,
            Kind.VOLUME: self._volume,
            Kind.POOL: self._pool,
        }
        return self._once(entity, walk=walks.get(entity.kind))

    def _once(self, entity: Entity, *, walk: Callable[[int], Knot] | None) -> Knot:
        if not self._may_see(entity.pk):
            return Knot(kind=entity.kind, id=None, name="", uid="", note="not shown to you")
        knot, size = self._known.get(entity.pk, (None, 1))
        stop = self._stop(entity.pk, n_more=size)
        if walk is None or stop:
            return self._counted(_knot(entity, note=stop), size=1)
        if knot is not None:
            return self._counted(knot, size=size)
        before = self.n_knots
        self._path.add(entity.pk)
        knot = self._counted(walk(entity.pk), size=1)
        self._path.discard(entity.pk)
        self._known[entity.pk] = knot, self.n_knots - before
        return knot

    def _stop(self, pk: int, *, n_more: int) -> str:
        if pk in self._path:
            return "goes round in a circle"
        return "not followed further" if self.n_knots + n_more > MAX_KNOTS else ""

    def _counted(self, knot: Knot, *, size: int) -> Knot:
        self.n_knots += size
        return knot

    def _may_see(self, pk: int) -> bool:
        if pk not in self._visible:
            self._visible[pk] = self.seen.filter(pk=pk).exists()
        return self._visible[pk]

    def _vm(self, pk: int) -> Knot:
        vm = VirtualMachine.objects.select_related("entity", "host__entity", "project__entity").get(
            pk=pk
        )
        host = vm.host if vm.host and self._may_see(vm.host.pk) else None
        told = [vm.power and f"power {vm.power}", host and f"on {host.entity.name}",
                vm.project and vm.project.entity.name]  # fmt: skip
        disks = vm.disks.select_related("entity").filter(entity__retired_at=None)
        return _knot(
            vm.entity,
            note=", ".join(str(t) for t in told if t),
            below=[self.below(disk.entity) for disk in disks],
        )

    def _disk(self, pk: int) -> Knot:
        disk = VirtualDisk.objects.select_related("entity", "datastore__entity").get(pk=pk)
        told = [disk.provisioning, disk.tier and f"tier {disk.tier}", disk.path]
        return _knot(
            disk.entity,
            size_bytes=disk.size_bytes,
            used_bytes=disk.on_array_bytes,
            note=", ".join(t for t in told if t),
            below=[self.below(disk.datastore.entity)] if disk.datastore else [],
        )

    def _datastore(self, pk: int) -> Knot:
        store = Datastore.objects.select_related("entity").get(pk=pk)
        extents = Extent.objects.filter(datastore=store).select_related("target").order_by("pk")
        note = (
            f"NFS {store.nfs_version} {store.nfs_server}:{store.nfs_path}"
            if store.nfs_path
            else store.kind
        )
        return _knot(
            store.entity,
            size_bytes=store.size_bytes,
            used_bytes=store.used_bytes,
            note=note,
            below=[self.below(x.target) if x.target else _missing(x.wanted_uid) for x in extents],
        )

    def _volume(self, pk: int) -> Knot:
        volume = (
            Volume.objects.select_related("entity", "pool__entity", "array__entity")
            .filter(pk=pk)
            .first()
        )
        if volume is None:
            return _knot(Entity.objects.get(pk=pk))
        return _knot(
            volume.entity,
            size_bytes=volume.size_bytes,
            used_bytes=volume.written_bytes,
            note=volume.provisioning or "",
            below=[self.below(one.entity) for one in (volume.pool or volume.array,) if one],
        )

    def _pool(self, pk: int) -> Knot:
        pool = Pool.objects.select_related("entity", "home").get(pk=pk)
        below = [
            _of_side(
                self.below(backing.target) if backing.target else _missing(backing.wanted_uid),
                side=backing.mirror_side,
            )
            for backing in PoolBacking.objects.filter(pool=pool).select_related("target")
        ]
        home = self._once(pool.home, walk=None)
        return _knot(
            pool.entity,
            size_bytes=pool.usable_bytes,
            used_bytes=pool.used_bytes,
            note=", ".join(filter(None, [pool.raid, pool.backing])),
            below=[*below, home] if below else [_drives(pool), home],
        )


def _knot(entity: Entity, **facts: object) -> Knot:
    return Knot(kind=entity.kind, id=entity.pk, name=entity.name, uid=entity.uid, **facts)  # type: ignore[arg-type]  # by name


def _of_side(knot: Knot, *, side: object) -> Knot:
    return replace(knot, note=", ".join(filter(None, [knot.note, f"side {side}"])))


def _missing(uid: str) -> Knot:
    return Knot(kind="volume", id=None, name=uid, uid=uid, note="no feed tells of it")


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
