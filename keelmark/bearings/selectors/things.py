"""One thing at a bearing: its figures, what it grew, what it stands on and who stands on it."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from keelmark.bearings.selectors.lists import Columns, cells
from keelmark.bearings.selectors.picture import reading_at
from keelmark.bearings.selectors.views import View
from keelmark.core.arrays import Bools
from keelmark.core.estate.books import Sum, total
from keelmark.core.estate.columns import Words
from keelmark.core.estate.kinds import KINDS
from keelmark.core.estate.reach import pulled, way_between
from keelmark.core.estate.reading import LIKELY, grown
from keelmark.core.estate.strata import Node

WINDOWS_DAYS = (1, 7, 30, 90, 365)
MOST_NAMED = 12
# From what lies below all to who eats it.
LAYERS = (
    "site", "array", "pool", "volume", "datastore", "disk", "vm", "project", "tenant", "cluster",
    "host", "account", "bucket",
)  # fmt: skip
_BESIDE = frozenset({"cluster", "host", "account", "bucket"})
# What stops VMs when it fails.
_CARRIES = frozenset({"site", "array", "pool", "volume", "datastore", "host", "cluster"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Related:
    """The things of one kind that share bytes with one thing."""

    kind: str
    side: str  # under: it stands on them; over: they stand on it; beside: they share what it is on
    n: int
    used: Sum
    named: list[dict[str, Any]]  # Any: JSON; the largest


def figures_of(view: View, node: Node) -> dict[str, Any]:  # Any: JSON
    """Return every field and link of a thing by name."""
    kind = KINDS[node.kind]
    names = [one.name for one in kind.fields if one.name != "grown"]
    names += [name for name, _ in kind.links]
    return cells(Columns(view, kind=node.kind), row=node.row, names=names)


def growth_of(view: View, node: Node) -> list[dict[str, Any]]:  # Any: JSON
    """Return what a thing added over each window; None where nobody can say."""
    if node.kind not in view.reading.books:
        return []
    told = []
    for days in WINDOWS_DAYS:
        since = reading_at(day=view.reading.day - days, quantile=LIKELY)
        added = grown(view.reading, since=since, kind=node.kind).told(node.row)
        told.append({"days": days, "bytes": added})
    return told


def related_to(view: View, node: Node) -> list[Related]:
    """Return layer after layer what shares bytes with a thing, as far as it may be seen."""
    found = []
    for kind in LAYERS:
        way = way_between(kind, node.kind)
        if kind == node.kind or way is None:
            continue
        mask = _sharing(view, node, kind=kind)
        if not mask.any():
            continue
        side = _side(kind, of=node.kind)
        found.append(_related(view, kind=kind, mask=mask, side=side))
    return found


def _side(kind: str, *, of: str) -> str:
    if kind in _BESIDE or of in _BESIDE:
        return "beside"
    return "over" if LAYERS.index(kind) > LAYERS.index(of) else "under"


def _sharing(view: View, node: Node, *, kind: str) -> Bools:
    mask = np.zeros(len(view.reading.estate.table(node.kind)), dtype=np.bool_)
    mask[node.row] = True
    found = pulled(view.reading, mask, kind=kind, other=node.kind)
    shared: Bools = found & view.seen[kind] & view.reading.is_there[kind]
    return shared


def _related(view: View, *, kind: str, mask: Bools, side: str) -> Related:
    table, books = view.reading.estate.table(kind), view.reading.books.get(kind)
    rows = np.flatnonzero(mask)
    used = total(books.used, of=mask) if books else Sum(known_bytes=0, n_known=0, n_unread=0)
    state = view.reading.state(kind)
    if books is not None:
        rows = rows[np.argsort(-books.used.values[rows], kind="stable")]
    return Related(
        kind=kind,
        side=side,
        n=int(mask.sum()),
        used=used,
        named=[
            {
                "id": int(table.ids[row]),
                "kind": kind,
                "name": table.names[row],
                "used_bytes": books.used.told(row) if books else None,
                "state": state.told(row) if isinstance(state, Words) else None,
            }
            for row in rows[:MOST_NAMED].tolist()
        ],
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Stops:
    """Which VMs stop if a thing fails, and whose they are."""

    n_vms: int
    by_tenant: list[dict[str, Any]]  # Any: JSON


def stops_with(view: View, node: Node) -> Stops | None:
    """Return which VMs stop if a thing fails; None of what carries none."""
    if node.kind not in _CARRIES:
        return None
    reading = view.reading
    stops = _sharing(view, node, kind="vm")
    if node.kind == "cluster":
        stops = stops & (reading.link("vm", "cluster") == node.row)
    tenants = reading.estate.table("tenant")
    at = reading.link("vm", "tenant")[stops]
    counts = np.bincount(at[at >= 0], minlength=len(tenants))
    told = [
        {"id": int(tenants.ids[row]), "name": tenants.names[row], "n": int(counts[row])}
        for row in np.flatnonzero(counts).tolist()
    ]
    return Stops(n_vms=int(stops.sum()), by_tenant=sorted(told, key=lambda one: -one["n"]))


def measures_of(kind: str) -> dict[str, str]:
    """Return in what each field of a kind is told."""
    told = {one.name: one.measure.value for one in KINDS[kind].fields}
    return told | {name: "link" for name, _ in KINDS[kind].links}
