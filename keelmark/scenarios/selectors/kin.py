"""What a VM that there is teaches of more like it."""

from dataclasses import dataclass
from datetime import timedelta

import numpy as np
from rest_framework.exceptions import NotFound

from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.found import week_at
from keelmark.compliance.selectors.tiers import tiered_at
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.days import EPOCH
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.placement.kin import Kin, LearntDisk, kin_of, learnt, paces
from keelmark.readings.selectors import series_of

LEARNT_DAYS = 60  # of growth
MOST_KIN = 400


@dataclass(frozen=True, slots=True, kw_only=True)
class MoreOf:
    """More of a VM: what it asks for, and of whom that was learnt."""

    name: str
    n_cpus: int
    memory_bytes: int
    disks: list[LearntDisk]
    tenant: str
    kin: list[str]  # names, its own first


def more_of(view: View, *, vm_id: int) -> MoreOf:
    """Return what one more of a VM in sight would ask for; raise NotFound where it is not seen."""
    reading = view.reading
    table, disks = reading.estate.table("vm"), reading.estate.table("disk")
    row = table.row_of(vm_id)
    seen = view.shown_along("vm", kinds=("vm",))
    if row is None or not seen[row]:
        raise NotFound(f"No VM {vm_id} is seen.")
    is_there = reading.is_there["disk"]
    of_vm = reading.link("disk", "vm")
    n_disks = np.bincount(of_vm[is_there & (of_vm != NOWHERE)], minlength=len(table))
    family = np.where(seen, reading.link("vm", "project"), NOWHERE - 1)
    rows = kin_of(
        table.names[row], names=table.names, family=family,
        n_disks=n_disks.astype(np.int64), at=row,
    )  # fmt: skip
    rows = rows[:MOST_KIN]
    slots = np.full((len(rows), int(n_disks[row])), NOWHERE, dtype=np.int64)
    for at, vm in enumerate(rows.tolist()):
        # In the order of their names: slots are named alike in kin.
        mine = np.flatnonzero(is_there & (of_vm == vm)).tolist()
        slots[at] = sorted(mine, key=lambda one: disks.names[one])
    if slots.shape[1] == 0:
        raise NotFound(f"VM {table.names[row]} has no disk from which anything could be learnt.")
    project = int(reading.link("vm", "project")[row])
    tenants = reading.estate.table("tenant")
    tenant = NOWHERE if project == NOWHERE else int(reading.link("project", "tenant")[project])
    return MoreOf(
        name=table.names[row],
        n_cpus=table.amounts("cpus").told(row) or 0,
        memory_bytes=table.amounts("memory").told(row) or 0,
        disks=learnt(_kin(view, slots)),
        tenant="" if tenant == NOWHERE else tenants.names[tenant],
        kin=[table.names[one] for one in rows.tolist()],
    )


def _kin(view: View, slots: Int64s) -> Kin:
    reading = view.reading
    table = reading.estate.table("disk")

    def known(column: str) -> Float64s:
        told = table.amounts(column)
        return np.where(told.is_known, told.values, np.nan).astype(np.float64)[slots]

    last_on = EPOCH + timedelta(days=reading.estate.day)
    series = series_of(
        table.ids[slots].ravel().tolist(), first_on=last_on - timedelta(days=LEARNT_DAYS - 1),
        last_on=last_on,
    )  # fmt: skip
    at = np.searchsorted(series.entity_ids, table.ids[slots])
    return Kin(
        size=known("size"), used=known("used"), growth=paces(series.used_bytes)[at],
        busiest=week_at(reading).found.most_iops[slots],
        least=tiered_at(reading).minimum[slots],
    )  # fmt: skip
