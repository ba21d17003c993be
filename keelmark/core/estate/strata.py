"""The estate cut open: what stands on, lies in or belongs to what, and with how many bytes."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from keelmark.core.arrays import Bools, Int64s
from keelmark.core.estate.books import Books, Sum, exact_sum, folded
from keelmark.core.estate.columns import NOWHERE, Amounts, Words, unknown
from keelmark.core.estate.figures import figure
from keelmark.core.estate.reading import LIKELY, Reading, When, grown


class Way(StrEnum):
    """Which way in."""

    STORAGE = "storage"  # site, array, pool, volume, datastore, VM, disk
    CONSUMERS = "consumers"  # tenant, project, VM, disk
    HOSTS = "hosts"  # cluster, host, VM, disk
    OBJECTS = "objects"  # account, bucket, tier


class Height(StrEnum):
    """By which bytes each is drawn."""

    USED = "used"
    PROMISED = "promised"
    EXPOSURE = "exposure"
    GROWN = "grown"


ROOTS = {
    Way.STORAGE: "site",
    Way.CONSUMERS: "tenant",
    Way.HOSTS: "cluster",
    Way.OBJECTS: "account",
}
# What exposure is of: who hands out more than there is. Others may still write what they lack.
_GIVES = frozenset({"site", "array", "pool", "datastore", "cluster", "tenant", "project"})


@dataclass(frozen=True, slots=True)
class Node:
    """One thing by its kind and the row in its table."""

    kind: str
    row: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Member:
    """A thing of a layer with its bytes there, None where nobody read them."""

    node: Node
    amount: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Remainder:
    """Bytes of a layer that belong to no thing of it, and what they are."""

    what: str  # unclaimed, orphans, other-files, unpooled, hot, warm, cold
    amount: int
    n: int | None = None  # of how many things
    size_bytes: int | None = None  # what they could hold


@dataclass(frozen=True, slots=True, kw_only=True)
class Layer:
    """What stands on one thing (None: on nothing, it is the first), the most first."""

    of: Node | None
    members: tuple[Member, ...]
    remainders: tuple[Remainder, ...]
    total: Sum


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Cut:
    """How the estate is cut: a reading, which way in, by what, and who is shown.

    ``shown`` is by kind what the bearing leaves; ``since`` begins the window of growth.
    """

    reading: Reading
    way: Way
    height: Height
    shown: Mapping[str, Bools]
    since: Reading | None = None

    def amounts(self, kind: str) -> Amounts:
        """Return what each of a kind is drawn by."""
        books = self.reading.books.get(kind)
        if books is None:
            return unknown(len(self.reading.estate.table(kind)))
        if self.height is Height.GROWN and self.since is not None:
            return grown(self.reading, since=self.since, kind=kind)
        return {
            Height.USED: lambda: books.used,
            Height.PROMISED: lambda: books.promised,
            Height.EXPOSURE: lambda: books.exposure if kind in _GIVES else _unwritten(books),
            Height.GROWN: lambda: unknown(len(books.used)),
        }[self.height]()


def _unwritten(books: Books) -> Amounts:
    """What may still be written: size less used."""
    return Amounts(
        values=np.maximum(books.size.values - books.used.values, 0),
        is_known=books.size.is_known & books.used.is_known,
    )


def layers(cut: Cut, *, path: tuple[Node, ...], n_most: int) -> list[Layer]:
    """Return the layers along a path: the first, and what stands on each of the path's things.

    Parameters
    ----------
    cut : Cut
        How the estate is cut.
    path : tuple of Node
        The chosen thing of each layer in turn; where it ends, the largest thing of each layer
        is followed to the last.
    n_most : int
        How deep the strata go at most, circles among shared pools aside.
    """
    found = [_layer(cut, of=None, path=())]
    followed: tuple[Node, ...] = ()
    while len(found) < n_most:
        depth = len(followed)
        members = found[-1].members
        node = path[depth] if depth < len(path) else members[0].node if members else None
        if node is None or node in followed:
            break
        followed = (*followed, node)
        layer = _layer(cut, of=node, path=followed)
        if not layer.members and not layer.remainders:
            break
        found.append(layer)
    return found


def _layer(cut: Cut, *, of: Node | None, path: tuple[Node, ...]) -> Layer:
    groups = _roots(cut) if of is None else _children(cut, of=of, path=path)
    members: list[Member] = []
    n_unread = 0
    all_known: list[Int64s] = []
    for kind, rows, told in groups:
        is_shown = cut.shown[kind][rows] & cut.reading.is_there[kind][rows]
        rows, told = rows[is_shown], told.of_rows(np.flatnonzero(is_shown))
        members += [
            Member(node=Node(kind, int(row)), amount=told.told(at))
            for at, row in enumerate(rows.tolist())
        ]
        all_known.append(told.values[told.is_known])
        n_unread += int((~told.is_known).sum())
    remainders = () if of is None else _remainders(cut, of=of, groups=groups)
    known = np.concatenate(all_known) if all_known else np.zeros(0, dtype=np.int64)
    members.sort(key=lambda one: (one.amount is None, -(one.amount or 0), one.node.row))
    return Layer(
        of=of,
        members=tuple(members),
        remainders=remainders,
        total=Sum(
            known_bytes=exact_sum(known) + sum(one.amount for one in remainders),
            n_known=len(known),
            n_unread=n_unread,
        ),
    )


Group = tuple[str, Int64s, Amounts]  # a kind, rows of it, and their bytes here


def _roots(cut: Cut) -> list[Group]:
    kind = ROOTS[cut.way]
    return [_group(cut, kind=kind, rows=np.arange(len(cut.reading.estate.table(kind))))]


def _group(cut: Cut, *, kind: str, rows: Int64s) -> Group:
    is_hosted = cut.way is Way.HOSTS and kind == "cluster"
    told = _of_hosted(cut) if is_hosted else cut.amounts(kind)
    return kind, rows, told.of_rows(rows)


def _of_hosted(cut: Cut) -> Amounts:
    """What the VMs of each cluster hold, which is not what its datastores do."""
    vms = cut.amounts("vm")
    onto = np.where(cut.reading.is_there["vm"], cut.reading.link("vm", "cluster"), NOWHERE)
    return folded(vms, onto=onto, n=len(cut.reading.estate.table("cluster")))[0]


def _children(cut: Cut, *, of: Node, path: tuple[Node, ...]) -> list[Group]:
    reading = cut.reading
    linked = {
        Way.STORAGE: _STORAGE, Way.CONSUMERS: _CONSUMERS, Way.HOSTS: _HOSTS, Way.OBJECTS: _OBJECTS,
    }[cut.way].get(of.kind, ())  # fmt: skip
    groups = [
        _group(cut, kind=kind, rows=np.flatnonzero(reading.link(kind, link) == of.row))
        for kind, link in linked
    ]
    if of.kind == "array":
        groups.append(_without_pool(cut, of=of))
    elif of.kind == "volume":
        groups += _on_volume(cut, of=of)
    elif of.kind == "datastore":
        groups.append(_in_store(cut, of=of))
    elif of.kind == "vm":
        groups.append(_disks(cut, of=of, path=path))
    return [group for group in groups if len(group[1])]


_STORAGE = {
    "site": (("array", "site"),),
    "array": (("pool", "array"),),
    "pool": (("volume", "pool"),),
}
_CONSUMERS = {"tenant": (("project", "tenant"),), "project": (("vm", "project"),)}
_HOSTS = {"cluster": (("host", "cluster"),), "host": (("vm", "host"),)}
_OBJECTS = {"account": (("bucket", "account"),)}


def _without_pool(cut: Cut, *, of: Node) -> Group:
    """Volumes whose array tells of no pool for them."""
    is_here = cut.reading.link("volume", "array") == of.row
    is_loose = cut.reading.link("volume", "pool") == NOWHERE
    return _group(cut, kind="volume", rows=np.flatnonzero(is_here & is_loose))


def _on_volume(cut: Cut, *, of: Node) -> list[Group]:
    """Datastores with the share of them that lies on a volume, and pools built over it."""
    groups: list[Group] = []
    for name, kind in (("extents", "datastore"), ("backings", "pool")):
        pairs = cut.reading.estate.pairs.get(name)
        if pairs is None:
            continue
        above = pairs.left[pairs.right == of.row]
        if len(above):
            told = cut.amounts(kind).of_rows(above)
            groups.append((kind, above, _shared(cut, name=name, of=of, above=above, told=told)))
    return groups


def _shared(cut: Cut, *, name: str, of: Node, above: Int64s, told: Amounts) -> Amounts:
    """The part of what lies on several volumes that is reckoned to one, by their sizes."""
    pairs = cut.reading.estate.pairs[name]
    sizes = cut.reading.books["volume"].size
    values = told.values.copy()
    for at, row in enumerate(above.tolist()):
        under = pairs.right[pairs.left == row]
        whole = exact_sum(sizes.values[under])
        if len(under) > 1 and whole > 0:
            values[at] = int(told.values[at]) * int(sizes.values[of.row]) // whole
    return Amounts(values=values, is_known=told.is_known)


def _in_store(cut: Cut, *, of: Node) -> Group:
    """VMs with what their disks hold in one datastore."""
    reading = cut.reading
    is_here = reading.is_there["disk"] & (reading.store_of_disk == of.row)
    onto = np.where(is_here, reading.link("disk", "vm"), NOWHERE)
    told, _ = folded(cut.amounts("disk"), onto=onto, n=len(reading.estate.table("vm")))
    rows = np.unique(onto[onto != NOWHERE])
    return "vm", rows, told.of_rows(rows)


def _disks(cut: Cut, *, of: Node, path: tuple[Node, ...]) -> Group:
    """A VM's disks; on the way through a datastore, those that lie there."""
    is_own = cut.reading.link("disk", "vm") == of.row
    store = next((node.row for node in path if node.kind == "datastore"), None)
    if store is not None:
        is_own = is_own & (cut.reading.store_of_disk == store)
    return _group(cut, kind="disk", rows=np.flatnonzero(is_own))


