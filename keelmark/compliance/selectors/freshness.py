"""Of which things too little was heard lately to judge anything by it."""

import numpy as np

from keelmark.core.arrays import Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.estate.reading import Reading
from keelmark.core.policy.of_estate import ALLOWED_AGE_DAYS, Freshness
from keelmark.feeds.selectors import Quiet, seen_by, seen_by_alone

KINDS = ("disk", "vm", "volume", "datastore", "pool")


def freshness_of(reading: Reading, quiet: Quiet) -> dict[str, Freshness]:
    """Return by kind how old what is known may be; where all feeds are heard that is as ever."""
    if not quiet.silent and not quiet.patient:
        return {}
    n = {kind: len(reading.estate.table(kind)) for kind in KINDS}
    days = {kind: np.full(n[kind], ALLOWED_AGE_DAYS, dtype=np.int64) for kind in KINDS}
    is_silent = {kind: np.zeros(n[kind], dtype=np.bool_) for kind in KINDS}
    for feed_id, allowed in quiet.patient:
        for kind, ids in seen_by(feed_id, kinds=KINDS).items():
            rows = _rows(reading, kind, ids)
            days[kind][rows] = np.maximum(days[kind][rows], allowed)
    if quiet.silent:
        for kind, ids in seen_by_alone(quiet.silent, kinds=KINDS).items():
            is_silent[kind][_rows(reading, kind, ids)] = True
    return {kind: Freshness(allowed_days=days[kind], is_silent=is_silent[kind]) for kind in KINDS}


def _rows(reading: Reading, kind: str, ids: list[int]) -> Int64s:
    rows = reading.estate.table(kind).rows_of(np.array(ids, dtype=np.int64))
    told: Int64s = rows[rows != NOWHERE]
    return told
