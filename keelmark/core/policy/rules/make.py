"""How bytes are made and kept: thickness, media, losses survived, encryption, reduction."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar, Final, Literal

import numpy as np

from keelmark.core.arrays import Float64s
from keelmark.core.policy.facts import NOT_TOLD, Facts, Flags, Media
from keelmark.core.policy.ground import from_disks, from_pools, from_volumes
from keelmark.core.policy.rules.base import Fault, Form, Known, Param, Rule
from keelmark.core.policy.states import (
    BROKEN,
    MET,
    UNPROVEN,
    Codes,
    Found,
    Verdict,
    by_truth,
    found,
)

MOST_LOSSES: Final = 8  # more sides or parity than anybody builds


@dataclass(frozen=True, slots=True, kw_only=True)
class Provisioning(Rule):
    """Thin or thick."""

    kind: ClassVar[str] = "provisioning"
    about: ClassVar[str] = "thin or thick"
    params: ClassVar = (Param(name="form", form=Form.CHOICE, about="how it is provisioned",
                              choices=("thin", "thick")),)  # fmt: skip
    place_kind: ClassVar[str] = "disk"
    told_by: ClassVar[str] = "a feed of the cluster"
    form: Literal["thin", "thick"]

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge disks by themselves, volumes and datastores by the volumes."""
        if kind in ("disk", "vm"):
            return from_disks(found(self._kept(facts.disks.is_thick)), facts=facts, kind=kind)
        return from_volumes(found(self._kept(facts.volumes.is_thick)), facts=facts, kind=kind)

    def _kept(self, is_thick: Flags) -> Codes:
        wanted = np.int8(self.form == "thick")
        return by_truth(is_thick == wanted, is_known=is_thick != NOT_TOLD)

    def wants(self) -> str:
        """Return in words what is promised."""
        return self.form

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del amount
        other = "thin" if self.form == "thick" else "thick"
        return self.form if state is Verdict.MET else other

    def mends(self) -> str:
        """Return in words what would make it met."""
        return f"write it anew as a {self.form} one"


