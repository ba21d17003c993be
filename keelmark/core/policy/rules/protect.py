"""How bytes are protected: copies elsewhere, snapshots, backups."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar, Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.policy.facts import Facts
from keelmark.core.policy.ground import from_vms, from_volumes
from keelmark.core.policy.groups import better
from keelmark.core.policy.rules.base import (
    MINUTES_A_DAY,
    Fault,
    Form,
    Known,
    Param,
    Rule,
    over,
    span,
)
from keelmark.core.policy.states import (
    BROKEN,
    EXEMPT,
    MET,
    UNPROVEN,
    Codes,
    Found,
    Verdict,
    by_truth,
    found,
)

OTHER_SITE: Final = ""  # any but its own
DUE: Final = 1.5  # of the time between two, after which one was left out


@dataclass(frozen=True, slots=True, kw_only=True)
class CopyElsewhere(Rule):
    """A copy at another site, or at a named one, not older than a time."""

    kind: ClassVar[str] = "copy"
    ages: ClassVar[bool] = True
    about: ClassVar[str] = "a copy at another site, not older than"
    params: ClassVar = (
        Param(name="within_minutes", form=Form.MINUTES, about="not older than"),
        Param(name="site", form=Form.SITE, about="at this site; any other if none is named",
              is_optional=True),
    )  # fmt: skip
    within_minutes: int
    site: str = OTHER_SITE

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the volumes: the newest of the copies that count."""
        copies, volumes = facts.copies, facts.volumes
        own = volumes.site[copies.volume] if len(volumes.site) else copies.volume
        is_open = (copies.site == NOWHERE) | (own == NOWHERE)  # nobody knows where one is
        counts = ~is_open & (copies.site != own)
        if self.site != OTHER_SITE:
            wanted = facts.sites.index(self.site) if self.site in facts.sites else NOWHERE - 1
            counts &= copies.site == wanted
        ages = facts.now - copies.copied_at
        is_fresh = ages <= self.within_minutes
        may_be = (is_open & (is_fresh | np.isnan(ages))) | (counts & np.isnan(ages))
        is_kept = facts.copies_of.any_of(counts & is_fresh)
        is_open = facts.copies_of.any_of(may_be) | ~volumes.are_copies_told
        states = np.where(is_kept, MET, np.where(is_open, UNPROVEN, BROKEN))
        age = facts.now - facts.copies_of.most_known(np.where(counts, copies.copied_at, np.nan))
        return from_volumes(found(states, amounts=age), facts=facts, kind=kind)

    def wants(self) -> str:
        """Return in words what is promised."""
        where = "another site" if self.site == OTHER_SITE else self.site
        return f"copy at {where}, RPO {span(self.within_minutes)}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del state
        return "no copy there" if amount is None else f"copied {span(amount)} ago"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return "see why it is not copied, or copy it more often"

    def broken_for(self, amount: float | None) -> float | None:
        """Return for how many minutes it is older than it may be."""
        return over(amount, allowed=self.within_minutes)

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        if self.within_minutes <= 0:
            yield self.fault("within_minutes", "a time above nought")
        elif known.least_rpo_minutes is not None and self.within_minutes < known.least_rpo_minutes:
            yield self.fault(
                "within_minutes",
                f"nothing replicates more often than every {span(known.least_rpo_minutes)}",
            )
        if known.is_everything_known and self.site and self.site not in known.sites:
            yield self.fault("site", f"no site {self.site} is known")


