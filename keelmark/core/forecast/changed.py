"""Outlooks as they would be: grown faster, or with more series that hold nothing."""

from dataclasses import replace

import numpy as np

from keelmark.core.forecast.fan import Fan
from keelmark.core.forecast.outlook import Outlook
from keelmark.core.forecast.rhythm import Rhythm


def with_flat(of: Outlook, *, n: int, day: int) -> Outlook:
    """Return an outlook with so many more series that hold nothing and never will."""
    if n == 0:
        return of
    zero = np.zeros(n)

    def more(told: np.ndarray, by: np.ndarray) -> np.ndarray:
        return np.concatenate([told, by]).astype(told.dtype)

    def flat(told: np.ndarray) -> np.ndarray:
        return more(told, np.zeros((n, *told.shape[1:])))

    return Outlook(
        last_bytes=more(of.last_bytes, zero),
        level_bytes=more(of.level_bytes, zero),
        growth_bytes_per_day=more(of.growth_bytes_per_day, zero),
        fan=Fan(
            low=flat(of.fan.low), middle=flat(of.fan.middle), high=flat(of.fan.high),
            noise_variance=flat(of.fan.noise_variance), memory=flat(of.fan.memory),
        ),
        rhythm=Rhythm(
            by_weekday=flat(of.rhythm.by_weekday),
            by_month_slot=flat(of.rhythm.by_month_slot),
            last_day=more(of.rhythm.last_day, np.full(n, day)),
        ),
        ceiling_bytes=more(of.ceiling_bytes, np.full(n, np.inf)),
        is_judged=more(of.is_judged, np.ones(n, dtype=np.bool_)),
    )  # fmt: skip


def grown(of: Outlook, *, times: float) -> Outlook:
    """Return an outlook as if everything grew so many times as fast."""
    return replace(
        of,
        growth_bytes_per_day=of.growth_bytes_per_day * times,
        fan=of.fan.grown(times, level=of.level_bytes),
    )
