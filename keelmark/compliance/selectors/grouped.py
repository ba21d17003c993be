"""Disks added up by where they run or lie: what all of one thing do, may do and are promised."""

from typing import Any, Final

import numpy as np

from keelmark.bearings.selectors.lists import Columns, ordered
from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.promised import taken
from keelmark.compliance.selectors.serving import (
    STATES,
    WORST_FIRST,
    LanesAsked,
    Served,
    disks_of_lanes,
)
from keelmark.compliance.selectors.telling import LATENCY_PARTS, number
from keelmark.compliance.selectors.tiers import is_served
from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.places import places_of_disks
from keelmark.core.estate.reading import Reading, When
from keelmark.core.performance import PARTS
from keelmark.core.qos.tiers import Offer, offer
from keelmark.readings.performance.reading import instants_of

MOST_INSTANTS: Final = 10_000  # disks
GROUPS: Final = ("vm", "host", "cluster", "datastore", "volume", "pool", "array")
_WAITS: Final = [PARTS.index(name) for name in LATENCY_PARTS]


class Grouped:
    """The disks that are asked for, added up by the things of one kind (n_things,)."""

    def __init__(self, view: View, served: Served, asked: LanesAsked, *, kind: str) -> None:
        self.view, self.served, self.kind = view, served, kind
        self.table = view.reading.estate.table(kind)
        self.disks = disks_of_lanes(view, served, asked)
        at = group_of_disks(view.reading, kind=kind)[self.disks]
        is_seen = np.append(view.seen[kind], False)[at]
        self.disks, self.at = self.disks[is_seen], at[is_seen]
        self.n_by_state = np.stack(
            [self._sum(served.codes[self.disks] == code) for code in range(len(STATES))]
        ).astype(np.int64)
        self.may = self._may()

    @property
    def rows(self) -> Int64s:
        """Return the things that have such disks, those of which most wait first."""
        found = np.flatnonzero(self.n_by_state.sum(axis=0))
        rows = ordered(Columns(self.view, kind=self.kind), rows=found, order=["name"])
        by_rank = [self.n_by_state[STATES.index(one)][rows] for one in WORST_FIRST[:2]]
        with np.errstate(invalid="ignore", divide="ignore"):
            pressed = np.nan_to_num(self._mean()[rows] / self.may.max_iops[rows], posinf=0)
        told: Int64s = rows[np.lexsort((-pressed, -by_rank[1], -by_rank[0]))]
        return told

    def told(self, rows: Int64s) -> list[dict[str, Any]]:  # Any: JSON
        """Return some things, in their order."""
        mean, instant = self._mean(), self._instant(rows)
        waits = self._waits()
        n_read = self._sum(~np.isnan(self.served.mean[self.disks]))
        return [
            {
                "id": int(self.table.ids[row]),
                "kind": self.kind,
                "name": self.table.names[row],
                "n_disks": int(self.n_by_state[:, row].sum()),
                "n_read": int(n_read[row]),
                "counts": {
                    one.value: int(self.n_by_state[at, row]) for at, one in enumerate(STATES)
                },
                "worst": next(
                    one.value for one in WORST_FIRST if self.n_by_state[STATES.index(one), row]
                ),
                "n_tiered": int(self.may.n_disks[row]),
                "min_iops": number(self.may.min_iops[row]) if self.may.n_disks[row] else None,
                "max_iops": number(self.may.max_iops[row]) if self.may.n_disks[row] else None,
                "mean_iops": number(mean[row]) if n_read[row] else None,
                "instant_iops": number(instant[row]),
                **{name: number(waits[place, row]) for place, name in enumerate(LATENCY_PARTS)},
            }
            for row in rows.tolist()
        ]

    def _sum(self, of: Any) -> Float64s:  # Any: of any type that adds up
        return np.bincount(self.at, weights=of, minlength=len(self.table)).astype(np.float64)

    def _mean(self) -> Float64s:
        return self._sum(np.nan_to_num(self.served.mean[self.disks]))

    def _may(self) -> Offer:
        """What tiers promise and allow of all of them, as places must offer it."""
        tiered = self.served.tiered
        tier = np.where(is_served(self.view.reading), tiered.tier, NOWHERE)
        return offer(
            [one.core for one in tiered.defined], tier=tier[self.disks], place=self.at,
            n_places=len(self.table),
        )  # fmt: skip

    def _instant(self, rows: Int64s) -> Float64s:
        """Of those of which each disk that is read tells its instant; of other days nobody.

        Nor of very many: their instants are of different moments, and their means tell more.
        """
        is_wanted = np.isin(self.at, rows) & ~np.isnan(self.served.mean[self.disks])
        if self.view.reading.when is not When.NOW or is_wanted.sum() > MOST_INSTANTS:
            return np.full(len(self.table), np.nan)
        ids = self.view.reading.estate.table("disk").ids[self.disks[is_wanted]]
        at = self.at[is_wanted]
        total = np.bincount(at, weights=instants_of(ids).iops, minlength=len(self.table))
        return np.where(np.bincount(at, minlength=len(self.table)) > 0, total, np.nan)

    def _waits(self) -> Float64s:
        """What an operation took in the mean and in which parts, (n_parts, n_things)."""
        done = np.nan_to_num(self.served.mean[self.disks])
        told = []
        for part in _WAITS:
            wait = self.served.means[self.disks, part]
            is_known = ~np.isnan(wait)
            weight = self._sum(done * is_known)
            total = self._sum(done * np.nan_to_num(wait))
            told.append(np.divide(total, weight, out=np.full(len(total), np.nan), where=weight > 0))
        return np.stack(told)


def group_of_disks(reading: Reading, *, kind: str) -> Int64s:
    """Return the row of the thing of a kind that each disk is of, NOWHERE where it is of none.

    ``kind`` is one of GROUPS.
    """
    vm = reading.link("disk", "vm")
    if kind == "vm":
        return vm
    if kind in ("host", "cluster"):
        return taken(reading.link("vm", kind), vm)
    return places_of_disks(reading, kind=kind)
