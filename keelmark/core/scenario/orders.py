"""What carries a scenario out: its steps in their order, each with the exact values to set."""

from collections.abc import Iterator, Sequence
from typing import Final

from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.kinds import OBJECT_TIERS
from keelmark.core.policy.nearest import PLANNED_POLICY, PLANNED_SNAPSHOTS, PLANNED_TIER
from keelmark.core.scenario.compiling import Compiled
from keelmark.core.scenario.effects import (
    AddAmount,
    OfRow,
    Retire,
    SetAmount,
    SetLink,
    SetsAside,
    SetWord,
)
from keelmark.core.scenario.lines import Before, Of
from keelmark.core.scenario.made import Made
from keelmark.core.scenario.steps import Step, StepKind, Values


def steps_of(told: Compiled) -> list[Step]:
    """Return what is to be done for a plan, by day and in the order of its moves.

    What a move only expects, such as faster growth, nobody does.
    """
    steps: list[Step] = []
    before = Before()
    for one in sorted(told.told, key=lambda one: one.day):
        steps += _Writer(told.estate, one.number, one.effects, before=before).steps()
    return steps


class _Writer(Made):
    """The steps of one move, from what it does to the columns."""

    def steps(self) -> Iterator[Step]:
        yield from self._made()
        yield from self._sized()
        yield from self._objects()
        for one in self.effects:
            if isinstance(one, SetLink):
                yield from self._moved(one)
            elif isinstance(one, SetAmount) and one.column == "quota":
                yield self._quota(one)
            elif isinstance(one, SetsAside):
                yield self._allotted(one)
        yield from self._mounts()
        yield from self._mirrors()
        yield from self._told()
        yield from self._limits()
        yield from self._going()

    def _sized(self) -> Iterator[Step]:
        """What comes to be larger or smaller; what carries another grows before it."""
        sized = [one for one in self.effects if isinstance(one, AddAmount) and one.column == "size"]
        if disks := [one for one in sized if one.kind == "disk"]:
            yield self._resized(disks)
        grown = [one for one in sized if one.kind != "disk"]
        for more in sorted(grown, key=lambda more: _FIRST_GROWN.index(more.kind)):
            yield from self._extended(more)

    def _objects(self) -> Iterator[Step]:
        """What comes into a tier of a bucket."""
        for one in self.effects:
            if isinstance(one, AddAmount) and one.kind == "bucket" and one.column in OBJECT_TIERS:
                at = (f"{one.kind} {one.column}", one.row)
                told = self.estate.table(one.kind).amounts(one.column).told(one.row)
                was = self.sizes.get(at, told or 0)
                self.sizes[at] = was + one.amount
                yield self._step(
                    one, StepKind.PUT_OBJECTS,
                    f"Put objects into bucket {self._named(one)}, {one.column}: ",
                    {"bucket": self._named(one), "object_tier": one.column,
                     "size_bytes": one.amount, "was_bytes": was}, amount=one.amount,
                )  # fmt: skip

    def _told(self) -> Iterator[Step]:
        """What things are told to be or to have: tiers, policies, snapshots."""
        words = [one for one in self.effects if isinstance(one, SetWord)]
        for column, kind in _NAMED.items():
            if some := [one for one in words if one.column == column]:
                yield self._named_for(some, kind)
        if some := [one for one in words if one.column == PLANNED_SNAPSHOTS]:
            yield self._snapshots(some)

    def _limits(self) -> Iterator[Step]:
        """Other limits: of a tier for all that are in it, of a volume at its array."""
        for tier in self.tiers:
            least, most = tier.limits or (0, 0)
            yield Step(
                move=self.number, day=tier.day, kind=StepKind.REVISE_TIER, subject=None,
                subject_kind=tier.kind,
                title=(f"Change tier {tier.name} to {least:,} to {most:,} I/O a second",),
                values={"tier": tier.name, "min_iops": least, "max_iops": most},
            )  # fmt: skip
        set_to = [one for one in self.effects if isinstance(one, SetAmount)]
        least_of = {one.row: one.amount or 0 for one in set_to if one.column == "min_iops"}
        for one in set_to:
            if one.column == "max_iops":
                least, most = least_of.get(one.row, 0), one.amount or 0
                yield self._step(
                    one, StepKind.SET_LIMITS,
                    f"Set volume {self._named(one)} to {least:,} to {most:,} I/O a second",
                    {"min_iops": least, "max_iops": most},
                )  # fmt: skip

    def _going(self) -> Iterator[Step]:
        """What goes, but not with what it is of."""
        gone = {(one.kind, one.row) for one in self.effects if isinstance(one, Retire)}
        going = [one for one in self.effects if isinstance(one, Retire)]
        for each in sorted(going, key=lambda each: _LAST_FIRST.index(each.kind)):
            if not self._goes_with(each, gone):
                yield self._removed(each, gone)

    def _extended(self, one: AddAmount) -> Iterator[Step]:
        kind, at = _EXTENDED[one.kind], (one.kind, one.row)
        size = self.sizes.get(at, self.estate.table(one.kind).amounts("size").told(one.row))
        if size is None:
            return
        self.sizes[at] = size + one.amount
        yield self._step(
            one, kind, f"Extend {one.kind} {self._named(one)} to ",
            {"size_bytes": size + one.amount, "was_bytes": size}, amount=size + one.amount,
        )  # fmt: skip

    def _moved(self, one: SetLink) -> Iterator[Step]:
        kind = _MOVED.get((one.kind, one.link))
        if kind is None or one.to == NOWHERE or (one.kind, one.row) in self.born:
            return
        to = self.estate.table(one.link)
        yield self._step(
            one, kind, f"Move {one.kind} {self._named(one)} to {one.link} {to.names[one.to]}",
            {"to": to.names[one.to], "to_id": self._known(one.link, one.to) or "",
             "to_kind": one.link},
        )  # fmt: skip

    def _mounts(self) -> Iterator[Step]:
        """Datastores that more hosts see: what they lie on is mapped to those first."""
        hosts = self.estate.table("host").links["cluster"]
        seen = [one for one in self.pairs if one.kind == "seen_by"]
        onto = dict.fromkeys((one.day, one.left, int(hosts[one.right])) for one in seen)
        for day, row, at in onto:
            store, cluster = Of(day, "datastore", row), Of(day, "cluster", at)
            to: Values = {"cluster": self._named(cluster), "cluster_id": self._known("cluster", at)}
            for volume in self._under(store):
                of = self.before.born.get((volume.kind, volume.row))
                title = f"Map volume {self._named(volume)} to all hosts of {to['cluster']}"
                place = self._place_of(of) if of else {}
                yield self._step(volume, StepKind.MAP_VOLUME, title, {**place, **to})
            title = f"Mount datastore {self._named(store)} on all hosts of {to['cluster']}"
            yield self._step(store, StepKind.MOUNT_DATASTORE, title, to)

    def _under(self, store: Of) -> list[Of]:
        pairs = self.estate.pairs["extents"]
        rows = pairs.right[pairs.left == store.row].tolist()
        return [
            Of(store.day, "volume", row) for row in (*rows, *self.before.under.get(store.row, ()))
        ]

    def _mirrors(self) -> Iterator[Step]:
        """Volumes that are mirrored from then on, or no longer."""
        table = self.estate.table("volume")
        for pair in self.pairs:
            if pair.kind != "replicas":
                continue
            of = Of(pair.day, "volume", pair.left)
            copy = self.born.get(("volume", pair.right))
            name = copy.name if copy else table.names[pair.right]
            values: Values = {"volume": self._named(of), "copy": name}
            if copy:
                values |= {"pool": self._name("pool", copy), "pool_id": self._id("pool", copy)}
            else:
                values["copy_id"] = int(table.ids[pair.right])
            if pair.is_there:
                title = f"Mirror volume {self._named(of)} to volume {name}"
                yield self._step(of, StepKind.START_MIRROR, title, values)
            else:
                title = f"End the mirror of volume {self._named(of)} at volume {name}"
                yield self._step(of, StepKind.END_MIRROR, title, values)

    def _quota(self, one: SetAmount) -> Step:
        return self._step(
            one, StepKind.SET_QUOTA, f"Set the quota of {one.kind} {self._named(one)} to ",
            {"quota_bytes": one.amount or 0}, amount=one.amount or 0,
        )  # fmt: skip

    def _allotted(self, one: SetsAside) -> Step:
        tenants, hold = self.estate.table("tenant"), one.hold
        tenant = tenants.names[hold.tenant]
        return self._step(
            one, StepKind.ALLOT, f"Allot of {self._named(one)} to {tenant} ",
            {"tenant": tenant, "tenant_id": int(tenants.ids[hold.tenant]),
             "allotted_bytes": hold.most_bytes, "min_iops": hold.min_iops},
            amount=hold.most_bytes,
        )  # fmt: skip

    def _resized(self, some: Sequence[AddAmount]) -> Step:
        """All disks that a move resizes are one thing to do, each with its size."""
        ids, sizes = self._ids(some), []
        for one in some:
            at = (one.kind, one.row)
            size = self.sizes.get(at, self.estate.table(one.kind).amounts("size").told(one.row))
            self.sizes[at] = (size or 0) + one.amount
            sizes.append(str(self.sizes[at]))
        verb = "Extend" if some[0].amount > 0 else "Shrink"
        names = [self._named(one) for one in some]
        return self._step(
            some[0], StepKind.RESIZE_DISKS, f"{verb} {self._counted(names, 'disk')}",
            {"n": len(some), "names": names, "ids": ids, "sizes": sizes},
        )  # fmt: skip

    def _snapshots(self, some: Sequence[SetWord]) -> Step:
        names, minutes = [self._named(one) for one in some], int(some[0].word or 0)
        return self._step(
            some[0], StepKind.SET_SNAPSHOTS,
            f"Take snapshots of {self._counted(names, 'volume')} every {minutes // 60} h",
            {"n": len(some), "names": names, "ids": self._ids(some), "every_minutes": minutes},
        )  # fmt: skip

    def _ids(self, some: Sequence[OfRow]) -> list[str]:
        return [str(int(self.estate.table(one.kind).ids[one.row])) for one in some]

    def _counted(self, names: Sequence[str], kind: str) -> str:
        return f"{kind} {names[0]}" if len(names) == 1 else f"{len(names)} {kind}s"

    def _named_for(self, some: Sequence[SetWord], kind: StepKind) -> Step:
        """All that a move names the same tier or policy for is one thing to do."""
        first, names = some[0], [self._named(one) for one in some]
        more = f" and {len(names) - 1} more" if len(names) > 1 else ""
        what = "tier" if kind is StepKind.NAME_TIER else "policy"
        verb = "Name tier" if kind is StepKind.NAME_TIER else "Promise policy"
        to = "for" if kind is StepKind.NAME_TIER else "to"
        return self._step(
            first, kind, f"{verb} {first.word} {to} {names[0]}{more}",
            {what: first.word or "", "n": len(names), "names": names, "ids": self._ids(some)},
        )  # fmt: skip

    def _removed(self, one: Retire, gone: set[tuple[str, int]]) -> Step:
        lost = [self._named(one), *self._below(one, gone)]
        return self._step(
            one, StepKind.REMOVE, f"Remove {_WORDS.get(one.kind, one.kind)} {self._named(one)}",
            {}, loses=tuple(lost),
        )  # fmt: skip

    def _below(self, one: Retire, gone: set[tuple[str, int]]) -> Iterator[str]:
        """Names of what goes with a thing: the disks of a VM, the pools of an array."""
        for kind, row in sorted(gone):
            for link, upper in _GOES_WITH.get(kind, ()):
                if upper == one.kind and int(self.estate.table(kind).links[link][row]) == one.row:
                    yield self.estate.table(kind).names[row]

    def _goes_with(self, one: Retire, gone: set[tuple[str, int]]) -> bool:
        """Whether a thing goes since that which it is of goes."""
        links = self.estate.table(one.kind).links
        return any(
            (upper, int(links[link][one.row])) in gone
            for link, upper in _GOES_WITH.get(one.kind, ())
            if link in links
        )


# What lies on another is taken away before it.
_LAST_FIRST: Final = (
    "snapshot", "file", "disk", "vm", "host", "datastore", "volume", "pool", "array",
)  # fmt: skip
_FIRST_GROWN: Final = ("pool", "volume", "datastore")
_WORDS: Final = {"vm": "VM"}
_EXTENDED: Final = {
    "pool": StepKind.EXTEND_POOL, "volume": StepKind.EXTEND_VOLUME,
    "datastore": StepKind.EXTEND_DATASTORE,
}  # fmt: skip
_NAMED: Final = {
    PLANNED_TIER: StepKind.NAME_TIER, PLANNED_POLICY: StepKind.PROMISE_POLICY,
}  # fmt: skip
_MOVED: Final = {
    ("volume", "pool"): StepKind.MOVE_VOLUME, ("disk", "datastore"): StepKind.MOVE_DISK,
}  # fmt: skip
# With what a thing goes, by the link that leads to it.
_GOES_WITH: Final = {
    "disk": (("vm", "vm"),), "snapshot": (("vm", "vm"), ("volume", "volume")),
    "pool": (("array", "array"),),
}  # fmt: skip