def _remainders(cut: Cut, *, of: Node, groups: list[Group]) -> tuple[Remainder, ...]:
    """What a thing holds beyond what stands on it; nothing is told of what is narrowed."""
    if of.kind == "bucket":
        return _tiers(cut, of=of)
    if not _is_whole(cut, groups=groups):
        return ()
    found: list[Remainder] = []
    if of.kind == "array" and cut.height in (Height.USED, Height.PROMISED):
        found += _unpooled(cut, of=of)
    if of.kind == "datastore" and cut.height is Height.USED:
        found += _files(cut, of=of)
    if cut.height is Height.USED and of.kind in ("pool", "volume", "datastore"):
        # At a quantile parts do not add up to their whole: there is nothing to take away.
        if cut.reading.when is When.FORECAST and cut.reading.quantile != LIKELY:
            return tuple(found)
        whole = cut.amounts(of.kind)
        claimed = sum(exact_sum(told.values[told.is_known]) for _, _, told in groups)
        claimed += sum(one.amount for one in found)
        is_told = all(told.is_known.all() for _, _, told in groups)
        if whole.is_known[of.row] and is_told and whole.values[of.row] > claimed:
            found.append(Remainder(what="unclaimed", amount=int(whole.values[of.row]) - claimed))
    return tuple(found)


