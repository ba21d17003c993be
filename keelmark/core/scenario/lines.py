"""How steps of one move are written: what they are of, by name and id, and their values."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Final

from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.estate import Estate
from keelmark.core.scenario.compiling import FIRST_BORN_ID
from keelmark.core.scenario.effects import (
    Born,
    Effect,
    OfRow,
    SetPair,
    SetTier,
)
from keelmark.core.scenario.steps import Step, StepKind, Value, Values

_SEVERAL: Final = frozenset({StepKind.DEPLOY_VMS, StepKind.ADD_HOSTS, StepKind.CLONE_VOLUME})


@dataclass(frozen=True, slots=True)
class Of:
    """A row on a day, of which a step is."""

    day: int
    kind: str
    row: int


@dataclass(frozen=True, slots=True)
class Before:
    """What earlier moves have left: sizes, what they brought, and the volumes under datastores."""

    sizes: dict[tuple[str, int], int] = field(default_factory=dict)
    born: dict[tuple[str, int], Born] = field(default_factory=dict)
    under: dict[int, list[int]] = field(default_factory=dict)


class Lines:
    """What a move does to the columns, and how a step of it is told."""

    def __init__(
        self, estate: Estate, number: int, effects: Sequence[Effect], *, before: Before
    ) -> None:  # fmt: skip
        self.estate, self.number = estate, number
        self.sizes, self.before = before.sizes, before
        self.effects = [one for one in effects if isinstance(one, OfRow)]
        self.tiers = [one for one in effects if isinstance(one, SetTier)]
        self.pairs = [one for one in effects if isinstance(one, SetPair)]
        self.born = {(one.kind, one.row): one for one in effects if isinstance(one, Born)}
        before.born.update(self.born)
        self.sizes.update({at: one.amounts["size"] for at, one in self.born.items()
                           if "size" in one.amounts})  # fmt: skip
        for one in self.pairs:
            if one.kind == "extents":
                before.under.setdefault(one.left, []).append(one.right)

    def _step(
        self, one: OfRow | Of, kind: StepKind, title: str, values: Values, *,
        amount: int | None = None, loses: tuple[str, ...] = (),
    ) -> Step:  # fmt: skip
        known = self._known(one.kind, one.row)
        if not known and kind not in _SEVERAL:
            values = {"name": self.estate.table(one.kind).names[one.row], **values}
        return Step(
            move=self.number, day=one.day, kind=kind, subject=known or None,
            subject_kind=one.kind, title=(title,) if amount is None else (title, amount),
            values={name: told for name, told in values.items() if told != ""}, loses=loses,
        )  # fmt: skip

    def _named(self, one: OfRow | Of) -> str:
        told = self.estate.table(one.kind).names[one.row]
        if one.kind != "pool":
            return told
        array = int(self.estate.table("pool").links["array"][one.row])
        return told if array == NOWHERE else f"{self.estate.table('array').names[array]} · {told}"

    def _name(self, link: str, one: Born) -> str:
        row = one.links.get(link, NOWHERE)
        return "" if row == NOWHERE else self.estate.table(link).names[row]

    def _id(self, link: str, one: Born) -> Value:
        row = one.links.get(link, NOWHERE)
        return "" if row == NOWHERE else self._known(link, row) or ""

    def _known(self, kind: str, row: int) -> int:
        """Return an id; 0 for what the plan brings, which is found by its name."""
        known = int(self.estate.table(kind).ids[row])
        return 0 if known >= FIRST_BORN_ID else known
