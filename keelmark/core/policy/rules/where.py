"""Where bytes may lie: sites, protocols, labels, apart from or together with others."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from keelmark.core.arrays import Bools, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.policy.facts import Facts
from keelmark.core.policy.ground import from_disks, from_vms, from_volumes, labelled_disks
from keelmark.core.policy.groups import Groups, paired, worse
from keelmark.core.policy.rules.base import Fault, Form, Known, Param, Rule
from keelmark.core.policy.states import (
    BROKEN,
    EXEMPT,
    MET,
    Found,
    Verdict,
    by_truth,
    exempt,
    found,
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Sites(Rule):
    """Only at some sites, or at none of some; bytes and the VM that runs on them alike."""

    kind: ClassVar[str] = "sites"
    about: ClassVar[str] = "sites at which it may lie and run, or may not"
    params: ClassVar = (
        Param(name="allowed", form=Form.SITES, about="only at", is_optional=True),
        Param(name="forbidden", form=Form.SITES, about="never at", is_optional=True),
    )
    place_kind: ClassVar[str] = "site"
    allowed: tuple[str, ...] = ()
    forbidden: tuple[str, ...] = ()

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the volumes and, for what a VM uses, by where it runs."""
        told = from_volumes(self._at(facts.volumes.site, facts), facts=facts, kind=kind)
        if kind not in ("disk", "vm"):
            return told
        # A VM of which nobody knows where it runs is as its volumes are.
        runs = self._at(facts.vms.site, facts)
        states = np.where(facts.vms.site == NOWHERE, EXEMPT, runs.states)
        runs = found(states, places=runs.places)
        return worse(told, from_vms(runs, facts=facts, kind=kind))

    def _at(self, sites: Int64s, facts: Facts) -> Found:
        may = np.array(
            [
                (not self.allowed or name in self.allowed) and name not in self.forbidden
                for name in (*facts.sites, "")
            ]
        )
        return found(by_truth(may[sites], is_known=sites != NOWHERE), places=sites)

    def wants(self) -> str:
        """Return in words what is promised."""
        told = [f"at {' or '.join(self.allowed)}"] if self.allowed else []
        told += [f"not at {' or '.join(self.forbidden)}"] if self.forbidden else []
        return ", ".join(told)

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del state, amount
        return "lies or runs"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return f"move it: {self.wants()}"

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        if not self.allowed and not self.forbidden:
            yield self.fault("allowed", "name a site, else nothing is asked")
        for name in sorted({*self.allowed} & {*self.forbidden}):
            yield self.fault("forbidden", f"{name} is allowed, too")
        for field, names in (("allowed", self.allowed), ("forbidden", self.forbidden)):
            for name in names:
                if known.is_everything_known and name not in known.sites:
                    yield self.fault(field, f"no site {name} is known")


@dataclass(frozen=True, slots=True, kw_only=True)
class OverProtocol(Rule):
    """Reached over one protocol."""

    kind: ClassVar[str] = "protocol"
    about: ClassVar[str] = "how hosts reach it"
    params: ClassVar = (Param(name="protocol", form=Form.CHOICE, about="over",
                              choices=("block", "file")),)  # fmt: skip
    protocol: str

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the volumes."""
        told = facts.volumes.protocol
        names = np.array([*(name == self.protocol for name in facts.protocols), False])
        states = by_truth(names[told], is_known=told != NOWHERE)
        return from_volumes(found(states), facts=facts, kind=kind)

    def wants(self) -> str:
        """Return in words what is promised."""
        return f"over {self.protocol}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del amount
        return f"over {self.protocol}" if state is Verdict.MET else "over another protocol"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return f"move it to a datastore over {self.protocol}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Labelled(Rule):
    """Bears a label."""

    kind: ClassVar[str] = "label"
    about: ClassVar[str] = "bears a label"
    params: ClassVar = (Param(name="label", form=Form.TEXT, about="as name:value"),)
    told_by: ClassVar[str] = "an estate file with facts about things"
    label: str

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge things by their own labels, disks by those of their VM too."""
        bears = (
            labelled_disks(facts, self.label)
            if kind == "disk"
            else facts.labelled(kind, self.label)
        )
        return found(np.where(bears, MET, BROKEN), places=np.full(len(bears), NOWHERE))

    def wants(self) -> str:
        """Return in words what is promised."""
        return f"labelled {self.label}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del amount
        return "so" if state is Verdict.MET else "without it"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return f"give it the label {self.label}"

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        del known
        yield from _label_faults(self, self.label)


@dataclass(frozen=True, slots=True, kw_only=True)
class _AmongLabelled(Rule):
    """What disks with one label have to do with each other's places."""

    params: ClassVar = (
        Param(name="label", form=Form.TEXT, about="disks labelled name:value"),
        Param(name="of", form=Form.CHOICE, about="their", choices=("array", "pool", "host")),
    )
    subjects: ClassVar[tuple[str, ...]] = ("disk", "vm")
    label: str
    of: Literal["array", "pool", "host"]

    def by_place(self, facts: Facts) -> tuple[Bools, Groups]:
        """Return who bears the label, and those of whom a place is known by place."""
        bears = labelled_disks(facts, self.label)
        disks, places, n_places = _places_of(facts, of=self.of)
        kept = bears[disks] & (places != NOWHERE)
        return bears, paired(places[kept], disks[kept], n=n_places)

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        del known
        yield from _label_faults(self, self.label)