def _is_whole(cut: Cut, *, groups: list[Group]) -> bool:
    return all(
        bool((cut.shown[kind][rows] | ~cut.reading.is_there[kind][rows]).all())
        for kind, rows, _ in groups
    )


def _unpooled(cut: Cut, *, of: Node) -> list[Remainder]:
    """Drives in no pool: they hold nothing that anybody wrote, whatever their capacity."""
    table = cut.reading.estate.table("drive")
    roles = table.columns["role"]
    if not isinstance(roles, Words) or "unpooled" not in roles.words:
        return []
    is_here = (table.links["array"] == of.row) & cut.reading.is_there["drive"]
    is_here &= roles.codes == roles.words.index("unpooled")
    if not is_here.any():
        return []
    whole = exact_sum(table.amounts("size").values[is_here])
    return [Remainder(what="unpooled", amount=0, n=int(is_here.sum()), size_bytes=whole)]


def _files(cut: Cut, *, of: Node) -> list[Remainder]:
    """Disk files that no VM knows, and files that are no disk."""
    table = cut.reading.estate.table("file")
    orphan, size = (figure(cut.reading, kind="file", name=name) for name in ("orphan", "size"))
    if not isinstance(orphan, Amounts) or not isinstance(size, Amounts):
        return []
    is_here = (table.links["datastore"] == of.row) & cut.reading.is_there["file"] & size.is_known
    orphans = is_here & (orphan.values == 1)
    if not orphans.any():
        return []
    return [Remainder(what="orphans", amount=exact_sum(size.values[orphans]), n=int(orphans.sum()))]


def _tiers(cut: Cut, *, of: Node) -> tuple[Remainder, ...]:
    if cut.height is not Height.USED:
        return ()
    found = []
    for tier in ("hot", "warm", "cold"):
        told = figure(cut.reading, kind="bucket", name=tier)
        if isinstance(told, Amounts) and told.is_known[of.row]:
            found.append(Remainder(what=tier, amount=int(told.values[of.row])))
    return tuple(found)
