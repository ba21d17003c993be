"""Outlooks that grow straight, for tests."""

import numpy as np

from keelmark.core.forecast import Fan, Outlook, Rhythm
from keelmark.core.forecast.mix import KNOTS_DAYS


def make_outlook(used: np.ndarray, *, growth: float, spread: float = 0.0) -> Outlook:
    """Straight lines; the edge of the band so many times the root of the days off."""
    n_pools, knots = len(used), np.array(KNOTS_DAYS, dtype=np.float64)
    middle = used[:, None] + growth * knots
    zero = np.zeros(n_pools)
    return Outlook(
        last_bytes=used, level_bytes=used, growth_bytes_per_day=zero + growth,
        fan=Fan(
            low=middle - spread * np.sqrt(knots), middle=middle,
            high=middle + spread * np.sqrt(knots),
            noise_variance=zero, memory=np.zeros(n_pools, dtype=np.int64),
        ),
        rhythm=Rhythm(
            by_weekday=np.zeros((n_pools, 7)), by_month_slot=np.zeros((n_pools, 31)),
            last_day=np.zeros(n_pools, dtype=np.int64),
        ),
        ceiling_bytes=zero + np.inf, is_judged=zero == 0,
    )  # fmt: skip
