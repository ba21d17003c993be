"""Moves of work that is there: disks resized, volumes cloned, snapshots taken of them."""

from dataclasses import dataclass
from typing import Final

from keelmark.core.policy.nearest import PLANNED_SNAPSHOTS
from keelmark.core.scenario.moves.base import (
    Ask,
    Fault,
    Form,
    Move,
    Parts,
    absent,
    found,
    named,
    room_at,
)
from keelmark.core.scenario.moves.room import overcommitted
from keelmark.core.scenario.sight import At, Holds
from keelmark.core.scenario.stage import Stage
from keelmark.core.units import PERCENT, percent_of

MINUTES_AN_HOUR: Final = 60
MOST_CLONES: Final = 500  # of one volume, by one move
CLONE_OF: Final = "clone_of"  # of a volume that is born: the id of its source


@dataclass(frozen=True, kw_only=True)
class Resize(Move):
    """Disks come to be larger or smaller, by a share of what they are."""

    kind = "resize"
    title = "Grow or shrink work"
    about = "disks of VMs come to be larger or smaller; what is written on them stays"
    asks = (
        Ask(name="what", label="What", form=Form.THINGS, kinds=("vm", "disk", "datastore"),
            about="of a datastore, all disks on it"),
        Ask(name="size_percent", label="New size, in percent of what it is", form=Form.COUNT),
    )  # fmt: skip
    what: tuple[int, ...]
    size_percent: int

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        disks = self._disks(stage)
        if not disks:
            return [Fault(field="what", says=("none of it has a disk",), would_be="name others")]
        more: dict[At, int] = {}
        for disk in disks:
            size, held = stage.amount(disk, "size"), stage.holds(disk)
            if size is None:
                told.append(Fault(field="what", says=(f"nobody read {stage.name(disk)}",)))
            elif held is not None and held.used_bytes > self._new(size):
                told.append(
                    Fault(field="size_percent",
                          says=(f"{stage.name(disk)} holds ", held.used_bytes, " by then"),
                          would_be="leave it that much, or free some of it first")
                )  # fmt: skip
            elif (store := _store(stage, disk)) and _is_thick(stage, disk):
                more[store] = more.get(store, 0) + self._new(size) - size
        for store, added in more.items():
            if added > 0:
                told += room_at(stage, store, added_bytes=added, field="size_percent")
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        for disk in self._disks(stage):
            size, store = stage.amount(disk, "size"), _store(stage, disk)
            more = 0 if size is None else self._new(size) - size
            if more == 0:
                continue
            stage.add(disk, "size", more)
            if store is None:
                continue
            stage.add(store, "promised", more)
            if _is_thick(stage, disk):
                held = Holds(used_bytes=abs(more), bytes_per_day=0.0, most_bytes=abs(more))
                stage.course_of(disk, held, is_less=more < 0)
                stage.course(store, held, is_less=more < 0)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        disks = self._disks(stage) if all(stage.find(one) for one in self.what) else []
        sizes = [stage.amount(one, "size") or 0 for one in disks]
        more = sum(self._new(one) - one for one in sizes)
        word = "Shrink" if self.size_percent < PERCENT else "Grow"
        return (
            (f"{word} {named(stage, self.what)} to {self.size_percent} %",),
            (f"{len(disks)} disks, ", more, " promised"),
        )

    def _new(self, size: int) -> int:
        return percent_of(size, self.size_percent)

    def _disks(self, stage: Stage) -> list[At]:
        told: list[At] = []
        for one in self.what:
            # What another move places is all that it bears, whatever it bears first.
            some = stage.all_born(-one, "vm") if one < 0 else []
            for at in some or [found(stage, one)]:
                if at.kind == "disk":
                    told.append(at)
                else:
                    told += stage.linked("disk", at.kind, to=at)
        return list(dict.fromkeys(told))


def _store(stage: Stage, disk: At) -> At | None:
    return stage.link(disk, "datastore", to="datastore")


def _is_thick(stage: Stage, disk: At) -> bool:
    return stage.word(disk, "thickness") == "thick"