@dataclass(frozen=True, slots=True, kw_only=True)
class SnapshotsEvery(Rule):
    """A snapshot of the volume or of the VM every so long."""

    kind: ClassVar[str] = "snapshots"
    ages: ClassVar[bool] = True
    about: ClassVar[str] = "a snapshot every"
    params: ClassVar = (Param(name="every_minutes", form=Form.MINUTES, about="every"),)
    every_minutes: int

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the newest of the volume and of the VM, whichever keeps it better."""
        volumes, vms = facts.volumes, facts.vms
        by_volume = self._judged(
            facts.now - volumes.snapshot_at, is_told=volumes.are_snapshots_told
        )
        by_vm = self._judged(
            facts.now - vms.snapshot_at, is_told=np.ones(len(vms.host), dtype=np.bool_)
        )
        # Of a VM alone nobody promises snapshots: without any it is as its volumes are.
        by_vm = found(
            np.where(np.isnan(vms.snapshot_at), EXEMPT, by_vm.states), amounts=by_vm.amounts,
            places=np.full(len(by_vm), NOWHERE, dtype=np.int64),
        )  # fmt: skip
        below = from_volumes(by_volume, facts=facts, kind=kind)
        return better(below, from_vms(by_vm, facts=facts, kind=kind))

    def _judged(self, age: Float64s, *, is_told: Bools) -> Found:
        states = by_truth(age <= DUE * self.every_minutes, is_known=~np.isnan(age))
        return found(np.where(np.isnan(age) & is_told, BROKEN, states), amounts=age)

    def wants(self) -> str:
        """Return in words what is promised."""
        return f"snapshots every {span(self.every_minutes)}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del state
        return "no snapshot" if amount is None else f"newest {span(amount)} old"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return "see why the schedule stopped, or take one"

    def broken_for(self, amount: float | None) -> float | None:
        """Return for how many minutes it is older than it may be."""
        return over(amount, allowed=DUE * self.every_minutes)

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        del known
        if self.every_minutes <= 0:
            yield self.fault("every_minutes", "a time above nought")


@dataclass(frozen=True, slots=True, kw_only=True)
class SnapshotsKept(Rule):
    """Snapshots are kept for so long."""

    kind: ClassVar[str] = "kept"
    ages: ClassVar[bool] = True
    about: ClassVar[str] = "snapshots are kept for"
    params: ClassVar = (Param(name="for_days", form=Form.DAYS, about="for"),)
    for_days: int

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the oldest that is kept, of the volume or of the VM."""
        volumes, vms = facts.volumes, facts.vms
        by_volume = self._judged(facts.now - volumes.first_snapshot_at)
        by_volume = found(
            np.where(
                np.isnan(volumes.first_snapshot_at) & volumes.are_snapshots_told,
                BROKEN, by_volume.states,
            ), amounts=by_volume.amounts,
        )  # fmt: skip
        by_vm = self._judged(facts.now - vms.first_snapshot_at)
        by_vm = found(
            np.where(np.isnan(vms.first_snapshot_at), EXEMPT, by_vm.states),
            amounts=by_vm.amounts, places=np.full(len(by_vm), NOWHERE, dtype=np.int64),
        )  # fmt: skip
        below = from_volumes(by_volume, facts=facts, kind=kind, is_least_worst=True)
        return better(below, from_vms(by_vm, facts=facts, kind=kind))

    def _judged(self, age: Float64s) -> Found:
        days = age / MINUTES_A_DAY
        states: Codes = np.where(
            np.isnan(days), UNPROVEN, np.where(days >= self.for_days - 1, MET, BROKEN)
        )
        return found(states, amounts=days)

    def wants(self) -> str:
        """Return in words what is promised."""
        return f"snapshots kept {self.for_days} d"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del state
        return "no snapshot" if amount is None else f"oldest {amount:.3g} d old"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return "keep them longer; what is younger than that will be once it is old enough"

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        del known
        if self.for_days <= 0:
            yield self.fault("for_days", "at least one day")


@dataclass(frozen=True, slots=True, kw_only=True)
class BackedUp(Rule):
    """The last good backup of the VM is not older than a time."""

    kind: ClassVar[str] = "backup"
    ages: ClassVar[bool] = True
    about: ClassVar[str] = "last good backup not older than"
    params: ClassVar = (Param(name="within_minutes", form=Form.MINUTES, about="not older than"),)
    place_kind: ClassVar[str] = "vm"
    subjects: ClassVar[tuple[str, ...]] = ("disk", "vm")
    told_by: ClassVar[str] = "an estate file with protection runs"
    within_minutes: int

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the VM."""
        age = facts.now - facts.vms.backed_up_at
        states = by_truth(age <= self.within_minutes, is_known=~np.isnan(age))
        states = np.where(np.isnan(age) & facts.vms.are_backups_told, BROKEN, states)
        return from_vms(found(states, amounts=age), facts=facts, kind=kind)

    def wants(self) -> str:
        """Return in words what is promised."""
        return f"backup within {span(self.within_minutes)}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del state
        return "no good one" if amount is None else f"{span(amount)} ago"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return "see why its backup failed"

    def broken_for(self, amount: float | None) -> float | None:
        """Return for how many minutes it is older than it may be."""
        return over(amount, allowed=self.within_minutes)

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        del known
        if self.within_minutes <= 0:
            yield self.fault("within_minutes", "a time above nought")
