"""What every rule is: its parameters, its check over columns, its words."""

from abc import ABC, abstractmethod
from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar, Final

from keelmark.core.policy.facts import SUBJECTS, Facts
from keelmark.core.policy.states import Found, Verdict
from keelmark.core.units import PERCENT

MINUTES_AN_HOUR: Final = 60
MINUTES_A_DAY: Final = 24 * MINUTES_AN_HOUR


class Form(StrEnum):
    """How a parameter is written."""

    CHOICE = "choice"
    FLAG = "flag"
    MINUTES = "minutes"
    DAYS = "days"
    COUNT = "count"
    PERCENT = "percent"
    TEXT = "text"
    SITE = "site"
    SITES = "sites"
    TIER = "tier"


@dataclass(frozen=True, slots=True, kw_only=True)
class Param:
    """One parameter of a rule; ``choices`` are those of a choice."""

    name: str
    form: Form
    about: str
    choices: tuple[str, ...] = ()
    is_optional: bool = False


@dataclass(frozen=True, slots=True)
class Fault:
    """What is wrong with one parameter of one rule, and what would be right."""

    rule: str
    field: str
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What a rule may name, and what the feeds that replicate can keep."""

    sites: frozenset[str] = frozenset()
    tiers: frozenset[str] = frozenset()
    least_rpo_minutes: float | None = None  # of all that replicates, None where nobody tells
    is_everything_known: bool = False  # else names that are not known are let through


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule(ABC):
    """One promise of a policy."""

    kind: ClassVar[str]
    about: ClassVar[str]
    params: ClassVar[tuple[Param, ...]] = ()
    more_is_better: ClassVar[bool | None] = None  # of what it finds of a pool; None: no such order
    ages: ClassVar[bool] = False  # whether what it finds changes by the passing of time alone
    place_kind: ClassVar[str] = "volume"  # in which table places are rows
    subjects: ClassVar[tuple[str, ...]] = SUBJECTS  # on which it may bear
    told_by: ClassVar[str] = "a feed of the array"  # who could tell where nothing is known

    @abstractmethod
    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Return what it finds of all subjects of a kind."""

    @abstractmethod
    def wants(self) -> str:
        """Return in words what is promised."""

    @abstractmethod
    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found, without the place."""

    @abstractmethod
    def mends(self) -> str:
        """Return in words what would make it met."""

    def broken_for(self, amount: float | None) -> float | None:
        """Return for how many minutes it is broken, where what was found tells that."""
        del amount
        return None

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        del known
        yield from ()

    def fault(self, field: str, why: str) -> Fault:
        """Return a fault of one of its parameters."""
        return Fault(self.kind, field, why)

    def nobody_tells(self) -> str:
        """Return in words that there is nothing to judge by."""
        return f"nothing known to judge by: {self.told_by} would tell"


def over(amount: float | None, *, allowed: float) -> float | None:
    """Return by how many minutes an age is over what is allowed."""
    return None if amount is None or amount <= allowed else amount - allowed


def span(minutes: float) -> str:
    """Return a time in the largest unit that tells it well: ``4 h``, ``1.5 d``."""
    for unit, length in (("d", MINUTES_A_DAY), ("h", MINUTES_AN_HOUR)):
        if minutes >= length * (2 if unit == "h" and minutes % length else 1):
            return f"{minutes / length:.3g} {unit}"
    return f"{minutes:.0f} min"


def percent(told: float) -> str:
    """Return a percentage in words."""
    return f"{told:.0f} %" if abs(told) >= PERCENT / 10 else f"{told:.1f} %"
