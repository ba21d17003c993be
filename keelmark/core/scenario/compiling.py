"""A list of moves made into a plan: each on its day, in their order, with what bars it."""

from collections.abc import Sequence
from dataclasses import dataclass

from keelmark.core.estate.estate import Estate
from keelmark.core.scenario.effects import Born, Effect
from keelmark.core.scenario.moves.base import MOST_BORN, Fault, Move, Parts
from keelmark.core.scenario.plan import Plan, plan_of, with_rows
from keelmark.core.scenario.sight import At
from keelmark.core.scenario.stage import Stage

# Ids of what moves bring: above all that there are, exact in a browser's numbers.
FIRST_BORN_ID = 2**52


@dataclass(frozen=True, slots=True, kw_only=True)
class Dated:
    """A move on a day, counted from 1970; ``number`` is its name within its scenario, from 1."""

    number: int
    day: int
    move: Move
    is_off: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """How one move stands: what it does in words, what bars it, what to mind."""

    number: int
    title: Parts
    detail: Parts
    faults: tuple[Fault, ...]
    things: tuple[int, ...] = ()
    day: int = 0
    effects: tuple[Effect, ...] = ()  # that it brings, none where it is barred or off

    @property
    def is_barred(self) -> bool:
        """Whether it cannot be; what it would do is then left out."""
        return any(one.is_bar for one in self.faults)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Compiled:
    """A scenario on one revision: the estate with rows for what is born, and what comes when."""

    estate: Estate
    plan: Plan
    told: tuple[Told, ...]
    spends: float
    births: dict[int, list[At]]

    @property
    def is_barred(self) -> bool:
        """Whether any of its moves cannot be."""
        return any(one.is_barred for one in self.told)


def compiled(estate: Estate, moves: Sequence[Dated]) -> Compiled:
    """Return what moves do to an estate.

    Parameters
    ----------
    estate : Estate
        As it is.
    moves : sequence of Dated
        In the order in which they were put; of one day the first comes first.

    Returns
    -------
    Compiled
        Moves that are barred, off, or of a day that has been do nothing; those of a day that has
        been are barred. ``told`` is in the order of ``moves``.
    """
    born, births = _births(estate, moves)
    wide = with_rows(estate, born)
    stage = Stage(wide, births=births, plain=estate)
    told: dict[int, Told] = {}
    spends = 0.0
    for one in sorted(moves, key=lambda one: one.day):
        stage.day = max(one.day, estate.day)
        foresee(stage, one.move)
        faults = _past(one, estate) or tuple(one.move.faults(stage))
        title, detail = one.move.says(stage)
        n_before = len(stage.effects)
        if not one.is_off and not any(fault.is_bar for fault in faults):
            one.move.put(stage, number=one.number)
            spends += one.move.spends
        told[one.number] = Told(
            number=one.number, title=title, detail=detail, faults=faults, things=one.move.things,
            day=stage.day, effects=tuple(stage.effects[n_before:]),
        )  # fmt: skip
    return Compiled(
        estate=stage.named_estate(), plan=plan_of(wide, stage.effects),
        told=tuple(told[one.number] for one in moves), spends=spends, births=births,
    )  # fmt: skip


def foresee(stage: Stage, move: Move) -> None:
    """Work out at once what the disks and volumes that a move names hold on its day."""
    named = [at for one in move.things if (at := stage.find(one))]
    vms = [at for at in named if at.kind == "vm"]
    many = [at for at in named if at.kind in ("disk", "volume")]
    stage.look_ahead([*many, *stage.gather("disk", "vm", to=vms)])


def _past(one: Dated, estate: Estate) -> tuple[Fault, ...]:
    if one.day >= estate.day:
        return ()
    return (Fault(field="on", says=("its day has been",), would_be="take a day to come"),)


def _births(
    estate: Estate, moves: Sequence[Dated]
) -> tuple[list[Born], dict[int, list[At]]]:  # fmt: skip
    """Rows for all that moves may bring, by kind behind all that there are."""
    n_of = {kind: len(table) for kind, table in estate.tables.items()}
    born: list[Born] = []
    births: dict[int, list[At]] = {}
    for one in sorted(moves, key=lambda one: one.number):
        mine = births.setdefault(one.number, [])
        for kind, n in one.move.births_on(estate).items():
            first = FIRST_BORN_ID + one.number * MOST_BORN
            for at in range(n):
                mine.append(At(kind, n_of[kind]))
                born.append(
                    Born(day=estate.day, kind=kind, row=n_of[kind], born_id=first + at, name="")
                )
                n_of[kind] += 1
    return born, births
