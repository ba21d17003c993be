"""What it lies on must not be overcommitted or end too soon; and which QoS tier it has."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from keelmark.core.estate.columns import NOWHERE
from keelmark.core.policy.facts import Facts
from keelmark.core.policy.ground import from_disks, from_pools
from keelmark.core.policy.rules.base import Fault, Form, Known, Param, Rule, percent
from keelmark.core.policy.states import UNPROVEN, Found, Verdict, by_truth, found
from keelmark.core.units import PERCENT


@dataclass(frozen=True, slots=True, kw_only=True)
class OvercommitCeiling(Rule):
    """The pools that it lies on promise no more than so much of what they can hold."""

    kind: ClassVar[str] = "overcommit"
    more_is_better: ClassVar[bool | None] = False
    about: ClassVar[str] = "the pool promises at most, of what it can hold"
    params: ClassVar = (Param(name="ceiling_percent", form=Form.PERCENT, about="at most"),)
    place_kind: ClassVar[str] = "pool"
    ceiling_percent: int

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the pools."""
        told = facts.pools.overcommit_percent
        states = by_truth(told <= self.ceiling_percent, is_known=~np.isnan(told))
        return from_pools(found(states, amounts=told), facts=facts, kind=kind)

    def wants(self) -> str:
        """Return in words what is promised."""
        return f"overcommit of the pool at most {percent(self.ceiling_percent)}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del state
        return "–" if amount is None else percent(amount)

    def mends(self) -> str:
        """Return in words what would make it met."""
        return "move it to a pool that promises less, or add drives"

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        del known
        if self.ceiling_percent < PERCENT:
            yield self.fault("ceiling_percent", "at least 100 %: below it nothing thin could be")


@dataclass(frozen=True, slots=True, kw_only=True)
class RunwayFloor(Rule):
    """The pools that it lies on do not end, in the bad case, within so many days."""

    kind: ClassVar[str] = "runway"
    more_is_better: ClassVar[bool | None] = True
    about: ClassVar[str] = "early runway of the pool at least"
    params: ClassVar = (Param(name="least_days", form=Form.DAYS, about="at least"),)
    place_kind: ClassVar[str] = "pool"
    told_by: ClassVar[str] = "two weeks of readings"
    least_days: int

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the pools."""
        told = facts.pools.runway_days
        states = by_truth(told >= self.least_days, is_known=~np.isnan(told))
        return from_pools(found(states, amounts=told), facts=facts, kind=kind, is_least_worst=True)

    def wants(self) -> str:
        """Return in words what is promised."""
        return f"early runway of the pool at least {self.least_days} d"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del state
        if amount is None:
            return "–"
        return "beyond the horizon" if np.isinf(amount) else f"{amount:.0f} d"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return "move it to a pool that lasts longer, free something there, or add drives"

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        del known
        if self.least_days <= 0:
            yield self.fault("least_days", "at least one day")


@dataclass(frozen=True, slots=True, kw_only=True)
class HasTier(Rule):
    """It is in one QoS tier."""

    kind: ClassVar[str] = "tier"
    about: ClassVar[str] = "is in the QoS tier"
    params: ClassVar = (Param(name="tier", form=Form.TIER, about="tier"),)
    place_kind: ClassVar[str] = "disk"
    subjects: ClassVar[tuple[str, ...]] = ("disk", "vm")
    told_by: ClassVar[str] = "a feed of the cluster, or an estate file with facts about disks"
    tier: str

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge disks by the tier that is named for them."""
        wanted = facts.tiers.index(self.tier) if self.tier in facts.tiers else NOWHERE - 1
        told = facts.disks.tier
        states = by_truth(told == wanted, is_known=told != NOWHERE)
        states = np.where((states == UNPROVEN) & facts.disks.is_tier_told, by_truth(
            np.zeros(len(told), dtype=np.bool_), is_known=np.ones(len(told), dtype=np.bool_)
        ), states)  # fmt: skip
        return from_disks(found(states), facts=facts, kind=kind)

    def wants(self) -> str:
        """Return in words what is promised."""
        return f"tier {self.tier}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del amount
        return f"tier {self.tier}" if state is Verdict.MET else "another tier, or none"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return f"put it into {self.tier}"

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        if known.is_everything_known and self.tier not in known.tiers:
            yield self.fault("tier", f"no tier {self.tier or 'without a name'} is known")