@dataclass(frozen=True, slots=True, kw_only=True)
class Apart(_AmongLabelled):
    """No two disks with a label share an array, a pool or a host."""

    kind: ClassVar[str] = "apart"
    about: ClassVar[str] = "disks with a label lie apart"
    place_kind: ClassVar[str] = "disk"

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge disks; who shares a place is told with the number of those that share it."""
        if kind not in ("disk", "vm"):
            return exempt(facts.n_of(kind))
        bears, groups = self.by_place(facts)
        n = len(bears)
        shared, is_placed = np.zeros(n), np.zeros(n, dtype=np.bool_)
        others = np.full(n, NOWHERE, dtype=np.int64)
        n_at = np.diff(np.append(groups.begins, len(groups.parts)))
        np.maximum.at(shared, groups.parts, np.repeat(n_at, n_at).astype(np.float64))
        is_placed[groups.parts] = True
        # Beside whom: the next one at the same place, the first after the last.
        following = np.arange(1, len(groups.parts) + 1)
        ends = np.append(groups.begins[1:], len(groups.parts))
        following[ends[: len(groups.begins)] - 1] = groups.begins
        beside = groups.parts[following]
        is_other = beside != groups.parts
        others[groups.parts[is_other]] = beside[is_other]
        states = np.where(bears, by_truth(shared <= 1, is_known=is_placed), EXEMPT)
        return from_disks(found(states, amounts=shared - 1, places=others), facts=facts, kind=kind)

    def wants(self) -> str:
        """Return in words what is promised."""
        return f"{self.label}: no two on one {self.of}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        if state is Verdict.MET or amount is None:
            return f"alone on its {self.of}"
        return f"shares its {self.of} with {amount:.0f}"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return f"move it to another {self.of}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Together(_AmongLabelled):
    """All disks with a label share an array, a pool or a host."""

    kind: ClassVar[str] = "together"
    about: ClassVar[str] = "disks with a label lie together"
    place_kind: ClassVar[str] = "disk"

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge disks by the place at which the most of them are."""
        if kind not in ("disk", "vm"):
            return exempt(facts.n_of(kind))
        bears, groups = self.by_place(facts)
        is_placed = np.zeros(len(bears), dtype=np.bool_)
        is_placed[groups.parts] = True
        with_most = np.zeros(len(bears), dtype=np.bool_)
        if len(groups.wholes):
            n_at = np.diff(np.append(groups.begins, len(groups.parts)))
            at = int(np.argmax(n_at))
            begin = int(groups.begins[at])
            with_most[groups.parts[begin : begin + int(n_at[at])]] = True
        states = np.where(bears, by_truth(with_most, is_known=is_placed), EXEMPT)
        amounts = np.full(len(bears), float(np.count_nonzero(bears & ~with_most)))
        return from_disks(found(states, amounts=amounts), facts=facts, kind=kind)

    def wants(self) -> str:
        """Return in words what is promised."""
        return f"{self.label}: all on one {self.of}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        if state is Verdict.MET:
            return f"on one {self.of} with the most of them"
        return "on another one than the most" if amount is None else f"{amount:.0f} lie elsewhere"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return f"move it to the {self.of} of the others"


def _places_of(facts: Facts, *, of: str) -> tuple[Int64s, Int64s, int]:
    """Pairs of disks and places (n_pairs,), each pair once, and how many places there are."""
    n_disks = len(facts.disks.vm)
    if of == "host":
        hosts = np.append(facts.vms.host, NOWHERE)[facts.disks.vm]
        return np.arange(n_disks, dtype=np.int64), hosts, int(hosts.max(initial=-1)) + 1
    at = facts.volumes.pool if of == "pool" else facts.volumes.array
    stores = np.repeat(
        facts.extents.wholes,
        np.diff(np.append(facts.extents.begins, len(facts.extents.parts))),
    )
    places = at[facts.extents.parts] if len(at) else facts.extents.parts
    # Disks by datastore, met with the places of each datastore.
    order = np.argsort(facts.disks.store, kind="stable")
    sorted_stores = facts.disks.store[order]
    first = np.searchsorted(sorted_stores, stores, side="left")
    counts = np.searchsorted(sorted_stores, stores, side="right") - first
    disks = order[np.repeat(first, counts) + _within(counts)]
    pairs = np.unique(np.stack([disks, np.repeat(places, counts)]), axis=1)
    return pairs[0], pairs[1], int(places.max(initial=-1)) + 1


def _within(counts: Int64s) -> Int64s:
    """0, 1, … within each run."""
    ends = np.cumsum(counts)
    told: Int64s = np.arange(int(ends[-1]) if len(ends) else 0) - np.repeat(ends - counts, counts)
    return told


def _label_faults(rule: Rule, label: str) -> Iterator[Fault]:
    name, colon, text = label.partition(":")
    if not (name.strip() and colon and text.strip()):
        yield rule.fault("label", "write it as name:value, such as crew:night")
