"""Moves of hosts: more of them, or fewer."""

from dataclasses import dataclass

from keelmark.core.scenario.moves.base import (
    COST,
    Ask,
    Fault,
    Form,
    Move,
    Parts,
    absent,
    found,
    named,
    titled,
)
from keelmark.core.scenario.stage import Stage


@dataclass(frozen=True, kw_only=True)
class AddHosts(Move):
    """Hosts join a cluster."""

    kind = "add_hosts"
    title = "Add hosts"
    about = "hosts join a cluster"
    asks = (
        Ask(name="cluster", label="Cluster", form=Form.THING, kinds=("cluster",)),
        Ask(name="n_hosts", label="How many", form=Form.COUNT),
        Ask(name="n_cpus", label="CPUs of each", form=Form.COUNT),
        Ask(name="memory_bytes", label="Memory of each", form=Form.BYTES),
        COST,
    )
    cluster: int
    n_hosts: int
    n_cpus: int
    memory_bytes: int
    cost: int | None = None

    def births(self) -> dict[str, int]:
        """Return what it brings."""
        return {"host": self.n_hosts}

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        return absent(stage, self)

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        cluster = found(stage, self.cluster)
        site = stage.link(cluster, "site", to="site")
        for at in range(1, self.n_hosts + 1):
            stage.bear(
                stage.next_born(number, "host"), name=f"{stage.name(cluster)}-new-{at}",
                amounts={"cpus": self.n_cpus, "memory": self.memory_bytes},
                words={"health": "up", "state": "clear"},
                links={"cluster": cluster.row, **({"site": site.row} if site else {})},
            )  # fmt: skip

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (
            (f"Add {self.n_hosts} hosts to {titled(stage, self.cluster)}",),
            (f"{self.n_cpus} CPUs and ", self.memory_bytes, " of memory each"),
        )


@dataclass(frozen=True, kw_only=True)
class RemoveHosts(Move):
    """Hosts leave; what runs on them runs on the others of the cluster."""

    kind = "remove_hosts"
    title = "Remove hosts"
    about = "what runs on them runs on the others of the cluster"
    asks = (Ask(name="hosts", label="Hosts", form=Form.THINGS, kinds=("host",)),)
    hosts: tuple[int, ...]

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        leaving = {found(stage, one) for one in self.hosts}
        for cluster in dict.fromkeys(stage.link(one, "cluster", to="cluster") for one in leaving):
            if cluster is None:
                continue
            if not set(stage.linked("host", "cluster", to=cluster)) - leaving:
                told.append(
                    Fault(field="hosts", says=(f"no host of {stage.name(cluster)} would be left",),
                          would_be="leave one, or move its VMs first")
                )  # fmt: skip
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        for one in self.hosts:
            stage.retire(found(stage, one))

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (f"Remove {len(self.hosts)} hosts",), (named(stage, self.hosts),)
