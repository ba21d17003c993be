"""Moves that end or bound things: a pool or an array retired, a quota set."""

from dataclasses import dataclass

from keelmark.core.scenario.moves.base import (
    Ask,
    Fault,
    Form,
    Move,
    Parts,
    absent,
    found,
    titled,
)
from keelmark.core.scenario.stage import At, Stage


@dataclass(frozen=True, kw_only=True)
class RetirePlace(Move):
    """A pool, or an array with all its pools, is there no longer; it must be empty by then."""

    kind = "retire"
    title = "Retire a pool or array"
    about = "it must be empty by then"
    asks = (Ask(name="place", label="What", form=Form.THING, kinds=("pool", "array")),)
    place: int

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        for pool in self._pools(stage):
            held = stage.linked("volume", "pool", to=pool)
            if held:
                some = ", ".join(stage.name(one) for one in held[:3])
                told.append(
                    Fault(
                        field="place",
                        says=(f"{stage.name(pool)} holds {len(held)} volumes still: {some}",),
                        would_be="migrate or free them first",
                    )
                )
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        place = found(stage, self.place)
        for one in dict.fromkeys((*self._pools(stage), place)):
            stage.retire(one)

    def _pools(self, stage: Stage) -> list[At]:
        place = found(stage, self.place)
        return [place] if place.kind == "pool" else stage.linked("pool", "array", to=place)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (f"Retire {titled(stage, self.place)}",), ("empty by then",)


@dataclass(frozen=True, kw_only=True)
class SetQuota(Move):
    """A tenant, project or account may hold so much."""

    kind = "set_quota"
    title = "Set a quota"
    about = "a tenant, project or account may hold so much"
    asks = (
        Ask(name="of", label="Of", form=Form.THING, kinds=("tenant", "project", "account")),
        Ask(name="quota_bytes", label="Quota", form=Form.BYTES),
    )
    of: int
    quota_bytes: int

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        return absent(stage, self)

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        stage.set(found(stage, self.of), "quota", self.quota_bytes)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (f"Quota of {titled(stage, self.of)}",), (self.quota_bytes,)
