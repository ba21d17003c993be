"""Moves one part of what a shared pool lies on: a mirror side, or a tier, to another pool."""

from dataclasses import dataclass

from keelmark.core.scenario.moves.base import Ask, Fault, Form, Move, Parts, absent, found, titled
from keelmark.core.scenario.moves.bytes import Migrate
from keelmark.core.scenario.sight import At
from keelmark.core.scenario.stage import Stage


@dataclass(frozen=True, kw_only=True)
class MoveSide(Move):
    """The volumes of one mirror side, or one tier, of a shared pool come to lie elsewhere."""

    kind = "move_side"
    title = "Move a shared pool's side"
    about = "the volumes of one mirror side, or of one tier, come to lie on another pool"
    asks = (
        Ask(name="pool", label="Shared pool", form=Form.THING, kinds=("pool",)),
        Ask(name="side", label="Mirror side", form=Form.NAME, is_optional=True, without="",
            about="nothing: every side"),
        Ask(name="tier", label="Tier", form=Form.NAME, is_optional=True, without="",
            about="nothing: every tier"),
        Ask(name="to", label="To pool", form=Form.THING, kinds=("pool",)),
        Ask(name="n_days", label="Days that both ends hold it", form=Form.DAYS, is_optional=True,
            without=1),
    )  # fmt: skip
    pool: int
    to: int
    side: str = ""
    tier: str = ""
    n_days: int = 1

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        pool, target = found(stage, self.pool), found(stage, self.to)
        backing = _backing(stage, pool)
        if not backing:
            says = f"{titled(stage, self.pool)} lies on no volumes of other pools"
            return [Fault(field="pool", says=(says,), would_be="migrate its volumes instead")]
        if not (self.side or self.tier):
            return [Fault(field="side", says=("neither a side nor a tier is named",),
                          would_be="name one of them")]  # fmt: skip
        moving = self._moving(stage, pool)
        if not moving:
            column = "side" if self.side else "backs_tier"
            known = sorted({word for one in backing if (word := stage.word(one, column))})
            says = f"none of its volumes is of {' and '.join(filter(None, (self.side, self.tier)))}"
            return [Fault(field="side" if self.side else "tier", says=(says,),
                          would_be=f"name one of {', '.join(known)}")]  # fmt: skip
        array = stage.link(target, "array", to="array")
        others = [one for one in backing if one not in moving]
        beside = {stage.word(one, "side") for one in others} - {self.side, None, ""}
        if (
            self.side
            and beside
            and array is not None
            and any(stage.link(one, "array", to="array") == array for one in others)
        ):
            says = f"{stage.name(array)} would hold side {sorted(map(str, beside))[0]} too"
            told.append(
                Fault(field="to", says=(f"{says}: its loss takes both",), is_bar=False,
                      would_be="take a pool of another array")
            )  # fmt: skip
        return told + self._migration(stage, moving).faults(stage)

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        moving = self._moving(stage, found(stage, self.pool))
        self._migration(stage, moving).put(stage, number=number)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        pool = stage.find(self.pool)
        moving = self._moving(stage, pool) if pool else []
        part = " and ".join(
            f"{word} {name}" for word, name in (("side", self.side), ("tier", self.tier)) if name
        )
        title = (f"Move {part} of {titled(stage, self.pool)} to {titled(stage, self.to)}",)
        if not moving or stage.find(self.to) is None:
            return title, ()
        return title, self._migration(stage, moving).says(stage)[1]

    def _moving(self, stage: Stage, pool: At) -> list[At]:
        return [
            one
            for one in _backing(stage, pool)
            if (not self.side or stage.word(one, "side") == self.side)
            and (not self.tier or stage.word(one, "backs_tier") == self.tier)
        ]

    def _migration(self, stage: Stage, moving: list[At]) -> Migrate:
        ids = tuple(stage.id_of(one) for one in moving)
        return Migrate(what=ids, to=self.to, n_days=self.n_days)


def _backing(stage: Stage, pool: At) -> list[At]:
    """The volumes that a pool lies on itself."""
    pairs = stage.draft.pairs("backings")
    rows = pairs.right[pairs.left == pool.row].tolist()
    return [one for row in rows if stage.is_there(one := At("volume", int(row)))]
