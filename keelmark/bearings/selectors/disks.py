"""The disks of a VM at a bearing: three measures, growth, file systems, how each is served."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import PurePosixPath
from typing import Any, Final

import numpy as np

from keelmark.bearings.selectors.lists import Columns, cells
from keelmark.bearings.selectors.things import grown_over, sharing
from keelmark.bearings.selectors.views import View
from keelmark.core.arrays import Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import When
from keelmark.core.estate.strata import Node
from keelmark.core.performance import PARTS, STEPS_A_DAY, operations, rolled
from keelmark.core.qos import STATE_STEPS, IoState, io_states
from keelmark.estate.models import VirtualDisk
from keelmark.readings.performance.reading import steps_of
from keelmark.readings.rows import EPOCH

FIELDS: Final = ("used", "size", "inside", "unshared", "thickness", "policy", "tier", "path")
STEP_SECONDS: Final = 86_400 // STEPS_A_DAY
MOST_OLD_STEPS: Final = 6  # half an hour without a mean: what goes on now is not known


@dataclass(frozen=True, slots=True, kw_only=True)
class Served:
    """How a disk is served by its last means."""

    state: str
    iops: float | None
    latency_ms: float | None
    qos_latency_ms: float | None
    read_at: datetime | None  # when the newest mean ended


@dataclass(frozen=True, slots=True, kw_only=True)
class Disk:
    """One disk as it is told at a bearing."""

    id: int
    name: str
    figures: dict[str, Any]  # Any: JSON
    datastore: dict[str, Any] | None
    grown: list[dict[str, Any]]
    file_systems: list[dict[str, Any]] | None
    served: Served | None  # None: of days to come nobody knows
    is_named_otherwise: bool  # its file bears another name than its VM


def disks_at(view: View, node: Node, *, now: datetime, shows_places: bool) -> list[Disk]:
    """Return the disks of a VM, by name, as far as they may be seen."""
    rows = np.flatnonzero(sharing(view, node, kind="disk"))
    columns = Columns(view, kind="disk")
    table = columns.table
    ids = table.ids[rows]
    vm = view.reading.estate.table(node.kind).names[node.row]
    names = [name for name in FIELDS if name != "path" or shows_places]
    stores = view.reading.link("disk", "datastore")
    served = _served(view, ids=ids, now=now, tiers=columns)
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
            served=served.get(int(table.ids[row])),
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


def _served(view: View, *, ids: Int64s, now: datetime, tiers: Columns) -> dict[int, Served]:
    """How each disk is served by the last means of the day; nothing is known of days to come."""
    if view.reading.when is When.FORECAST or len(ids) == 0:
        return {}
    ids = np.sort(ids)
    day = EPOCH + timedelta(days=view.reading.day)
    first_on = day - timedelta(days=1)
    steps = steps_of(ids, first_on=first_on, n_days=2)
    is_read = np.flatnonzero(~np.isnan(operations(steps)).all(axis=0))
    end = int(is_read[-1]) + 1 if len(is_read) else STATE_STEPS
    begins_at = datetime(first_on.year, first_on.month, first_on.day, tzinfo=UTC)
    read_at = begins_at + timedelta(seconds=end * STEP_SECONDS)
    last = steps[:, :, max(0, end - STATE_STEPS) : end]
    until = min(now, begins_at + timedelta(days=2))
    if until - read_at > timedelta(seconds=MOST_OLD_STEPS * STEP_SECONDS):
        last = np.full_like(last, np.nan)
    tier = tiers.figure("tier")
    rows = np.searchsorted(tiers.table.ids, ids)
    unknown = np.full(len(ids), np.nan)
    codes = io_states(
        last, min_iops=unknown, max_iops=unknown,
        is_tiered=np.array([bool(tier.told(row)) for row in rows.tolist()], dtype=np.bool_),
    )  # fmt: skip
    means = rolled(last, width=STATE_STEPS)[0]
    done = operations(means)[:, 0]
    return {
        int(one): Served(
            state=list(IoState)[codes[at]].value,
            iops=_known(done[at]),
            latency_ms=_known(means[at, PARTS.index("latency_ms"), 0]),
            qos_latency_ms=_known(means[at, PARTS.index("qos_latency_ms"), 0]),
            read_at=read_at if len(is_read) else None,
        )
        for at, one in enumerate(ids.tolist())
    }


def _known(amount: float) -> float | None:
    return None if np.isnan(amount) else round(float(amount), 3)
