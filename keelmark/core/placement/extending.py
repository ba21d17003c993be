"""Datastores that take work once they are extended: by how much, and what that leaves."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.placement.ground import Ground
from keelmark.core.placement.hurdles import Check, Hurdles
from keelmark.core.units import GIB, PERCENT

TOLD_TO = 4_000  # parts of a limit mark
PROMISED = (Check.OVERCOMMIT, Check.EXPOSURE)  # an extension is promised of its pool


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Extension:
    """By how many bytes each place's datastore is extended (n_places,), 0 where it is not.

    ``spare_bytes`` is then left below its limit mark with all of the work on it, ``left_bytes`` by
    test what its pool may still promise besides.
    """

    by_bytes: Int64s
    spare_bytes: Float64s
    left_bytes: Mapping[Check, Float64s]


def extension_of(ground: Ground, hurdles: Hurdles) -> Extension:
    """Return how datastores would be extended to take one unit of the only workload.

    None is where nothing of it is short, where nobody can judge it, or where something else is
    missed. What it is extended by is whole GiB, and is promised of its pool as a new one would be.
    """
    n_places = len(ground.pool)
    none = np.zeros(n_places, dtype=np.int64)
    limits = {Check(one.name): one for one in hurdles.limits}
    if ground.stores is None or Check.DATASTORE not in limits:
        return Extension(by_bytes=none, spare_bytes=none.astype(np.float64), left_bytes={})
    margin = hurdles.margins(limits[Check.DATASTORE])[0]
    short = np.where((ground.store != NOWHERE) & (margin < 0), -margin, 0.0)
    percents = np.broadcast_to(ground.stores.limit_percent, ground.stores.used_bytes.shape)
    percent = np.append(percents, PERCENT)[ground.store]
    # What a mark leaves is told to a part of it: so much more, or it may be short again.
    limit = np.append(ground.stores.limit_bytes, 0)[ground.store] + short
    needed = np.where(short > 0, short + limit / TOLD_TO, 0.0)
    by_bytes = np.ceil(needed * PERCENT / percent / GIB).astype(np.int64) * GIB
    left = {
        check: np.append(limits[check].room, np.nan)[ground.pool] - by_bytes
        for check in PROMISED
        if check in limits
    }
    others = [one for check, one in limits.items() if check is not Check.DATASTORE]
    is_open = replace(hurdles, limits=others).clears()[0]
    is_extended = (by_bytes > 0) & is_open & np.all([one >= 0 for one in left.values()], axis=0)
    return Extension(
        by_bytes=np.where(is_extended, by_bytes, none),
        spare_bytes=np.floor(by_bytes * percent / PERCENT) - short, left_bytes=left,
    )  # fmt: skip
