"""What places must offer for the disks on them, to what they are set, and the difference."""

from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from keelmark.bearings.selectors.lists import Columns, ordered
from keelmark.bearings.selectors.views import View
from keelmark.compliance.selectors.telling import number
from keelmark.compliance.selectors.tiers import (
    PLACES,
    configured,
    is_served,
    sustained,
    tiered_at,
)
from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading
from keelmark.core.qos.tiers import is_oversold

KINDS_OF_OFFERS: Final = PLACES


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Offers:
    """All places of one kind (n_places,): what they must offer, and what they do; NaN unknown.

    ``drift_max`` and ``drift_min`` are what is configured less what must be offered: below 0
    disks are held back by their place, above it the place lets through more than is promised.
    """

    kind: str
    n_disks: Int64s
    n_untiered: Int64s  # that would be held back were the place set to what it must offer
    must_min: Float64s
    must_max: Float64s
    set_min: Float64s
    set_max: Float64s
    sustains: Float64s
    is_oversold: Bools

    @property
    def is_drifted(self) -> Bools:
        """Where what is configured is not what must be offered."""
        with np.errstate(invalid="ignore"):
            told = np.zeros(len(self.n_disks), dtype=np.bool_)
            for is_set, must in ((self.set_min, self.must_min), (self.set_max, self.must_max)):
                told |= ~np.isnan(is_set) & (is_set != must)
        return told & (self.n_disks > 0)


def offers_at(reading: Reading, *, kind: str) -> Offers:
    """Return what all places of a kind must offer; who sees what is for the caller."""
    tiered = tiered_at(reading)
    told = tiered.offers[kind]
    set_min, set_max = configured(reading, kind=kind)
    n = len(reading.estate.table(kind))
    sustains = sustained(reading) if kind == "array" else np.full(n, np.nan)
    bare = is_served(reading) & (tiered.tier == NOWHERE) & (tiered.place[kind] != NOWHERE)
    return Offers(
        kind=kind, n_disks=told.n_disks,
        n_untiered=np.bincount(tiered.place[kind][bare], minlength=n).astype(np.int64),
        must_min=told.min_iops, must_max=told.max_iops,
        set_min=set_min, set_max=set_max, sustains=sustains,
        is_oversold=is_oversold(told.min_iops, sustains=sustains),
    )  # fmt: skip


def rows_of_offers(view: View, offers: Offers, *, is_drift_only: bool) -> Int64s:
    """Return the rows of places in sight that carry a disk with a tier, what drifted first."""
    shown = view.shown_along(offers.kind, kinds=(*PLACES, "vm", "disk")) & (offers.n_disks > 0)
    odd = offers.is_drifted | offers.is_oversold
    if is_drift_only:
        shown &= odd
    rows = ordered(Columns(view, kind=offers.kind), rows=np.flatnonzero(shown), order=["name"])
    gap = np.nan_to_num(np.minimum(offers.set_max - offers.must_max, 0))[rows]
    told: Int64s = rows[np.lexsort((gap, ~odd[rows]))]
    return told


def offer_told(view: View, offers: Offers, row: int) -> dict[str, Any]:  # Any: JSON
    """Return one place."""
    table = view.reading.estate.table(offers.kind)
    return {
        "id": int(table.ids[row]),
        "kind": offers.kind,
        "name": table.names[row],
        "home": _home(view, offers.kind, row),
        "n_disks": int(offers.n_disks[row]),
        "n_untiered": int(offers.n_untiered[row]),
        "must_min_iops": number(offers.must_min[row]),
        "must_max_iops": number(offers.must_max[row]),
        "set_min_iops": number(offers.set_min[row]),
        "set_max_iops": number(offers.set_max[row]),
        "sustains_iops": number(offers.sustains[row]),
        "is_drifted": bool(offers.is_drifted[row]),
        "is_oversold": bool(offers.is_oversold[row]),
    }


def _home(view: View, kind: str, row: int) -> str | None:
    """Where it lies, as far as that may be seen: names of volumes repeat from array to array."""
    reading = view.reading
    names: list[str] = []
    for at, up in (("volume", "pool"), ("pool", "array")):
        if at != kind:
            continue
        row, kind = int(reading.link(at, up)[row]), up
        if row == NOWHERE or not view.seen[up][row]:
            break
        names.append(reading.estate.table(up).names[row])
    return " · ".join(reversed(names)) or None
