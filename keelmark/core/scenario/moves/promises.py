"""Moves that promise otherwise: another policy, another QoS tier, other limits."""

from dataclasses import dataclass

from keelmark.core.policy.nearest import PLANNED_POLICY, PLANNED_TIER
from keelmark.core.scenario.effects import SetTier
from keelmark.core.scenario.moves.base import Ask, Fault, Form, Move, Parts, absent, found, named
from keelmark.core.scenario.stage import Stage


@dataclass(frozen=True, kw_only=True)
class PromisePolicy(Move):
    """Things are promised a policy of their own, before whatever bears on them."""

    kind = "promise_policy"
    title = "Promise a policy"
    about = "VMs, disks, datastores, volumes, projects or tenants are promised another policy"
    asks = (
        Ask(
            name="what", label="To", form=Form.THINGS,
            kinds=("vm", "disk", "datastore", "volume", "project", "tenant"),
        ),
        Ask(name="policy", label="Policy", form=Form.POLICY),
    )  # fmt: skip
    what: tuple[int, ...]
    policy: str

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        return absent(stage, self)

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        for one in self.what:
            stage.set_word(found(stage, one), PLANNED_POLICY, self.policy)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (f"Promise {named(stage, self.what)} {self.policy}",), ("before what bears now",)


@dataclass(frozen=True, kw_only=True)
class NameTier(Move):
    """Disks get another QoS tier: themselves, or by their VM or project."""

    kind = "name_tier"
    title = "Name a QoS tier"
    about = "disks, or all disks of VMs or projects, get another tier"
    asks = (
        Ask(name="what", label="For", form=Form.THINGS, kinds=("vm", "disk", "project")),
        Ask(name="tier", label="QoS tier", form=Form.TIER),
    )
    what: tuple[int, ...]
    tier: str

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        return absent(stage, self)

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        for one in self.what:
            stage.set_word(found(stage, one), PLANNED_TIER, self.tier)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (f"Tier {self.tier} for {named(stage, self.what)}",), ("before what bears now",)


@dataclass(frozen=True, kw_only=True)
class ReviseTier(Move):
    """A QoS tier has other limits, for all that are in it."""

    kind = "revise_tier"
    title = "Change a QoS tier's limits"
    about = "for all disks that are in it"
    asks = (
        Ask(name="tier", label="QoS tier", form=Form.TIER),
        Ask(name="min_iops", label="I/O a second, at least", form=Form.COUNT, is_optional=True,
            about="nothing: none is promised"),
        Ask(name="max_iops", label="at most", form=Form.COUNT),
    )  # fmt: skip
    tier: str
    max_iops: int
    min_iops: int | None = None

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        del stage
        return _crossed(self.min_iops, self.max_iops)

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        stage.write(
            SetTier(day=stage.day, kind="tier", name=self.tier,
                    limits=(self.min_iops or 0, self.max_iops))
        )  # fmt: skip

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        del stage
        return (f"Change the limits of tier {self.tier}",), (_span(self.min_iops, self.max_iops),)


@dataclass(frozen=True, kw_only=True)
class SetLimits(Move):
    """Volumes are set to other limits, each to the same."""

    kind = "set_limits"
    title = "Set limits of volumes"
    about = "what each of them gives at least and at most"
    asks = (
        Ask(name="what", label="Volumes", form=Form.THINGS, kinds=("volume",)),
        Ask(name="min_iops", label="I/O a second, at least", form=Form.COUNT, is_optional=True,
            about="nothing: none is promised"),
        Ask(name="max_iops", label="at most", form=Form.COUNT),
    )  # fmt: skip
    what: tuple[int, ...]
    max_iops: int
    min_iops: int | None = None

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        return absent(stage, self) or _crossed(self.min_iops, self.max_iops)

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        for one in self.what:
            volume = found(stage, one)
            stage.set(volume, "min_iops", self.min_iops or 0)
            stage.set(volume, "max_iops", self.max_iops)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (
            (f"Set the limits of {named(stage, self.what)}",),
            (_span(self.min_iops, self.max_iops),),
        )


def _span(least: int | None, most: int) -> str:
    return f"{least or 0:,} to {most:,} I/O a second"


def _crossed(least: int | None, most: int) -> list[Fault]:
    if (least or 0) <= most:
        return []
    return [Fault(field="min_iops", says=("the least is above the most",),
                  would_be=f"take {most:,} at most")]  # fmt: skip
