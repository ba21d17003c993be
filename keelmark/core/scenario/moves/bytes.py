"""Moves of bytes that there are: freed, moved elsewhere, grown otherwise."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

from keelmark.core.scenario.moves.base import (
    DAYS_A_WEEK,
    Ask,
    Fault,
    Form,
    Move,
    Parts,
    absent,
    found,
    holds_still,
    named,
    room_at,
    titled,
)
from keelmark.core.scenario.sight import At, Holds
from keelmark.core.scenario.stage import Stage
from keelmark.core.units import EIB


@dataclass(frozen=True, kw_only=True)
class Free(Move):
    """Things go, and their bytes come back."""

    kind = "free"
    title = "Free"
    about = "things go, and their bytes come back"
    asks = (
        Ask(name="what", label="What goes", form=Form.THINGS,
            kinds=("vm", "disk", "volume", "datastore", "snapshot", "file")),
    )  # fmt: skip
    what: tuple[int, ...]

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        going = {found(stage, one) for one in self.what}
        for at in going:
            if at.kind == "datastore":
                held = [one for one in stage.linked("disk", "datastore", to=at) if one not in going]
                told += holds_still(stage, at, held, of="disk", field="what")
            elif at.kind == "volume":
                held = [one for one in stage.stores_on(at) if one not in going]
                told += holds_still(stage, at, held, of="datastore", field="what")
                told += _carries_still(stage, at)
                if not told and stage.amount(at, "mapped"):
                    says = f"{stage.name(at)} is mapped: a host may use it"
                    told.append(Fault(field="what", says=(says,), is_bar=False))
            elif at.kind == "vm" and stage.word(at, "power") == "on":
                told.append(Fault(field="what", says=(f"{stage.name(at)} is on",), is_bar=False))
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        for one in self.what:
            at = stage.find(one)
            if at is not None and stage.is_there(at):  # a disk goes with its VM
                free(stage, at)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        n = len(self.what)
        kinds = {at.kind for one in self.what if (at := stage.find(one))}
        what = _SAID.get(next(iter(kinds)), next(iter(kinds))) if len(kinds) == 1 else "thing"
        freed = sum(freed_bytes(stage, at) for one in self.what if (at := stage.find(one)))
        return (
            (f"Free {named(stage, self.what) if n == 1 else f'{n} {what}s'}",),
            ("" if n == 1 else f"{named(stage, self.what)}: ", -freed, ""),
        )


_SAID: Final = {"vm": "VM"}


def _carries_still(stage: Stage, volume: At) -> list[Fault]:
    """A shared pool loses data where a volume under it goes."""
    some = ", ".join(f"pool {stage.name(one)}" for one in stage.pools_on(volume))
    return (
        [
            Fault(
                field="what",
                says=(f"{stage.name(volume)} carries {some}: its data would be lost",),
                would_be="move that side elsewhere, or end the pool first",
            )
        ]
        if some
        else []
    )


def free(stage: Stage, at: At) -> None:
    """Write that a thing goes with all that is of it alone."""
    _FREE[at.kind](stage, at)
    if stage.is_there(at):
        stage.retire(at)


def _free_vm(stage: Stage, vm: At) -> None:
    for kind in ("snapshot", "disk"):
        for one in stage.linked(kind, "vm", to=vm):
            free(stage, one)


def _free_disk(stage: Stage, disk: At) -> None:
    _take_off_store(stage, disk)
    _take_off_wholes(stage, disk)


def _take_off_wholes(stage: Stage, at: At) -> None:
    """Write that a thing holds nothing more, for wholes whose own futures have it."""
    if (held := stage.holds(at)) is not None:
        stage.course_of(at, held, is_less=True)


def _free_volume(stage: Stage, volume: At) -> None:
    for one in stage.linked("snapshot", "volume", to=volume):
        stage.retire(one)
    _take_off_pool(stage, volume)


def _free_store(stage: Stage, store: At) -> None:
    for volume, _ in stage.below(store):
        if volume.kind == "volume" and stage.stores_on(volume) == [store]:
            free(stage, volume)
    _take_off_wholes(stage, store)


def _free_held(stage: Stage, at: At) -> None:
    """A snapshot or a file: what it alone holds goes from where it lies."""
    under, held = _place_of(stage, at), freed_bytes(stage, at)
    if under is not None:
        stage.course(
            under, Holds(used_bytes=held, bytes_per_day=0.0, most_bytes=held), is_less=True
        )


_FREE: Final = {
    "vm": _free_vm, "disk": _free_disk, "volume": _free_volume, "datastore": _free_store,
    "snapshot": _free_held, "file": _free_held,
}  # fmt: skip


def freed_bytes(stage: Stage, at: At) -> int:
    """Return how many bytes come back where a thing goes, as it stands on the day."""
    if at.kind == "vm":
        return sum(
            freed_bytes(stage, one)
            for kind in ("disk", "snapshot")
            for one in stage.linked(kind, "vm", to=at)
        )
    if at.kind == "file":
        return stage.amount(at, "size") or 0
    if at.kind == "snapshot":
        return stage.amount(at, "used") or 0
    held = stage.holds(at)
    return held.used_bytes if held else 0


def _place_of(stage: Stage, at: At) -> At | None:
    if at.kind == "file":
        return stage.link(at, "datastore", to="datastore")
    volume = stage.link(at, "volume", to="volume")
    if volume is not None:
        return stage.link(volume, "pool", to="pool")
    vm = stage.link(at, "vm", to="vm")
    disks = [] if vm is None else stage.linked("disk", "vm", to=vm)
    return stage.link(disks[0], "datastore", to="datastore") if disks else None


def _take_off_store(stage: Stage, disk: At, *, day: int | None = None) -> None:
    """Write that a disk's bytes leave its datastore and all below it."""
    store, held = stage.link(disk, "datastore", to="datastore"), stage.holds(disk)
    if store is None:
        return
    if held is not None:
        stage.course(store, _later(stage, held, day=day), is_less=True, day=day)
    if (size := stage.amount(disk, "size")) is not None:
        stage.add(store, "promised", -size)


