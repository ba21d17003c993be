"""What every move is: its fields, its checks on its day, its effects, its words."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, fields
from enum import StrEnum
from typing import ClassVar, Final

from keelmark.core.errors import CoreError, RangeError
from keelmark.core.estate.estate import Estate
from keelmark.core.scenario.sight import BAD_CASE, LIKELY, At
from keelmark.core.scenario.stage import Stage, over_limit
from keelmark.core.units import MAX_BYTES, PERCENT

DAYS_A_WEEK: Final = 7
MOST_THINGS: Final = 5_000  # of one move
MOST_BORN: Final = 2**20  # of one kind, by one move
NAMES_TOLD: Final = 3
MOST_IOPS: Final = 10**9  # of one disk
Parts = tuple[str | int, ...]  # a sentence: texts, and amounts of bytes between them


class Form(StrEnum):
    """How a field is written."""

    THING = "thing"
    THINGS = "things"
    BYTES = "bytes"
    BYTES_A_WEEK = "bytes_a_week"
    COUNT = "count"
    PERCENT = "percent"
    DAYS = "days"
    NAME = "name"
    CHOICE = "choice"
    DISKS = "disks"
    COST = "cost"
    POLICY = "policy"  # the name of one
    TIER = "tier"


@dataclass(frozen=True, slots=True, kw_only=True)
class Ask:
    """One field of a move; ``kinds`` are those that a thing may be of."""

    name: str
    label: str
    form: Form
    kinds: tuple[str, ...] = ()
    choices: tuple[str, ...] = ()
    is_optional: bool = False
    without: int | str | None = None  # what an optional field is where nothing is written
    about: str = ""


COST: Final = Ask(
    name="cost", label="Costs", form=Form.COST, is_optional=True, about="in whole units of money"
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """Why a move cannot be, or what to mind: what, at which field, and what would let it be."""

    field: str
    says: Parts
    would_be: str = ""
    is_bar: bool = True


class MoveFieldError(CoreError):
    """A field of a move cannot be what was written."""

    def __init__(self, *, move: str, field: str, wanted: str) -> None:
        self.move, self.field, self.wanted = move, field, wanted
        super().__init__(f"{move}.{field}: {wanted}")


@dataclass(frozen=True, kw_only=True)
class Move(ABC):
    """One step of a scenario; its fields are those that ``asks`` names."""

    kind: ClassVar[str]
    title: ClassVar[str]
    about: ClassVar[str]
    asks: ClassVar[tuple[Ask, ...]]

    def births(self) -> dict[str, int]:
        """Return how many things of each kind it brings, those first of which others are made."""
        return {}

    def births_on(self, estate: Estate) -> dict[str, int]:
        """Return the same where it depends on what there is."""
        del estate
        return self.births()

    @abstractmethod
    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be on its day, and what to mind; empty where nothing is."""

    @abstractmethod
    def put(self, stage: Stage, *, number: int) -> None:
        """Write what it does."""

    @abstractmethod
    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return what it does in a line, and what besides."""

    @property
    def spends(self) -> float:
        """What it costs, as far as anybody told."""
        return float(getattr(self, "cost", None) or 0)

    @property
    def things(self) -> tuple[int, ...]:
        """The ids of all that it names."""
        told: list[int] = []
        for one in self.asks:
            value = getattr(self, one.name)
            if one.form is Form.THING and value is not None:
                told.append(value)
            elif one.form is Form.THINGS:
                told += value
        return tuple(told)


def told_of(move: Move) -> dict[str, object]:
    """Return what is kept of a move's fields."""
    return {
        name: [*one] if isinstance(one, tuple) else one
        for name, one in asdict(move).items()
        if one is not None
    }


def read_fields(made: type[Move], told: Mapping[str, object]) -> dict[str, object]:
    """Return the fields of a move as they were written; raise MoveFieldError at what is wrong."""
    known = {one.name: one for one in made.asks}
    for name in told:
        if name not in known:
            raise MoveFieldError(move=made.kind, field=name, wanted="no such field")
    return {name: _read(made, ask, told.get(name)) for name, ask in known.items()}


