"""Moves that bring work: VMs with their disks, new ones or copies of some that there are."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from keelmark.core.estate.estate import Estate
from keelmark.core.marks import DEFAULT_MARKS
from keelmark.core.scenario.moves.base import (
    DAYS_A_WEEK,
    MOST_BORN,
    Ask,
    DiskGiven,
    Fault,
    Form,
    Move,
    MoveFieldError,
    Parts,
    absent,
    found,
    room_at,
    titled,
)
from keelmark.core.scenario.moves.room import (
    OUT_OF,
    beyond_allotment,
    out_of_words,
    overcommitted,
    put_datastore,
)
from keelmark.core.scenario.sight import At, Holds
from keelmark.core.scenario.stage import Stage
from keelmark.core.units import GIB, PERCENT, percent_of


@dataclass(frozen=True, kw_only=True)
class Place(Move):
    """VMs come, with their disks, on a datastore that there is or on a new one of a pool."""

    kind = "place"
    title = "Place VMs"
    about = "on a datastore that there is, or on a new one of a pool"
    asks = (
        Ask(name="name", label="Name", form=Form.NAME),
        Ask(name="n_vms", label="How many", form=Form.COUNT),
        Ask(name="disks", label="Disks of each", form=Form.DISKS),
        Ask(name="to", label="On", form=Form.THING, kinds=("datastore", "pool"),
            about="a pool: a datastore is made on it"),
        Ask(name="cluster", label="Run by", form=Form.THING, kinds=("cluster",), is_optional=True,
            about="wanted on a pool"),
        Ask(name="tenant", label="For tenant", form=Form.THING, kinds=("tenant",),
            is_optional=True),
        Ask(name="n_cpus", label="CPUs of each", form=Form.COUNT, is_optional=True),
        Ask(name="memory_bytes", label="Memory of each", form=Form.BYTES, is_optional=True),
        OUT_OF,
    )  # fmt: skip
    name: str
    n_vms: int
    disks: tuple[DiskGiven, ...]
    to: int
    cluster: int | None = None
    tenant: int | None = None
    n_cpus: int | None = None
    memory_bytes: int | None = None
    out_of: int | None = None

    def __post_init__(self) -> None:
        if (n := self.n_vms * len(self.disks)) > MOST_BORN:
            raise MoveFieldError(
                move=self.kind, field="n_vms",
                wanted=f"at most {MOST_BORN:,} disks in one move, and these have {n:,}",
            )  # fmt: skip

    @property
    def promised_bytes(self) -> int:
        """Return what all of them are promised."""
        return self.n_vms * sum(one.size_bytes for one in self.disks)

    @property
    def first_bytes(self) -> int:
        """Return what all of them write on their first day."""
        return self.n_vms * sum(_first(one) for one in self.disks)

    def births(self) -> dict[str, int]:
        """Return what it brings; the datastore first, where one is made."""
        return {
            "datastore": 1, "volume": 1, "vm": self.n_vms, "disk": self.n_vms * len(self.disks),
        }  # fmt: skip

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        target = found(stage, self.to)
        if target.kind == "pool" and self.cluster is None:
            told.append(Fault(field="cluster", says=("no cluster would run them",),
                              would_be="name one"))  # fmt: skip
        if target.kind == "datastore" and self.cluster is not None:
            served = stage.served_by(target)
            if served and found(stage, self.cluster) not in served:
                names = " and ".join(stage.name(one) for one in served)
                says = f"{stage.name(target)} is a datastore of {names}"
                told.append(
                    Fault(field="cluster", says=(says,),
                          would_be="name that, mount it first, or take another datastore")
                )  # fmt: skip
        if self.out_of is not None:
            if target.kind != "pool":
                says = f"{stage.name(target)} is a datastore that there is"
                return [*told, Fault(field="out_of", says=(says,),
                                     would_be="name a pool, or take it as it lies")]  # fmt: skip
            return told + beyond_allotment(
                stage, target, tenant=found(stage, self.out_of), n_bytes=self.store_bytes,
                field="n_vms",
            )  # fmt: skip
        told += room_at(stage, target, added_bytes=self.first_bytes, field="to")
        if target.kind == "pool":
            told += overcommitted(stage, self.to, self.promised_bytes, field="to")
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        store, volume = stage.next_born(number, "datastore"), stage.next_born(number, "volume")
        target = found(stage, self.to)
        if target.kind == "pool":
            put_datastore(
                stage, store=store, volume=volume, pool=self.to, cluster=self.cluster or 0,
                name=self.name, size_bytes=self.store_bytes, thickness="thin",
                out_of=self.out_of,
            )  # fmt: skip
        else:
            store = target
        own = stage.link(store, "cluster", to="cluster")
        cluster = found(stage, self.cluster) if self.cluster is not None else own
        vms = [stage.next_born(number, "vm") for _ in range(self.n_vms)]
        links = {
            "cluster": cluster.row if cluster else -1,
            "tenant": found(stage, self.tenant).row if self.tenant else -1,
            "site": site.row if (site := stage.link(store, "site", to="site")) else -1,
        }
        put_vms(
            stage, vms, number=number, name=self.name, store=store, disks=self.disks, links=links,
            amounts={"cpus": self.n_cpus or 0, "memory": self.memory_bytes or 0},
        )  # fmt: skip
        stage.asks(
            store,
            min_iops=self.n_vms * sum(one.min_iops for one in self.disks),
            busy_iops=self.n_vms * sum(one.busy_iops for one in self.disks),
        )

    @property
    def store_bytes(self) -> int:
        """Return how large the datastore is that is made: all disks full at its limit mark."""
        limit_percent: int = DEFAULT_MARKS["limit_percent"]
        whole = -(-self.promised_bytes * PERCENT // limit_percent)
        return int(-(-whole // GIB) * GIB)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        each = sum(one.size_bytes for one in self.disks)
        pace = sum(one.bytes_a_week for one in self.disks)
        return (
            (f"Place {self.n_vms} × {self.name}",),
            (
                each,
                " each, +",
                pace,
                f" a week · on {titled(stage, self.to)}{out_of_words(stage, self.out_of)}",
            ),
        )


@dataclass(frozen=True, kw_only=True)
class Clone(Move):
    """Copies of a VM, full ones or such as share what they do not change."""

    kind = "clone"
    title = "Clone a VM"
    about = "full copies, or such as share what they do not change"
    asks = (
        Ask(name="vm", label="VM", form=Form.THING, kinds=("vm",)),
        Ask(name="n_copies", label="How many", form=Form.COUNT),
        Ask(name="sharing", label="Copies", form=Form.CHOICE, choices=("full", "sharing"),
            is_optional=True, without="full"),
        Ask(name="diverges_percent", label="Of its bytes that each changes", form=Form.PERCENT,
            is_optional=True, without=20, about="where they share"),
    )  # fmt: skip
    vm: int
    n_copies: int
    sharing: str = "full"
    diverges_percent: int = 20

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        by_store: dict[At, int] = {}
        for disk in stage.linked("disk", "vm", to=found(stage, self.vm)):
            store, held = stage.link(disk, "datastore", to="datastore"), stage.holds(disk)
            if held is None or store is None:
                told.append(
                    Fault(field="vm", is_bar=False,
                          says=(f"nobody read {stage.name(disk)}: its copies hold nothing here",))
                )  # fmt: skip
            else:
                by_store[store] = by_store.get(store, 0) + self._first(held) * self.n_copies
        if not by_store:
            told.append(Fault(field="vm", says=("it has no disk that was read",),
                              would_be="name another"))  # fmt: skip
        for store, added in by_store.items():
            told += room_at(stage, store, added_bytes=added, field="n_copies")
        return told

    def births_on(self, estate: Estate) -> dict[str, int]:
        """Return what it brings; disks of what the plan brings itself count with their VM.

        So do those of more copies than a move may bring.
        """
        row = estate.table("vm").row_of(self.vm)
        n_disks = 0 if row is None else int((estate.table("disk").links["vm"] == row).sum())
        n = self.n_copies * n_disks
        return {"vm": self.n_copies, "disk": n if n <= MOST_BORN else 0}

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it: each copy takes its bytes of where the disks of its source lie."""
        source = found(stage, self.vm)
        held = [
            (disk, store, one)
            for disk in stage.linked("disk", "vm", to=source)
            if (store := stage.link(disk, "datastore", to="datastore"))
            and (one := stage.holds(disk))
        ]
        has_disks = self.births_on(stage.plain)["disk"] > 0
        links = {
            name: to.row
            for name in ("cluster", "host", "project", "tenant", "site")
            if (to := stage.link(source, name, to=name))
        }
        amounts = {
            name: told
            for name in ("cpus", "memory")
            if (told := stage.amount(source, name)) is not None
        }
        if not has_disks:
            amounts["used"] = sum(self._first(one) for _, _, one in held)
        copies = [stage.next_born(number, "vm") for _ in range(self.n_copies)]
        for at, vm in enumerate(copies, start=1):
            stage.bear(
                vm, name=f"{stage.name(source)}-copy-{at}", amounts=amounts,
                words={"power": "on"}, links=links,
            )  # fmt: skip
        for disk, store, one in held:
            n, first = self.n_copies, self._first(one)
            each = replace(one, used_bytes=first, most_bytes=max(one.most_bytes, first))
            for at, vm in enumerate(copies if has_disks else (), start=1):
                born = stage.next_born(number, "disk")
                stage.bear(
                    born, name=f"{stage.name(disk)}-copy-{at}",
                    amounts={"size": one.most_bytes, "used": 0},
                    words={"thickness": stage.word(disk, "thickness") or ""},
                    links={**links, "vm": vm.row, "datastore": store.row},
                )  # fmt: skip
                stage.course_of(born, each)
            stage.course(
                store,
                replace(each, used_bytes=n * each.used_bytes, bytes_per_day=n * one.bytes_per_day,
                        most_bytes=n * each.most_bytes),
            )  # fmt: skip
            stage.add(store, "promised", n * one.most_bytes)

    def _first(self, held: Holds) -> int:
        if self.sharing == "full":
            return held.used_bytes
        return percent_of(held.used_bytes, self.diverges_percent)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        how = (
            "full copies" if self.sharing == "full"
            else f"sharing, each changes {self.diverges_percent} % of it"
        )  # fmt: skip
        return (f"Clone {titled(stage, self.vm)} {self.n_copies} times",), (how,)


