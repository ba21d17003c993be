"""Moves of hosts: more of them, fewer, or such as see one datastore more."""

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
from keelmark.core.scenario.sight import At
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


@dataclass(frozen=True, kw_only=True)
class Mount(Move):
    """All hosts of a cluster see a datastore, so that its VMs may lie on it."""

    kind = "mount"
    title = "Mount a datastore"
    about = "all hosts of one more cluster see it, so that its VMs may lie on it"
    asks = (
        Ask(name="datastore", label="Datastore", form=Form.THING, kinds=("datastore",)),
        Ask(name="cluster", label="On all hosts of", form=Form.THING, kinds=("cluster",)),
    )
    datastore: int
    cluster: int

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        store, cluster = found(stage, self.datastore), found(stage, self.cluster)
        hosts = stage.linked("host", "cluster", to=cluster)
        if not hosts:
            return [Fault(field="cluster", says=(f"{stage.name(cluster)} has no hosts",),
                          would_be="add some first, or name another")]  # fmt: skip
        if not self._blind(stage):
            says = f"all hosts of {stage.name(cluster)} see {stage.name(store)} already"
            return [Fault(field="cluster", says=(says,), would_be="name another")]
        here, there = (stage.link(one, "site", to="site") for one in (store, cluster))
        if here and there and here != there:
            says = f"{stage.name(store)} lies at {stage.name(here)}, its hosts would be at "
            told.append(Fault(field="cluster", says=(says + stage.name(there),), is_bar=False))
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        store = found(stage, self.datastore)
        for host in self._blind(stage):
            stage.pair("seen_by", store, host)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        cluster = titled(stage, self.cluster)
        return (f"Mount {titled(stage, self.datastore)}",), (f"on all hosts of {cluster}",)

    def _blind(self, stage: Stage) -> list[At]:
        """The hosts of the cluster that do not see it yet."""
        seeing = stage.hosts_seeing(found(stage, self.datastore))
        hosts = stage.linked("host", "cluster", to=found(stage, self.cluster))
        return [one for one in hosts if one not in seeing]
