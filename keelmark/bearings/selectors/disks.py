"""The disks of a VM at a bearing: three measures, growth, file systems."""

from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any, Final

import numpy as np

from keelmark.bearings.selectors.lists import Columns, cells
from keelmark.bearings.selectors.things import grown_over, sharing
from keelmark.bearings.selectors.views import View
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.strata import Node
from keelmark.estate.models import VirtualDisk

FIELDS: Final = ("used", "size", "inside", "unshared", "thickness", "policy", "tier", "path")


@dataclass(frozen=True, slots=True, kw_only=True)
class Disk:
    """One disk as it is told at a bearing."""

    id: int
    name: str
    figures: dict[str, Any]  # Any: JSON
    datastore: dict[str, Any] | None
    grown: list[dict[str, Any]]
    file_systems: list[dict[str, Any]] | None
    is_named_otherwise: bool  # its file bears another name than its VM


def disks_at(view: View, node: Node, *, shows_places: bool) -> list[Disk]:
    """Return the disks of a VM, by name, as far as they may be seen."""
    rows = np.flatnonzero(sharing(view, node, kind="disk"))
    columns = Columns(view, kind="disk")
    table = columns.table
    ids = table.ids[rows]
    vm = view.reading.estate.table(node.kind).names[node.row]
    names = [name for name in FIELDS if name != "path" or shows_places]
    stores = view.reading.link("disk", "datastore")
    systems = dict(VirtualDisk.objects.filter(pk__in=ids.tolist())
                   .values_list("pk", "guest_file_systems"))  # fmt: skip
    added = grown_over(view, kind="disk")
    told = [
        Disk(
            id=int(table.ids[row]),
            name=table.names[row],
            figures=cells(columns, row=row, names=names),
            datastore=_store(view, int(stores[row])) if shows_places else None,
            grown=[{"days": days, "bytes": one.told(row)} for days, one in added.items()],
            file_systems=_systems(systems.get(int(table.ids[row]))),
            is_named_otherwise=_is_otherwise(table.columns["path"].told(row), vm=vm),
        )
        for row in rows.tolist()
    ]
    return sorted(told, key=lambda one: (one.name.casefold(), one.id))


def volumes_named_otherwise(view: View, node: Node) -> list[dict[str, Any]]:  # Any: JSON
    """Return the volumes that carry this VM alone and do not bear its name."""
    reading = view.reading
    vm = reading.estate.table("vm").names[node.row].casefold()
    of, at = reading.link("disk", "vm"), reading.link("disk", "datastore")
    own = np.unique(at[(of == node.row) & (at != NOWHERE) & reading.is_there["disk"]])
    others = np.unique(at[(of != node.row) & (at != NOWHERE) & reading.is_there["disk"]])
    alone = np.setdiff1d(own, others)
    pairs = reading.estate.pairs.get("extents")
    if pairs is None or len(alone) == 0:
        return []
    table = reading.estate.table("volume")
    return [
        {"id": int(table.ids[row]), "name": table.names[row]}
        for row in np.unique(pairs.right[np.isin(pairs.left, alone)]).tolist()
        if view.seen["volume"][row] and vm not in table.names[row].casefold()
    ]


def _systems(told: list[dict[str, Any]] | None) -> list[dict[str, Any]] | None:  # Any: JSON
    names = ("path", "size_bytes", "used_bytes")
    return [{name: one.get(name) for name in names} for one in told] if told else None


def _store(view: View, row: int) -> dict[str, Any] | None:  # Any: JSON
    if row == NOWHERE:
        return None
    table = view.reading.estate.table("datastore")
    return {"id": int(table.ids[row]), "kind": "datastore", "name": table.names[row]}


def _is_otherwise(path: object, *, vm: str) -> bool:
    return isinstance(path, str) and path != "" and vm not in PurePosixPath(path).name
