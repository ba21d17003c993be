"""Moves that bring room: a pool extended or added, a datastore made or extended."""

from dataclasses import dataclass
from typing import Final

from keelmark.core.scenario.moves.base import (
    COST,
    Ask,
    Fault,
    Form,
    Move,
    Parts,
    absent,
    found,
    room_at,
    titled,
)
from keelmark.core.scenario.sight import At, Holds
from keelmark.core.scenario.stage import Stage
from keelmark.core.units import PERCENT

# Of a volume that is born out of an allotment: the id of the tenant, and what it is called there.
ALLOTTED_TO: Final = "allotted_to"
DRAWN_AS: Final = "drawn_as"
OUT_OF = Ask(
    name="out_of", label="Out of the allotment of", form=Form.THING, kinds=("tenant",),
    is_optional=True, about="without one: of the pool’s free space",
)  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class ExtendPool(Move):
    """Drives are added, so that a pool can hold more."""

    kind = "extend_pool"
    title = "Extend a pool"
    about = "drives are added, so that it can hold more"
    asks = (
        Ask(name="pool", label="Pool", form=Form.THING, kinds=("pool",)),
        Ask(name="added_bytes", label="Usable bytes added", form=Form.BYTES),
        Ask(name="n_drives", label="Drives", form=Form.COUNT, is_optional=True),
        COST,
    )
    pool: int
    added_bytes: int
    n_drives: int | None = None
    cost: int | None = None

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if not told and stage.amount(found(stage, self.pool), "size") is None:
            told.append(Fault(field="pool", says=("nobody told how much it can hold",)))
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        stage.add(found(stage, self.pool), "size", self.added_bytes)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        drives = f"{self.n_drives} drives, " if self.n_drives else ""
        return (f"Extend {titled(stage, self.pool)}",), (drives, self.added_bytes, " usable more")


@dataclass(frozen=True, kw_only=True)
class NewArray(Move):
    """An array that there is not yet, without pools: they are added to it."""

    kind = "new_array"
    title = "Add an array"
    about = "an array that there is not yet; its pools are added to it after"
    asks = (
        Ask(name="site", label="Site", form=Form.THING, kinds=("site",)),
        Ask(name="name", label="Name", form=Form.NAME),
        Ask(name="sustains", label="I/O a second it sustains", form=Form.COUNT, is_optional=True,
            about="nothing: not known, and no work is placed by it"),
        Ask(name="n_ports", label="Front-end ports", form=Form.COUNT, is_optional=True,
            about="nothing: not known"),
        COST,
    )  # fmt: skip
    site: int
    name: str
    sustains: int | None = None
    n_ports: int | None = None
    cost: int | None = None

    def births(self) -> dict[str, int]:
        """Return what it brings."""
        return {"array": 1}

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        if any(stage.name(one) == self.name for one in stage.all_of("array")):
            told.append(
                Fault(field="name", says=("there is an array of this name",),
                      would_be="take another name")
            )  # fmt: skip
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        ports = {} if self.n_ports is None else {"ports": self.n_ports, "free_ports": self.n_ports}
        sustains = {} if self.sustains is None else {"sustains": self.sustains}
        stage.bear(
            stage.next_born(number, "array"), name=self.name,
            amounts={"size": 0, "used": 0, "promised": 0, **sustains, **ports},
            words={"state": "clear"}, links={"site": found(stage, self.site).row},
        )  # fmt: skip

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        told = [
            f"{amount:,} {what}"
            for amount, what in ((self.sustains, "I/O a second"), (self.n_ports, "ports"))
            if amount
        ]
        return (f"Add array {self.name} at {titled(stage, self.site)}",), (", ".join(told),)


