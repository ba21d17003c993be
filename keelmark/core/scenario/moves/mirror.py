"""Moves of mirrors: volumes held at another pool too, or no longer."""

from dataclasses import dataclass
from typing import Final

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
    titled,
)
from keelmark.core.scenario.moves.room import overcommitted
from keelmark.core.scenario.sight import At, Holds
from keelmark.core.scenario.stage import Stage

REPLICAS: Final = "replicas"


@dataclass(frozen=True, kw_only=True)
class Mirror(Move):
    """Volumes are held at another pool too, which takes what they hold and grows as they do."""

    kind = "mirror"
    title = "Mirror volumes"
    about = "another pool holds what they hold, from then on"
    asks = (
        Ask(name="what", label="Volumes", form=Form.THINGS, kinds=("volume",)),
        Ask(name="to", label="At pool", form=Form.THING, kinds=("pool",)),
    )
    what: tuple[int, ...]
    to: int

    def births(self) -> dict[str, int]:
        """Return what it brings: a volume for each."""
        return {"volume": len(self.what)}

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        pool = found(stage, self.to)
        array = stage.link(pool, "array", to="array")
        used, sizes = 0, 0
        for one in self.what:
            volume = found(stage, one)
            held = stage.holds(volume)
            if stage.replicas_of(volume):
                told.append(
                    Fault(field="what", says=(f"{stage.name(volume)} is mirrored already",),
                          would_be="end that mirror first")
                )  # fmt: skip
            elif held is None or stage.amount(volume, "size") is None:
                told.append(
                    Fault(field="what", says=(f"nobody read what {stage.name(volume)} holds",))
                )
            elif array is not None and stage.link(volume, "array", to="array") == array:
                says = f"{stage.name(volume)} lies on {stage.name(array)} too"
                told.append(
                    Fault(field="to", says=(f"{says}: its loss takes both",), is_bar=False,
                          would_be="take a pool of another array")
                )  # fmt: skip
            used += held.used_bytes if held else 0
            sizes += stage.amount(volume, "size") or 0
        told += room_at(stage, pool, added_bytes=used, field="to")
        return told + overcommitted(stage, self.to, sizes, field="to")

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        pool = found(stage, self.to)
        array, site = stage.link(pool, "array", to="array"), stage.link(pool, "site", to="site")
        links = {"pool": pool.row}
        links |= {"array": array.row} if array else {}
        links |= {"site": site.row} if site else {}
        for one in self.what:
            volume, copy = found(stage, one), stage.next_born(number, "volume")
            size, held = stage.amount(volume, "size") or 0, stage.holds(volume)
            stage.bear(
                copy, name=f"{stage.name(volume)}-mirror",
                amounts={"size": size, "used": 0, "mapped": 0, "reserved": 0},
                words={"thickness": stage.word(volume, "thickness") or "thin", "access": "block"},
                links=links,
            )  # fmt: skip
            stage.add(pool, "promised", size)
            stage.pair(REPLICAS, volume, copy)
            if held is not None:
                stage.course(copy, _within(held, size=size))

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (
            (f"Mirror {named(stage, self.what)} at {titled(stage, self.to)}",),
            ("it holds and grows as they do",),
        )


@dataclass(frozen=True, kw_only=True)
class EndMirror(Move):
    """Volumes are mirrored no longer: what held them besides is freed."""

    kind = "end_mirror"
    title = "End mirrors"
    about = "the copies of volumes are freed; the volumes stay"
    asks = (Ask(name="what", label="Volumes", form=Form.THINGS, kinds=("volume",)),)
    what: tuple[int, ...]

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        for one in self.what if not told else ():
            volume = found(stage, one)
            copies = stage.replicas_of(volume)
            if not copies:
                told.append(
                    Fault(field="what", says=(f"{stage.name(volume)} is not mirrored",),
                          would_be="name volumes that are")
                )  # fmt: skip
            for copy in copies:
                if stage.stores_on(copy):
                    told.append(
                        Fault(field="what", says=(f"a datastore lies on {stage.name(copy)}",),
                              would_be="free that datastore first")
                    )  # fmt: skip
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        for one in self.what:
            volume = found(stage, one)
            for copy in stage.replicas_of(volume):
                self._freed(stage, volume, copy)

    def _freed(self, stage: Stage, volume: At, copy: At) -> None:
        size, held = stage.amount(copy, "size") or 0, stage.holds(copy)
        stage.pair(REPLICAS, volume, copy, is_there=False)
        if held is not None:
            stage.course(copy, _within(held, size=size), is_less=True)
        pool = stage.link(copy, "pool", to="pool")
        if pool is not None:
            stage.add(pool, "promised", -size)
        stage.retire(copy)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (f"End the mirrors of {named(stage, self.what)}",), ("their copies are freed",)


def _within(held: Holds, *, size: int) -> Holds:
    """What a copy holds: as much as its volume, never more than its size."""
    used = min(held.used_bytes, size)
    return Holds(used_bytes=used, bytes_per_day=held.bytes_per_day, most_bytes=max(size, used))