def put_vms(
    stage: Stage, vms: Sequence[At], *, number: int, name: str, store: At,
    disks: Sequence[DiskGiven], links: dict[str, int], amounts: dict[str, int],
) -> None:  # fmt: skip
    """Write equal VMs with their disks on one datastore."""
    for at, vm in enumerate(vms, start=1):
        stage.bear(
            vm, name=f"{name}-{at}", amounts={k: n for k, n in amounts.items() if n},
            words={"power": "on"}, links=links,
        )  # fmt: skip
    n = len(vms)
    for place, disk in enumerate(disks, start=1):
        one = Holds(
            used_bytes=_first(disk), most_bytes=disk.size_bytes,
            bytes_per_day=0.0 if disk.is_thick else disk.bytes_a_week / DAYS_A_WEEK,
        )  # fmt: skip
        for at, vm in enumerate(vms, start=1):
            born = stage.next_born(number, "disk")
            stage.bear(
                born, name=f"{name}-{at}-d{place}",
                amounts={"size": disk.size_bytes, "used": 0},
                words={"thickness": "thick" if disk.is_thick else "thin"},
                links={**links, "vm": vm.row, "datastore": store.row},
            )  # fmt: skip
            stage.course_of(born, one)
        stage.course(
            store,
            Holds(used_bytes=n * one.used_bytes, bytes_per_day=n * one.bytes_per_day,
                  most_bytes=n * one.most_bytes),
        )  # fmt: skip
        stage.add(store, "promised", n * disk.size_bytes)


def _first(disk: DiskGiven) -> int:
    if disk.is_thick:
        return disk.size_bytes
    return percent_of(disk.size_bytes, disk.written_percent)
