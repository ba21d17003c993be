"""One thing at a bearing: its figures, what it grew, what it stands on and who stands on it."""

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

import numpy as np

from keelmark.bearings.selectors.lists import Columns, cells
from keelmark.bearings.selectors.picture import reading_at
from keelmark.bearings.selectors.views import View
from keelmark.core.arrays import Bools, Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.books import Sum, folded, total
from keelmark.core.estate.columns import NOWHERE, Amounts, Words, unknown
from keelmark.core.estate.copies import copied_elsewhere, pools_of_copies
from keelmark.core.estate.kinds import KINDS
from keelmark.core.estate.places import places_of_disks
from keelmark.core.estate.reach import pulled, way_between
from keelmark.core.estate.reading import LIKELY, grown
from keelmark.core.estate.strata import Node

WINDOWS_DAYS = (1, 7, 30, 90, 365)
MOST_NAMED = 12
MOST_WITHOUT = 1000  # by name: each wants to be looked after
# From what lies below all to who eats it.
LAYERS = (
    "site", "array", "pool", "volume", "datastore", "disk", "vm", "project", "tenant", "cluster",
    "host", "account", "bucket",
)  # fmt: skip
_BESIDE = frozenset({"cluster", "host", "account", "bucket"})
_EATERS = frozenset({"vm", "project", "tenant", "host", "cluster"})
_OWNERS = frozenset({"tenant", "project"})
_PLACES = frozenset({"site", "array", "pool", "volume", "datastore"})
# What stops VMs when it fails.
_CARRIES = frozenset({"site", "array", "pool", "volume", "datastore", "host", "cluster"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Related:
    """The things of one kind that share bytes with one thing."""

    kind: str
    side: str  # under: it stands on them; over: they stand on it; beside: they share what it is on
    n: int
    used: Sum
    grown: Sum
    named: list[dict[str, Any]]  # Any: JSON; the largest


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Here:
    """What each of a kind holds and grew in one place alone."""

    used: Amounts
    grown: Amounts


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
    added = grown_over(view, kind=node.kind)
    return [{"days": days, "bytes": one.told(node.row)} for days, one in added.items()]


def grown_over(view: View, *, kind: str) -> dict[int, Amounts]:
    """Return what each of a kind added over each window, by its days."""
    reading = view.reading
    sinces = {
        days: reading_at(day=reading.day - days, quantile=LIKELY, planned=view.planned)
        for days in WINDOWS_DAYS
    }
    return {days: grown(reading, since=since, kind=kind) for days, since in sinces.items()}


def related_to(view: View, node: Node) -> list[Related]:
    """Return layer after layer what shares bytes with a thing, as far as it may be seen.

    Who eats what a thing holds is told with the bytes that they have there, not with all.
    """
    found = []
    is_told_here = node.kind in _CARRIES or node.kind in _OWNERS
    disks = sharing(view, node, kind="disk") if is_told_here else None
    for kind in LAYERS:
        if kind == node.kind or way_between(kind, node.kind) is None:
            continue
        mask = sharing(view, node, kind=kind)
        if not mask.any():
            continue
        here = None if disks is None else _of_disks(view, kind=kind, disks=disks, of=node.kind)
        found.append(
            _related(view, kind=kind, mask=mask, side=_side(kind, of=node.kind), here=here)
        )
    return found


def _of_disks(view: View, *, kind: str, disks: Bools, of: str) -> Here | None:
    """What some disks hold and grew by who eats; of who owns also by where it lies."""
    reading = view.reading
    if kind in _PLACES and of in _OWNERS:
        onto = places_of_disks(reading, kind=kind)
    elif kind in _EATERS:
        onto = _eaters(view, kind=kind)
    else:
        return None
    onto = np.where(disks, onto, NOWHERE)
    n = len(reading.estate.table(kind))
    added = grown(reading, since=view.since, kind="disk")
    return Here(
        used=folded(reading.books["disk"].used, onto=onto, n=n)[0],
        grown=folded(added, onto=onto, n=n)[0],
    )


def _eaters(view: View, *, kind: str) -> Int64s:
    """The VM, project, tenant, host or cluster of each disk."""
    reading = view.reading
    if kind == "tenant":
        return reading.link("disk", "tenant")
    onto = reading.link("disk", "vm")
    if kind == "vm":
        return onto
    above = reading.link("vm", kind)
    return np.where(onto == NOWHERE, NOWHERE, above[onto]) if len(above) else onto


def _side(kind: str, *, of: str) -> str:
    if kind in _BESIDE or of in _BESIDE:
        return "beside"
    return "over" if LAYERS.index(kind) > LAYERS.index(of) else "under"


def sharing(view: View, node: Node, *, kind: str) -> Bools:
    """Return which of a kind share bytes with a thing, as far as they may be seen."""
    mask = np.zeros(len(view.reading.estate.table(node.kind)), dtype=np.bool_)
    mask[node.row] = True
    found = pulled(view.reading, mask, kind=kind, other=node.kind)
    shared: Bools = found & view.seen[kind] & view.reading.is_there[kind]
    return shared


def _related(
    view: View, *, kind: str, mask: Bools, side: str, here: Here | None, most: int = MOST_NAMED
) -> Related:
    table, books = view.reading.estate.table(kind), view.reading.books.get(kind)
    n = len(table)
    used = here.used if here else books.used if books else unknown(n)
    if here:
        added = here.grown
    else:
        added = grown(view.reading, since=view.since, kind=kind) if books else unknown(n)
    rows = np.flatnonzero(mask)
    rows = rows[np.argsort(-used.values[rows], kind="stable")]
    state = view.reading.state(kind)
    return Related(
        kind=kind,
        side=side,
        n=int(mask.sum()),
        used=total(used, of=mask),
        grown=total(added, of=mask),
        named=[
            {
                "id": int(table.ids[row]),
                "kind": kind,
                "name": table.names[row],
                "used_bytes": used.told(row),
                "grown_bytes": added.told(row),
                "state": state.told(row) if isinstance(state, Words) else None,
            }
            for row in rows[:most].tolist()
        ],
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Stops:
    """Which VMs stop if a thing fails, whose they are, and which have a copy elsewhere."""

    n_vms: int
    by_tenant: list[dict[str, Any]]  # Any: JSON
    n_copied: int
    oldest_copy_on: date | None
    without: list[dict[str, Any]]  # Any: JSON; the largest that have none
    n_without: int
    carry_on: list[dict[str, Any]]  # Any: JSON; the pools of the copies, the soonest full first


def stops_with(view: View, node: Node) -> Stops | None:
    """Return which VMs stop if a thing fails; None of what carries none."""
    if node.kind not in _CARRIES:
        return None
    reading = view.reading
    stops = sharing(view, node, kind="vm")
    failing = _sharing_or_self(view, node)
    is_copied, oldest = copied_elsewhere(reading, failing=failing)
    disks = sharing(view, node, kind="disk")
    alone = np.zeros(len(stops), dtype=np.bool_)
    owner = reading.link("disk", "vm")
    lost = owner[disks & ~is_copied]
    alone[lost[lost != NOWHERE]] = True
    alone &= stops
    tenants = reading.estate.table("tenant")
    at = reading.link("vm", "tenant")[stops]
    counts = np.bincount(at[at >= 0], minlength=len(tenants))
    told = [
        {"id": int(tenants.ids[row]), "name": tenants.names[row], "n": int(counts[row])}
        for row in np.flatnonzero(counts).tolist()
    ]
    named = _related(view, kind="vm", mask=alone, side="over", here=None, most=MOST_WITHOUT).named
    return Stops(
        n_vms=int(stops.sum()),
        by_tenant=sorted(told, key=lambda one: -one["n"]),
        n_copied=int((stops & ~alone).sum()),
        oldest_copy_on=None if oldest is None else EPOCH + timedelta(days=oldest),
        without=named,
        n_without=int(alone.sum()),
        carry_on=_carrying_on(view, failing=failing),
    )


def _carrying_on(view: View, *, failing: Bools) -> list[dict[str, Any]]:  # Any: JSON
    pools, n_copies = pools_of_copies(view.reading, failing=failing)
    columns = Columns(view, kind="pool")
    told = [
        {
            "id": int(columns.table.ids[row]),
            "kind": "pool",
            "name": columns.table.names[row],
            "home_name": one["array"] and one["array"]["name"],
            "state": one["state"],
            "plannable_bytes": one["plannable"],
            "early_on": None if one["early"] is None else EPOCH + timedelta(days=one["early"]),
            "n_copies": n,
        }
        for row, n in zip(pools.tolist(), n_copies.tolist(), strict=True)
        if view.seen["pool"][row]
        for one in [cells(columns, row=row, names=("array", "early", "plannable", "state"))]
    ]
    return sorted(told, key=lambda one: (one["early_on"] is None, one["early_on"]))


def _sharing_or_self(view: View, node: Node) -> Bools:
    if node.kind != "volume":
        return sharing(view, node, kind="volume")
    own = np.zeros(len(view.reading.estate.table("volume")), dtype=np.bool_)
    own[node.row] = True
    return own


def measures_of(kind: str) -> dict[str, str]:
    """Return in what each field of a kind is told."""
    told = {one.name: one.measure.value for one in KINDS[kind].fields}
    return told | {name: "link" for name, _ in KINDS[kind].links}