def _take_off_pool(stage: Stage, volume: At, *, day: int | None = None) -> None:
    """Write that a volume's bytes leave its pool and all below it."""
    pool = stage.link(volume, "pool", to="pool")
    if pool is None:
        return
    if stage.is_drawn(volume, pool):  # its bytes go back to the allotment: they are held as before
        stage.give_back(volume, n_bytes=stage.amount(volume, "size") or 0)
        return
    if (held := on_pool(stage, volume)) is not None:
        stage.course(pool, _later(stage, held, day=day), is_less=True, day=day)
    if (size := stage.amount(volume, "size")) is not None:
        stage.add(pool, "promised", -size)


def _later(stage: Stage, held: Holds, *, day: int | None) -> Holds:
    """Return what holds bytes now as it will hold them on a later day."""
    days = 0 if day is None else day - stage.day
    grown = round(held.used_bytes + days * held.bytes_per_day)
    return replace(held, used_bytes=min(grown, held.most_bytes))


def on_pool(stage: Stage, volume: At) -> Holds | None:
    """Return what a volume takes of its pool: what is written, its snapshots, all if thick."""
    held, size = stage.holds(volume), stage.amount(volume, "size")
    if stage.word(volume, "thickness") == "thick" and size is not None:
        held = Holds(used_bytes=size, bytes_per_day=0.0, most_bytes=size)
    if held is None:
        return None
    more = stage.amount(volume, "snapshots") or 0
    return replace(held, used_bytes=held.used_bytes + more, most_bytes=held.most_bytes + more)