@dataclass(frozen=True, kw_only=True)
class NewPool(Move):
    """A pool that there is not yet, on an array."""

    kind = "new_pool"
    title = "Add a pool"
    about = "a pool that there is not yet, on an array"
    asks = (
        Ask(name="array", label="Array", form=Form.THING, kinds=("array",)),
        Ask(name="name", label="Name", form=Form.NAME),
        Ask(name="usable_bytes", label="Usable bytes", form=Form.BYTES),
        Ask(name="service_class", label="Service class", form=Form.NAME, is_optional=True,
            without=""),
        COST,
    )  # fmt: skip
    array: int
    name: str
    usable_bytes: int
    service_class: str = ""
    cost: int | None = None

    def births(self) -> dict[str, int]:
        """Return what it brings."""
        return {"pool": 1}

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        array = found(stage, self.array)
        if any(stage.name(one) == self.name for one in stage.linked("pool", "array", to=array)):
            told.append(
                Fault(field="name", says=(f"{stage.name(array)} has a pool of this name",),
                      would_be="take another name")
            )  # fmt: skip
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        array = found(stage, self.array)
        site = stage.link(array, "site", to="site")
        stage.bear(
            stage.next_born(number, "pool"), name=self.name,
            amounts={"size": self.usable_bytes, "used": 0, "promised": 0, "reserved": 0},
            words={"class": self.service_class, "state": "clear"},
            links={"array": array.row, **({"site": site.row} if site else {})},
        )  # fmt: skip

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (
            (f"Add pool {self.name} on {titled(stage, self.array)}",),
            (self.usable_bytes, " usable" + (f", {self.service_class}" * bool(self.service_class))),
        )


@dataclass(frozen=True, kw_only=True)
class NewDatastore(Move):
    """A volume cut from a pool, mapped to all hosts of a cluster, and a datastore on it."""

    kind = "new_datastore"
    title = "Make a datastore"
    about = "a volume of a pool, mapped to all hosts of a cluster, and a datastore on it"
    asks = (
        Ask(name="pool", label="On pool", form=Form.THING, kinds=("pool",)),
        Ask(name="cluster", label="For cluster", form=Form.THING, kinds=("cluster",)),
        Ask(name="name", label="Name", form=Form.NAME),
        Ask(name="size_bytes", label="Size", form=Form.BYTES),
        Ask(name="thickness", label="Provisioning", form=Form.CHOICE, choices=("thin", "thick"),
            is_optional=True, without="thin"),
        OUT_OF,
    )  # fmt: skip
    pool: int
    cluster: int
    name: str
    size_bytes: int
    thickness: str = "thin"
    out_of: int | None = None

    def births(self) -> dict[str, int]:
        """Return what it brings; the datastore first, for others to name."""
        return {"datastore": 1, "volume": 1}

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        cluster, pool = found(stage, self.cluster), found(stage, self.pool)
        if any(
            stage.name(one) == self.name for one in stage.linked("datastore", "cluster", to=cluster)
        ):
            told.append(
                Fault(field="name", says=(f"{stage.name(cluster)} has a datastore of this name",),
                      would_be="take another name")
            )  # fmt: skip
        if self.out_of is not None:
            return told + beyond_allotment(
                stage, pool, tenant=found(stage, self.out_of), n_bytes=self.size_bytes,
                field="size_bytes",
            )  # fmt: skip
        thick = self.size_bytes if self.thickness == "thick" else 0
        told += room_at(stage, pool, added_bytes=thick, field="size_bytes")
        return told + overcommitted(stage, self.pool, self.size_bytes, field="size_bytes")

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        store, volume = stage.next_born(number, "datastore"), stage.next_born(number, "volume")
        put_datastore(
            stage, store=store, volume=volume, pool=self.pool, cluster=self.cluster,
            name=self.name, size_bytes=self.size_bytes, thickness=self.thickness,
            out_of=self.out_of,
        )  # fmt: skip

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (
            (f"Make datastore {self.name}",),
            (self.size_bytes, f" {self.thickness} on {titled(stage, self.pool)}"
             f"{out_of_words(stage, self.out_of)}, for {titled(stage, self.cluster)}"),
        )  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class ExtendDatastore(Move):
    """A datastore and the largest volume that it lies on grow."""

    kind = "extend_datastore"
    title = "Extend a datastore"
    about = "it and the largest volume that it lies on grow"
    asks = (
        Ask(name="datastore", label="Datastore", form=Form.THING, kinds=("datastore",)),
        Ask(name="added_bytes", label="Bytes added", form=Form.BYTES),
    )
    datastore: int
    added_bytes: int

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        store = found(stage, self.datastore)
        if stage.amount(store, "size") is None:
            return [Fault(field="datastore", says=("nobody told how much it can hold",))]
        pools = [at for at, _ in stage.below(store) if at.kind == "pool"]
        largest = _largest_below(stage, store)
        if largest is not None and (drawn := stage.drawn_of(largest)) is not None:
            return told + beyond_allotment(
                stage, drawn[0], tenant=drawn[1], n_bytes=self.added_bytes, field="added_bytes"
            )
        for pool in pools[:1]:
            told += overcommitted(stage, stage.id_of(pool), self.added_bytes, field="added_bytes")
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        store = found(stage, self.datastore)
        stage.add(store, "size", self.added_bytes)
        largest = _largest_below(stage, store)
        if largest is not None:
            stage.add(largest, "size", self.added_bytes)
            pool = stage.link(largest, "pool", to="pool")
            if (drawn := stage.drawn_of(largest)) is not None:
                stage.draw(largest, drawn[0], tenant=drawn[1], n_bytes=self.added_bytes)
            elif pool is not None:
                stage.add(pool, "promised", self.added_bytes)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (f"Extend {titled(stage, self.datastore)}",), (self.added_bytes, " more")