def _read(made: type[Move], ask: Ask, told: object) -> object:
    if told is None or (isinstance(told, str | list) and not told):
        if not ask.is_optional:
            raise MoveFieldError(move=made.kind, field=ask.name, wanted="wanted")
        return () if ask.form is Form.THINGS else ask.without
    try:
        return _READ[ask.form](ask, told)
    except (RangeError, TypeError, ValueError, KeyError) as exc:
        raise MoveFieldError(move=made.kind, field=ask.name, wanted=str(exc)) from exc


def _whole(told: object, *, least: int, most: int) -> int:
    if not isinstance(told, int) or isinstance(told, bool) or not least <= told <= most:
        raise ValueError(f"a whole number from {least:,} to {most:,}")
    return told


def _text(ask: Ask, told: object) -> str:
    most = 200
    if not isinstance(told, str) or len(told) > most or "\x00" in told:
        raise ValueError(f"a text of up to {most} characters")
    if ask.choices and told not in ask.choices:
        raise ValueError(f"one of {', '.join(ask.choices)}")
    return told.strip()


def _things(ask: Ask, told: object) -> tuple[int, ...]:
    del ask
    if not isinstance(told, list | tuple) or len(told) > MOST_THINGS:
        raise ValueError(f"up to {MOST_THINGS:,} things")
    return tuple(dict.fromkeys(_id(one) for one in told))


def _id(told: object) -> int:
    return _whole(told, least=-MAX_BYTES, most=MAX_BYTES)


@dataclass(frozen=True, slots=True, kw_only=True)
class DiskGiven:
    """One disk of each VM that a move brings."""

    size_bytes: int
    written_percent: int = PERCENT
    bytes_a_week: int = 0
    is_thick: bool = False
    min_iops: int = 0
    busy_iops: int = 0


def _disks(ask: Ask, told: object) -> tuple[DiskGiven, ...]:
    del ask
    most = 60
    if not isinstance(told, list | tuple) or not 1 <= len(told) <= most:
        raise ValueError(f"1 to {most} disks")
    read = []
    for at, one in enumerate(told, start=1):
        if not isinstance(one, Mapping):
            raise ValueError(f"disk {at}: an object")
        names = {field.name for field in fields(DiskGiven)}
        for name in one:
            if name not in names:
                raise ValueError(f"disk {at}: no field {name}")
        try:
            read.append(
                DiskGiven(
                    size_bytes=_whole(one.get("size_bytes"), least=1, most=MAX_BYTES),
                    written_percent=_whole(
                        one.get("written_percent", PERCENT), least=0, most=PERCENT
                    ),
                    bytes_a_week=_whole(one.get("bytes_a_week", 0), least=0, most=MAX_BYTES),
                    is_thick=bool(one.get("is_thick", False)),
                    min_iops=_whole(one.get("min_iops", 0), least=0, most=MOST_IOPS),
                    busy_iops=_whole(one.get("busy_iops", 0), least=0, most=MOST_IOPS),
                )
            )
        except ValueError as exc:
            raise ValueError(f"disk {at}: {exc}") from exc
    return tuple(read)


_READ: Final[dict[Form, Callable[[Ask, object], object]]] = {
    Form.THING: lambda _, told: _id(told),
    Form.THINGS: _things,
    Form.BYTES: lambda _, told: _whole(told, least=1, most=MAX_BYTES),
    Form.BYTES_A_WEEK: lambda _, told: _whole(told, least=-MAX_BYTES, most=MAX_BYTES),
    Form.COUNT: lambda _, told: _whole(told, least=1, most=100_000),
    Form.PERCENT: lambda _, told: _whole(told, least=0, most=PERCENT),
    Form.DAYS: lambda _, told: _whole(told, least=0, most=3_650),
    Form.NAME: _text,
    Form.CHOICE: _text,
    Form.DISKS: _disks,
    Form.POLICY: _text,
    Form.TIER: _text,
    Form.COST: lambda _, told: _whole(told, least=0, most=10**15),
}


