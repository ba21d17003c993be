"""Steps for what a plan brings: arrays, pools, volumes with datastores on them, VMs, hosts."""

from collections.abc import Iterator, Sequence

from keelmark.core.scenario.effects import (
    Born,
)
from keelmark.core.scenario.lines import Lines
from keelmark.core.scenario.moves.room import ALLOTTED_TO, DRAWN_AS
from keelmark.core.scenario.moves.work import CLONE_OF
from keelmark.core.scenario.steps import Step, StepKind, Values


class Made(Lines):
    """What there is not yet."""

    def _made(self) -> Iterator[Step]:
        """What there is not yet: a pool, a volume with a datastore on it, VMs, hosts."""
        stores = [one for one in self.born.values() if one.kind == "datastore"]
        clones = [one for one in self.born.values() if CLONE_OF in one.words]
        if clones:
            yield self._cloned(clones)
        for one in self.born.values():
            if one in clones:
                continue
            if one.kind == "array":
                yield self._step(
                    one, StepKind.ADD_ARRAY, f"Add array {one.name} at {self._name('site', one)}",
                    {"site": self._name("site", one), "site_id": self._id("site", one),
                     **{name: one.amounts[name] for name in ("sustains", "ports")
                        if name in one.amounts}},
                )  # fmt: skip
            elif one.kind == "pool":
                yield self._step(
                    one, StepKind.ADD_POOL, f"Add pool {one.name} to {self._name('array', one)}",
                    {"array": self._name("array", one), "array_id": self._id("array", one),
                     "size_bytes": one.amounts["size"],
                     "service_class": one.words.get("class", "")},
                )  # fmt: skip
            elif one.kind == "volume":
                yield from self._volume(one, stores)
        for kind, step, word in (
            ("vm", StepKind.DEPLOY_VMS, "VMs"), ("host", StepKind.ADD_HOSTS, "hosts"),
        ):  # fmt: skip
            if some := [one for one in self.born.values() if one.kind == kind]:
                yield self._several(some, step, word)

    def _volume(self, one: Born, stores: Sequence[Born]) -> Iterator[Step]:
        place = self._place_of(one)
        yield self._step(
            one, StepKind.CREATE_VOLUME,
            f"Create volume {one.name} on {place['array']} · {place['pool']}",
            {**place, **self._out_of(one), "size_bytes": one.amounts["size"],
             "thickness": one.words.get("thickness", "thin")},
        )  # fmt: skip
        for store in stores:
            cluster: Values = {"cluster": self._name("cluster", store),
                               "cluster_id": self._id("cluster", store)}  # fmt: skip
            yield self._step(
                one, StepKind.MAP_VOLUME,
                f"Map volume {one.name} to all hosts of {cluster['cluster']}",
                {**place, **cluster},
            )  # fmt: skip
            yield self._step(
                store, StepKind.MAKE_DATASTORE,
                f"Make datastore {store.name} on volume {one.name}, for {cluster['cluster']}",
                {**cluster, "volume": one.name, "size_bytes": store.amounts["size"]},
            )  # fmt: skip

    def _place_of(self, volume: Born) -> Values:
        return {
            "pool": self._name("pool", volume), "pool_id": self._id("pool", volume),
            "array": self._name("array", volume),
        }  # fmt: skip

    def _out_of(self, volume: Born) -> Values:
        """Out of whose allotment a volume comes, and what it is called there."""
        tenant_id = int(volume.words.get(ALLOTTED_TO, 0))
        if not tenant_id:
            return {}
        tenants = self.estate.table("tenant")
        row = tenants.row_of(tenant_id)
        return {
            "allotted_to": "" if row is None else tenants.names[row], "allotted_to_id": tenant_id,
            "drawn_as": volume.words[DRAWN_AS],
        }  # fmt: skip

    def _cloned(self, clones: Sequence[Born]) -> Step:
        """All clones of a volume are one thing to do."""
        first, volumes = clones[0], self.estate.table("volume")
        source = int(first.words[CLONE_OF])
        row = volumes.row_of(source)
        of = "" if row is None else volumes.names[row]
        return self._step(
            first, StepKind.CLONE_VOLUME, f"Make {len(clones)} space-sharing clones of volume {of}",
            {"of": of, "of_id": source, "n": len(clones), "names": [one.name for one in clones],
             "pool": self._name("pool", first), "pool_id": self._id("pool", first),
             "array": self._name("array", first), "size_bytes": first.amounts["size"]},
        )  # fmt: skip

    def _several(self, some: Sequence[Born], kind: StepKind, word: str) -> Step:
        """All VMs, or hosts, of a move are one thing to do."""
        first = some[0]
        values: Values = {
            "n": len(some), "names": [one.name for one in some],
            "cluster": self._name("cluster", first), "cluster_id": self._id("cluster", first),
        }  # fmt: skip
        for name in ("cpus", "memory"):
            if first.amounts.get(name):
                values["memory_bytes" if name == "memory" else name] = first.amounts[name]
        disks = [
            one
            for one in self.born.values()
            if one.kind == "disk" and one.links.get("vm") == first.row
        ]
        if disks:
            values["disks"] = [str(one.amounts["size"]) for one in disks]
            values["datastore"] = self._name("datastore", disks[0])
            values["datastore_id"] = self._id("datastore", disks[0])
        on = f" on {values['datastore']}" if disks else ""
        verb, to = ("Deploy", "in") if kind is StepKind.DEPLOY_VMS else ("Add", "to")
        title = f"{verb} {len(some)} {word} {to} {values['cluster']}"
        return self._step(first, kind, title + on, values)