@dataclass(frozen=True, kw_only=True)
class Migrate(Move):
    """Things come to lie elsewhere; while they are copied, both ends hold them."""

    kind = "migrate"
    title = "Migrate"
    about = "things come to lie elsewhere; while they are copied, both ends hold them"
    asks = (
        Ask(name="what", label="What moves", form=Form.THINGS,
            kinds=("vm", "disk", "volume", "datastore")),
        Ask(name="to", label="To", form=Form.THING, kinds=("datastore", "pool"),
            about="VMs and disks go to a datastore, volumes and datastores to a pool"),
        Ask(name="n_days", label="Days that both ends hold it", form=Form.DAYS, is_optional=True,
            without=1),
    )  # fmt: skip
    what: tuple[int, ...]
    to: int
    n_days: int = 1

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        target = found(stage, self.to)
        wanted = ("vm", "disk") if target.kind == "datastore" else ("volume", "datastore")
        for one in self.what:
            at = found(stage, one)
            if at.kind not in wanted:
                told.append(
                    Fault(
                        field="to",
                        says=(
                            f"{stage.name(at)} is a {at.kind}, {stage.name(target)} "
                            f"a {target.kind}",
                        ),
                        would_be="VMs and disks go to a datastore, volumes and datastores to a "
                        "pool",
                    )
                )
        if told:
            return told
        moved = self._moved(stage, target)
        if not moved:
            return [Fault(field="what", says=(f"all of it lies on {stage.name(target)} already",),
                          would_be="name another place")]  # fmt: skip
        told += _out_of_sight(stage, moved, target)
        unread = [one for one in moved if _taken(stage, one) is None]
        if unread:
            told.append(
                Fault(field="what", is_bar=False,
                      says=(f"nobody read {stage.name(unread[0])}: what it holds is not known",))
            )  # fmt: skip
        added = sum(held.used_bytes for one in moved if (held := _taken(stage, one)))
        return told + room_at(stage, target, added_bytes=added, field="to")

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it: the new place holds it from its day, the old one until the copy is done."""
        del number
        target, until = found(stage, self.to), stage.day + self.n_days
        for one in self._moved(stage, target):
            held, size = _taken(stage, one), stage.amount(one, "size")
            take_off = _take_off_store if one.kind == "disk" else _take_off_pool
            take_off(stage, one, day=until)
            if held is not None:
                stage.course(target, held)
            if size is not None:
                stage.add(target, "promised", size)
            stage.move(one, "datastore" if one.kind == "disk" else "pool", to=target)
            if one.kind == "volume":
                stage.move(one, "array", to=stage.link(target, "array", to="array"))

    def _moved(self, stage: Stage, target: At) -> list[At]:
        """The disks or volumes that lie elsewhere yet."""
        told: list[At] = []
        for thing in self.what:
            at = found(stage, thing)
            if at.kind == "vm":
                told += stage.linked("disk", "vm", to=at)
            elif at.kind == "datastore":
                told += [one for one, _ in stage.below(at) if one.kind == "volume"
                         and at in stage.stores_on(one)]  # fmt: skip
            else:
                told.append(at)
        kind, link = ("disk", "datastore") if target.kind == "datastore" else ("volume", "pool")
        return [
            one
            for one in dict.fromkeys(told)
            if one.kind == kind and stage.link(one, link, to=target.kind) != target
        ]

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        target = stage.find(self.to)
        moved = self._moved(stage, target) if target and self._is_known(stage) else []
        held = sum(one.used_bytes for at in moved if (one := _taken(stage, at)))
        n = len(self.what)
        what = named(stage, self.what) if n == 1 else f"{n} things"
        return (
            (f"Migrate {what} to {titled(stage, self.to)}",),
            ("" if n == 1 else f"{named(stage, self.what)}: ", held,
             f", both ends hold it for {self.n_days} d" if self.n_days else ""),
        )  # fmt: skip

    def _is_known(self, stage: Stage) -> bool:
        return all(stage.find(one) for one in self.what)


def _out_of_sight(stage: Stage, disks: Sequence[At], store: At) -> list[Fault]:
    """What runs where no host sees the datastore to which its disks go."""
    own = stage.link(store, "cluster", to="cluster") if store.kind == "datastore" else None
    if own is None:
        return []
    vms = {one for disk in disks if (one := stage.link(disk, "vm", to="vm"))}
    run_by = {one for vm in vms if (one := stage.link(vm, "cluster", to="cluster"))}
    others = run_by - {own}  # who else sees it is looked for where it matters
    blind = others.difference(stage.served_by(store)) if others else ()
    names = " and ".join(sorted(stage.name(one) for one in blind))
    return (
        [
            Fault(
                field="to", is_bar=False,
                says=(f"not all hosts of {names} see {stage.name(store)}",),
                would_be="mount it there first",
            )
        ]
        if names
        else []
    )  # fmt: skip


def _taken(stage: Stage, at: At) -> Holds | None:
    return on_pool(stage, at) if at.kind == "volume" else stage.holds(at)


@dataclass(frozen=True, kw_only=True)
class ChangeGrowth(Move):
    """A thing grows faster or slower than its forecast says, from a day on."""

    kind = "change_growth"
    title = "Change growth"
    about = "a thing grows faster or slower than its forecast says"
    asks = (
        Ask(name="thing", label="What", form=Form.THING,
            kinds=("pool", "datastore", "volume", "disk")),
        Ask(name="bytes_a_week", label="More, or fewer, a week", form=Form.BYTES_A_WEEK),
    )  # fmt: skip
    thing: int
    bytes_a_week: int

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if not told and stage.holds(found(stage, self.thing)) is None:
            told.append(Fault(field="thing", says=("nobody read what it holds",)))
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it: until a datastore, volume or disk is full; less of it until nothing is left."""
        del number
        at = found(stage, self.thing)
        held = stage.holds(at)
        if held is None:
            return
        is_less = self.bytes_a_week < 0
        most = held.used_bytes if is_less else max(held.most_bytes - held.used_bytes, 0)
        if at.kind == "pool" and not is_less:
            most = EIB  # a pool may be extended later: what is asked of it ends nowhere
        pace = abs(self.bytes_a_week) / DAYS_A_WEEK
        stage.course(at, Holds(used_bytes=0, bytes_per_day=pace, most_bytes=most), is_less=is_less)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        word = "slower" if self.bytes_a_week < 0 else "faster"
        return (
            (f"{titled(stage, self.thing)} grows {word}",),
            (self.bytes_a_week, " a week beside its forecast"),
        )