def absent(stage: Stage, move: Move) -> list[Fault]:
    """Return a bar for everything that a move names and that is not there on its day."""
    told: list[Fault] = []
    for ask in move.asks:
        value = getattr(move, ask.name)
        if ask.form not in (Form.THING, Form.THINGS) or value is None:
            continue
        ids = value if ask.form is Form.THINGS else (value,)
        for one in ids:
            at = stage.find(one)
            if at is None or not stage.is_there(at):
                what = stage.name(at) if at else "what another move brings" if one < 0 else "it"
                told.append(
                    Fault(
                        field=ask.name,
                        says=(f"{what} is not there on this day",),
                        would_be="name another, or take a day on which it is",
                    )
                )
            elif at.kind not in ask.kinds:
                told.append(
                    Fault(
                        field=ask.name,
                        says=(f"{stage.name(at)} is a {at.kind}",),
                        would_be=f"name a {' or '.join(ask.kinds)}",
                    )
                )
    return told


def holds_still(stage: Stage, at: At, held: Sequence[At], *, of: str, field: str) -> list[Fault]:
    """Return a bar where things of a kind lie on one that is to go."""
    if not held:
        return []
    some = ", ".join(stage.name(one) for one in held[:NAMES_TOLD])
    what = of if len(held) == 1 else f"{of}s"
    return [
        Fault(
            field=field,
            says=(f"{stage.name(at)} holds {len(held)} {what} still: {some}",),
            would_be="free or migrate those first",
        )
    ]


def found(stage: Stage, thing_id: int) -> At:
    """Return a thing that is known to be there."""
    at = stage.find(thing_id)
    if at is None:
        raise RangeError(argument="thing", found=thing_id, wanted="one that is there")
    return at


def named(stage: Stage, ids: Sequence[int]) -> str:
    """Return a few names, and how many more there are."""
    told = [stage.name(at) if (at := stage.find(one)) else "?" for one in ids[:NAMES_TOLD]]
    more = len(ids) - len(told)
    return ", ".join(told) + (f" and {more} more" if more else "")


def titled(stage: Stage, thing_id: int) -> str:
    """Return the name of a thing, a pool's behind that of its array."""
    at = stage.find(thing_id)
    if at is None:
        return "?"
    array = stage.link(at, "array", to="array") if at.kind == "pool" else None
    return f"{stage.name(array)} · {stage.name(at)}" if array else stage.name(at)


def room_at(stage: Stage, of: At, *, added_bytes: int, field: str) -> list[Fault]:
    """Return what bars bytes from coming onto a thing or what lies below it on this day."""
    told: list[Fault] = []
    all_below = [(of, 1.0), *stage.below(of)]
    stage.look_ahead([one for one, _ in all_below], quantiles=(LIKELY, BAD_CASE))
    for one, share in all_below:
        # A volume under something holds no more than that does: what was freed is written again.
        if one.kind == "disk" or (one.kind == "volume" and one != of):
            continue
        added = round(added_bytes * share)
        used, size = stage.expected(one, quantile=LIKELY), stage.amount(one, "size")
        held = stage.held(one)
        if used is None or size is None:
            told.append(
                Fault(
                    field=field,
                    says=(f"nobody read {stage.name(one)}: its room is not known",),
                    is_bar=False,
                )
            )
        elif used + held + added > size:
            told.append(
                Fault(
                    field=field,
                    says=(
                        f"{stage.name(one)} lacks ",
                        used + held + added - size,
                        " on this day",
                        *((": accepted scenarios hold ", held, " of it") if held else ()),
                    ),
                    would_be="extend it first, move less, or go elsewhere",
                )
            )
        elif (past := over_limit(stage, one, added_bytes=added)) > 0 and one.kind != "volume":
            told.append(
                Fault(
                    field=field,
                    says=(f"{stage.name(one)} would be past its limit mark by ", past),
                    would_be="extend it first, move less, or go elsewhere",
                    is_bar=False,
                )
            )
    return told
