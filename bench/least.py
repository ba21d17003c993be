"""The least that keeps every limit of a large estate, beside the largest volumes first.

    python -m bench.least

Prints, for a tenth, a quarter and a half of 2,000 pools too full, what each way adds and moves, and
what must be added whatever is moved. Made-up pools of nine groups with three volumes each and more.
"""

import time

import numpy as np

from bench.sizes import size
from keelmark.core.scenario.least import Wanting, least_that_keeps
from keelmark.core.units import TIB

N_POOLS = size(2_000, tiny=40)
N_VOLUMES = size(12_000, tiny=160)
POOL_TIB = 400
NEAR_SHARE = 0.01


def wanting(*, short_share: float, seed: int = 5) -> Wanting:
    """So many of the pools are short; what lies on them is a sixth of them, more or less."""
    rng = np.random.default_rng(seed)
    left = rng.gamma(2.0, 35.0, N_POOLS) * TIB
    is_short = rng.random(N_POOLS) < short_share
    left[is_short] = -rng.gamma(1.5, 25.0, int(is_short.sum())) * TIB
    return Wanting(
        left_bytes=left, group=rng.integers(0, 9, N_POOLS),
        limit_percent=np.full(N_POOLS, 90), volume_pool=rng.integers(0, N_POOLS, N_VOLUMES),
        volume_bytes=rng.gamma(1.5, POOL_TIB / 9, N_VOLUMES) * TIB,
    )  # fmt: skip


def largest_first(told: Wanting) -> tuple[float, float]:
    """What is added and moved where pools are rid of their largest volumes, wherever these fit."""
    left, moved = told.left_bytes.copy(), 0.0
    for volume in np.argsort(-told.volume_bytes, kind="stable").tolist():
        pool, n_bytes = told.volume_pool[volume], told.volume_bytes[volume]
        fits = np.flatnonzero((told.group == told.group[pool]) & (left >= n_bytes))
        if left[pool] >= 0 or not len(fits):
            continue
        left[pool] += n_bytes
        left[fits[0]] -= n_bytes
        moved += float(n_bytes)
    return float((-np.minimum(left, 0) / told.limit_percent * 100).sum()), moved


def ours(told: Wanting) -> tuple[float, float]:
    """What is added and moved in the way that scenarios answer with."""
    found = least_that_keeps(told, gap_share=NEAR_SHARE)
    return float(found.added_bytes.sum()), found.moved_bytes


def main() -> None:
    for short_share in (0.1, 0.25, 0.5):
        told = wanting(short_share=short_share)
        wants = -np.minimum(told.left_bytes, 0).sum() / TIB
        bound = least_that_keeps(told, gap_share=NEAR_SHARE).bound_bytes / TIB
        print(f"\n{int((told.left_bytes < 0).sum()):,} of {N_POOLS:,} pools want {wants:,.0f} TiB, "
              f"at least {bound:,.0f} must be added")  # fmt: skip
        for name, way in (("ours", ours), ("largest first", largest_first)):
            begun = time.perf_counter()
            added, moved = way(told)
            took = time.perf_counter() - begun
            print(f"  {name:14} adds {added / TIB:8,.0f} TiB, moves {moved / TIB:8,.0f} TiB, "
                  f"{took:.2f} s")  # fmt: skip


if __name__ == "__main__":
    main()