@dataclass(frozen=True, slots=True, kw_only=True)
class OnMedia(Rule):
    """On flash alone, or on spinning drives alone."""

    kind: ClassVar[str] = "media"
    about: ClassVar[str] = "of what the drives are"
    params: ClassVar = (Param(name="media", form=Form.CHOICE, about="drives of",
                              choices=("ssd", "hdd")),)  # fmt: skip
    place_kind: ClassVar[str] = "pool"
    media: Literal["ssd", "hdd"]

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the pools that it lies on: all their drives are of it."""
        told = facts.pools.media
        wanted = np.int8(Media[self.media.upper()])
        states = by_truth(told == wanted, is_known=told != 0)
        amounts = np.where(told == 0, np.nan, told.astype(np.float64))
        return from_pools(found(states, amounts=amounts), facts=facts, kind=kind)

    def wants(self) -> str:
        """Return in words what is promised."""
        return _MEDIA_WORDS[Media[self.media.upper()]]

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del state
        return "–" if amount is None else _MEDIA_WORDS[Media(int(amount))]

    def mends(self) -> str:
        """Return in words what would make it met."""
        return f"move it to a pool on {self.wants()}"


_MEDIA_WORDS = {
    Media.SSD: "flash", Media.HDD: "spinning drives",
    Media.SSD | Media.HDD: "flash and spinning drives",
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Survives(Rule):
    """So many drives, or so many hosts, may fail now without a loss of data."""

    kind: ClassVar[str] = "survives"
    more_is_better: ClassVar[bool | None] = True
    about: ClassVar[str] = "drives and hosts that may fail, counted as it stands now"
    params: ClassVar = (
        Param(name="n_devices", form=Form.COUNT, about="drives that may fail"),
        Param(name="n_hosts", form=Form.COUNT, about="hosts that may fail"),
    )
    place_kind: ClassVar[str] = "pool"
    n_devices: int = 0
    n_hosts: int = 0

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the pools; the fewest losses that are left are told."""
        devices, hosts = facts.pools.device_losses, facts.pools.host_losses
        most = facts.pools.most_device_losses
        states = np.full(len(devices), MET)
        if self.n_devices:
            states = _enough(devices, self.n_devices, most=most)
        if self.n_hosts:
            states = np.maximum(states, _enough(hosts, self.n_hosts, most=hosts))
        short = (hosts < self.n_hosts) & ~(devices < self.n_devices)
        amounts = np.where(states == BROKEN, most, devices) if self.n_devices else hosts
        amounts = np.where(short, hosts, amounts)
        return from_pools(
            found(states, amounts=amounts), facts=facts, kind=kind, is_least_worst=True
        )

    def wants(self) -> str:
        """Return in words what is promised."""
        told = [
            f"{n} {word}{'' if n == 1 else 's'}"
            for n, word in ((self.n_devices, "drive"), (self.n_hosts, "host"))
            if n
        ]
        return f"survives the loss of {' and of '.join(told)}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        if amount is None:
            return "–"
        if amount == math.inf:
            return "no host carries it"
        if amount < 1:
            return "survives none now"
        return f"survives {'at most ' if state is Verdict.BROKEN else ''}{amount:.0f} now"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return "replace what failed, or move it to a pool that survives more"

    def faults(self, known: Known) -> Iterator[Fault]:
        """Yield what is wrong with its parameters."""
        del known
        for name, n in (("n_devices", self.n_devices), ("n_hosts", self.n_hosts)):
            if not 0 <= n <= MOST_LOSSES:
                yield self.fault(name, f"use 0 to {MOST_LOSSES}")
        if self.n_devices == 0 and self.n_hosts == 0:
            yield self.fault("n_devices", "at least one drive or one host, else nothing is asked")


def _enough(losses: Float64s, wanted: int, *, most: Float64s) -> Codes:
    """Met where it surely survives so many, broken where it surely does not."""
    return np.where(losses >= wanted, MET, np.where(most < wanted, BROKEN, UNPROVEN))


@dataclass(frozen=True, slots=True, kw_only=True)
class _Flagged(Rule):
    """What a volume is told to be, or not to be."""

    params: ClassVar = (Param(name="is_so", form=Form.FLAG, about="it is so, or must not be so"),)
    is_so: bool = True

    def found_of(self, facts: Facts, *, kind: str) -> Found:
        """Judge by the volumes."""
        told: Flags = getattr(facts.volumes, f"is_{self.kind}")
        states = by_truth(told == np.int8(self.is_so), is_known=told != NOT_TOLD)
        return from_volumes(found(states), facts=facts, kind=kind)

    def wants(self) -> str:
        """Return in words what is promised."""
        return self.kind if self.is_so else f"not {self.kind}"

    def says(self, state: Verdict, amount: float | None) -> str:
        """Return in words what was found."""
        del amount
        is_so = self.is_so == (state is Verdict.MET)
        return self.kind if is_so else f"not {self.kind}"

    def mends(self) -> str:
        """Return in words what would make it met."""
        return f"move it to a volume that is {self.wants()}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Encrypted(_Flagged):
    """Encrypted where it lies."""

    kind: ClassVar[str] = "encrypted"
    about: ClassVar[str] = "encrypted where it lies"


@dataclass(frozen=True, slots=True, kw_only=True)
class Compressed(_Flagged):
    """Compressed where it lies."""

    kind: ClassVar[str] = "compressed"
    about: ClassVar[str] = "compressed where it lies"


@dataclass(frozen=True, slots=True, kw_only=True)
class Deduplicated(_Flagged):
    """Deduplicated where it lies."""

    kind: ClassVar[str] = "deduplicated"
    about: ClassVar[str] = "deduplicated where it lies"
