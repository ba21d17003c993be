"""Moves that promise otherwise: another policy, another QoS tier."""

from dataclasses import dataclass

from keelmark.core.policy.nearest import PLANNED_POLICY, PLANNED_TIER
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
