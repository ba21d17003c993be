"""Moves that end or bound things: a pool retired, a quota set, an allotment made."""

from dataclasses import dataclass

from keelmark.core.scenario.moves.base import (
    Ask,
    Fault,
    Form,
    Move,
    Parts,
    absent,
    found,
    holds_still,
    room_at,
    titled,
)
from keelmark.core.scenario.sight import At
from keelmark.core.scenario.stage import Stage


@dataclass(frozen=True, kw_only=True)
class RetirePlace(Move):
    """A pool, or an array with all its pools, is there no longer; it must be empty by then."""

    kind = "retire"
    title = "Retire a pool or array"
    about = "it must be empty by then"
    asks = (Ask(name="place", label="What", form=Form.THING, kinds=("pool", "array")),)
    place: int

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        for pool in self._pools(stage):
            held = stage.linked("volume", "pool", to=pool)
            told += holds_still(stage, pool, held, of="volume", field="place")
        return told

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        place = found(stage, self.place)
        for one in dict.fromkeys((*self._pools(stage), place)):
            stage.retire(one)

    def _pools(self, stage: Stage) -> list[At]:
        place = found(stage, self.place)
        return [place] if place.kind == "pool" else stage.linked("pool", "array", to=place)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (f"Retire {titled(stage, self.place)}",), ("empty by then",)


@dataclass(frozen=True, kw_only=True)
class SetQuota(Move):
    """A tenant, project or account may hold so much."""

    kind = "set_quota"
    title = "Set a quota"
    about = "a tenant, project or account may hold so much"
    asks = (
        Ask(name="of", label="Of", form=Form.THING, kinds=("tenant", "project", "account")),
        Ask(name="quota_bytes", label="Quota", form=Form.BYTES),
    )
    of: int
    quota_bytes: int

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        return absent(stage, self)

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        del number
        stage.set(found(stage, self.of), "quota", self.quota_bytes)

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        return (f"Quota of {titled(stage, self.of)}",), (self.quota_bytes,)


@dataclass(frozen=True, kw_only=True)
class Allot(Move):
    """Bytes and I/O of a pool are held for a tenant, who may provision out of them itself."""

    kind = "allot"
    title = "Allot to a tenant"
    about = "bytes and I/O of a pool are held for a tenant, who provisions out of them itself"
    asks = (
        Ask(name="pool", label="Of pool", form=Form.THING, kinds=("pool",)),
        Ask(name="tenant", label="For tenant", form=Form.THING, kinds=("tenant",)),
        Ask(name="allotted_bytes", label="Bytes", form=Form.BYTES),
        Ask(name="min_iops", label="I/O a second", form=Form.COUNT, is_optional=True,
            about="that its volumes may be promised together"),
    )  # fmt: skip
    pool: int
    tenant: int
    allotted_bytes: int
    min_iops: int | None = None

    def faults(self, stage: Stage) -> list[Fault]:
        """Return why it cannot be."""
        told = absent(stage, self)
        if told:
            return told
        pool, tenant = found(stage, self.pool), found(stage, self.tenant)
        if stage.allotment(pool, tenant=tenant):
            says = f"{stage.name(tenant)} has an allotment of {titled(stage, self.pool)}"
            told.append(
                Fault(
                    field="tenant", says=(says,), would_be="change that one, or take another pool"
                )
            )
        return told + room_at(stage, pool, added_bytes=self.allotted_bytes, field="allotted_bytes")

    def put(self, stage: Stage, *, number: int) -> None:
        """Write it."""
        stage.set_aside(
            found(stage, self.pool), tenant=found(stage, self.tenant), owner=-number,
            n_bytes=self.allotted_bytes, min_iops=self.min_iops or 0,
        )  # fmt: skip

    def says(self, stage: Stage) -> tuple[Parts, Parts]:
        """Return it in words."""
        rate = f" and {self.min_iops:,} I/O a second" if self.min_iops else ""
        to = f"Allot of {titled(stage, self.pool)} to {titled(stage, self.tenant)}"
        return (to,), (self.allotted_bytes, rate)