@dataclass(frozen=True, kw_only=True)
class TakeSnapshots(Move):
    """Snapshots are taken of volumes, and kept: what is written meanwhile is held besides."""

    kind = "take_snapshots"
    title = "Take snapshots"
    about = "of volumes, every so long, kept for so long; what is written meanwhile is held besides"
    asks = (
        Ask(name="what", label="Of", form=Form.THINGS, kinds=("volume", "datastore"),
            about="of a datastore, all volumes under it"),
        Ask(name="every_hours", label="Every so many hours", form=Form.COUNT),
        Ask(name="kept_days", label="Kept for so many days", form=Form.COUNT),
        Ask(name="changes_percent", label="Of its bytes, rewritten a day, in percent",
            form=Form.PERCENT, is_optional=True, without=3),
    )  # fmt: skip
    what: tuple[int, ...]
    every_hours: int
    kept_days: int
    changes_percent: int = 3

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        volumes = self._volumes(stage)
        if not volumes:
            return [Fault(field="what", says=("no volume of it is known",), would_be="name others")]
        by_pool: dict[At, int] = {}
        for volume in volumes:
            held, pool = self._held(stage, volume), stage.link(volume, "pool", to="pool")
            if held is None or pool is None:
                told.append(
                    Fault(field="what", is_bar=False,
                          says=(f"nobody read what {stage.name(volume)} holds",))
                )  # fmt: skip
            else:
                by_pool[pool] = by_pool.get(pool, 0) + held.most_bytes
        for pool, most in by_pool.items():
            told += room_at(stage, pool, added_bytes=most, field="kept_days")
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it: what they hold grows until the first of them lapse."""
        del number
        for volume in self._volumes(stage):
            stage.set_word(volume, PLANNED_SNAPSHOTS, str(self.every_hours * MINUTES_AN_HOUR))
            held, pool = self._held(stage, volume), stage.link(volume, "pool", to="pool")
            if held is not None and pool is not None:
                stage.course(pool, held)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        volumes = self._volumes(stage) if all(stage.find(one) for one in self.what) else []
        most = sum(one.most_bytes for at in volumes if (one := self._held(stage, at)))
        return (
            (f"Take snapshots of {named(stage, self.what)}",),
            (f"every {self.every_hours} h, kept {self.kept_days} d, ", most, " in the end"),
        )

    def _volumes(self, stage: Stage) -> list[At]:
        told: list[At] = []
        for one in self.what:
            at = found(stage, one)
            if at.kind == "volume":
                told.append(at)
            else:
                told += [under for under, _ in stage.below(at)
                         if under.kind == "volume" and at in stage.stores_on(under)]  # fmt: skip
        return list(dict.fromkeys(told))

    def _held(self, stage: Stage, volume: At) -> Holds | None:
        """What its snapshots come to hold: what is rewritten while they are kept."""
        held = stage.holds(volume)
        if held is None:
            return None
        a_day = percent_of(held.used_bytes, self.changes_percent)
        return Holds(used_bytes=0, bytes_per_day=float(a_day), most_bytes=a_day * self.kept_days)


@dataclass(frozen=True, kw_only=True)
class CloneVolume(Move):
    """Copies of a volume that share with it what they do not change."""

    kind = "clone_volume"
    title = "Clone a volume"
    about = "copies at the array that share with it what they do not change"
    asks = (
        Ask(name="volume", label="Volume", form=Form.THING, kinds=("volume",)),
        Ask(name="n_copies", label="How many", form=Form.COUNT),
        Ask(name="name", label="Called", form=Form.NAME, about="with a number behind"),
        Ask(name="diverges_percent", label="Of its bytes that each changes", form=Form.PERCENT,
            is_optional=True, without=10),
    )  # fmt: skip
    volume: int
    n_copies: int
    name: str
    diverges_percent: int = 10

    def births(self) -> dict[str, int]:
        """Return what it brings."""
        return {"volume": self.n_copies}

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        source = found(stage, self.volume)
        pool, held = stage.link(source, "pool", to="pool"), stage.holds(source)
        if self.n_copies > MOST_CLONES:
            told.append(Fault(field="n_copies", says=(f"more than {MOST_CLONES} at once",),
                              would_be="clone fewer"))  # fmt: skip
        if pool is None or held is None or stage.amount(source, "size") is None:
            says = f"nobody read what {stage.name(source)} holds, or of which pool it is"
            return [*told, Fault(field="volume", says=(says,), would_be="name another")]
        names = {stage.name(one) for one in stage.linked("volume", "pool", to=pool)}
        if taken := sorted(names & set(self._names())):
            told.append(
                Fault(field="name", says=(f"{stage.name(pool)} has a volume {taken[0]}",),
                      would_be="take another name")
            )  # fmt: skip
        added = self.n_copies * percent_of(held.used_bytes, self.diverges_percent)
        told += room_at(stage, pool, added_bytes=added, field="n_copies")
        size = stage.amount(source, "size") or 0
        pool_id = stage.id_of(pool)
        return told + overcommitted(stage, pool_id, self.n_copies * size, field="n_copies")

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it: a clone promises all of its size, and holds what it changes."""
        source = found(stage, self.volume)
        pool, held = stage.link(source, "pool", to="pool"), stage.holds(source)
        size = stage.amount(source, "size") or 0
        if pool is None or held is None:
            return
        first = percent_of(held.used_bytes, self.diverges_percent)
        links = {
            name: to.row
            for name in ("pool", "array", "site")
            if (to := stage.link(source, name, to=name))
        }
        for name in self._names():
            clone = stage.next_born(number, "volume")
            stage.bear(
                clone, name=name,
                amounts={"size": size, "used": 0, "mapped": 0, "reserved": 0},
                words={"thickness": "thin", "access": stage.word(source, "access") or "block",
                       CLONE_OF: str(self.volume)}, links=links,
            )  # fmt: skip
            stage.add(pool, "promised", size)
            stage.course(clone, Holds(used_bytes=first, bytes_per_day=0.0, most_bytes=size))

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (
            (f"Clone {named(stage, (self.volume,))} {self.n_copies} times",),
            (f"{self.name}-1 …, each changes {self.diverges_percent} % of it",),
        )

    def _names(self) -> list[str]:
        return [f"{self.name}-{at}" for at in range(1, self.n_copies + 1)]