def _largest_below(stage: Stage, store: At) -> At | None:
    volumes = [at for at, _ in stage.below(store) if at.kind == "volume"]
    return max(volumes, key=lambda one: stage.amount(one, "size") or 0, default=None)


def out_of_words(stage: Stage, tenant_id: int | None) -> str:
    """Return of whose allotment something is, if of anybody's."""
    return "" if tenant_id is None else f" out of the allotment of {titled(stage, tenant_id)}"


def beyond_allotment(
    stage: Stage, pool: At, *, tenant: At, n_bytes: int, field: str
) -> list[Fault]:  # fmt: skip
    """Return what bars so many bytes from being provisioned out of an allotment of a pool."""
    whose = f"{stage.name(tenant)} has allotted of {titled(stage, stage.id_of(pool))}"
    held = stage.allotment(pool, tenant=tenant)
    if held is None or held.first_day > stage.day:
        says = f"nothing is allotted of {titled(stage, stage.id_of(pool))} to {stage.name(tenant)}"
        return [Fault(field="out_of", says=(f"{says} on this day",),
                      would_be="allot it first, or take free space")]  # fmt: skip
    beyond = n_bytes - stage.left_to_draw(pool, tenant=tenant)
    if beyond <= 0:
        return []
    return [Fault(field=field, says=("it is ", beyond, f" more than what {whose}"),
                  would_be="take less, allot more first, or take free space")]  # fmt: skip


def put_datastore(
    stage: Stage, *, store: At, volume: At, pool: int, cluster: int, name: str, size_bytes: int,
    thickness: str, out_of: int | None = None,
) -> None:  # fmt: skip
    """Write a volume of a pool, or out of a tenant's allotment of it, and a datastore on it."""
    on, of = found(stage, pool), found(stage, cluster)
    site = stage.link(on, "site", to="site")
    array = stage.link(on, "array", to="array")
    at_site = {"site": site.row} if site else {}
    is_thick = thickness == "thick"
    stage.bear(
        volume, name=f"{name}-v1",
        amounts={"size": size_bytes, "used": 0, "mapped": 1, "reserved": 0},
        words={"thickness": thickness, "access": "block",
               **({ALLOTTED_TO: str(out_of), DRAWN_AS: name} if out_of else {})},
        links={"pool": on.row, **({"array": array.row} if array else {}), **at_site},
    )  # fmt: skip
    stage.bear(
        store, name=name,
        amounts={"size": size_bytes, "used": 0, "promised": 0, "reserved": 0},
        words={"access": "block", "state": "clear"}, links={"cluster": of.row, **at_site},
    )  # fmt: skip
    stage.pair("extents", store, volume)
    if out_of is not None:
        stage.draw(volume, on, tenant=found(stage, out_of), n_bytes=size_bytes)
        return
    stage.add(on, "promised", size_bytes)
    if is_thick:
        # What is thick takes its size of the pool at once.
        stage.course_of(on, Holds(used_bytes=size_bytes, bytes_per_day=0.0, most_bytes=size_bytes))


def overcommitted(stage: Stage, pool_id: int, added_bytes: int, *, field: str) -> list[Fault]:
    """Return whether promising more of a pool would be past its overcommit limit."""
    pool = found(stage, pool_id)
    promised, size = stage.amount(pool, "promised"), stage.amount(pool, "size")
    if promised is None or size is None:
        return []
    percent = int(stage.estate.marks["pool"].overcommit_limit_percent[pool.row])
    past = promised + added_bytes - size * percent // PERCENT
    if past <= 0:
        return []
    return [
        Fault(
            field=field,
            says=(f"{titled(stage, pool_id)} would promise ", past, " past its overcommit limit"),
            would_be="promise less, extend it first, or go elsewhere",
            is_bar=False,
        )
    ]
