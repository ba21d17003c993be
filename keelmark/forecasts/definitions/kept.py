"""Kept forecasts as the core knows them."""

from collections.abc import Sequence

import numpy as np

from keelmark.core.arrays import Float64s, numbers, whole_numbers
from keelmark.core.days import EPOCH
from keelmark.core.forecast import Fan, Outlook, Rhythm, paths
from keelmark.core.forecast.fan import N_TOLD
from keelmark.core.forecast.rhythm import MONTH_SLOTS, WEEK_DAYS
from keelmark.forecasts.models import KeptForecast


def outlook_of(forecasts: Sequence[KeptForecast | None]) -> Outlook:
    """Return kept outlooks as one; what has no forecast is not judged."""

    def column(name: str) -> Float64s:
        return numbers(None if f is None else getattr(f, name) for f in forecasts)

    growth = column("growth_per_day")
    return Outlook(
        last_bytes=column("last_amount"),
        level_bytes=column("level"),
        growth_bytes_per_day=growth,
        fan=Fan.kept(
            _table(forecasts, name="fan", n_columns=N_TOLD),
            noise_variance=np.nan_to_num(column("noise_variance")),
            memory=np.array([0 if f is None else f.noise_memory for f in forecasts]),
        ),
        rhythm=Rhythm(
            by_weekday=_table(forecasts, name="by_weekday", n_columns=WEEK_DAYS),
            by_month_slot=_table(forecasts, name="by_month_slot", n_columns=MONTH_SLOTS),
            last_day=np.array([(f.as_of - EPOCH).days if f and f.as_of else 0 for f in forecasts]),
        ),
        ceiling_bytes=np.nan_to_num(column("ceiling"), nan=np.inf),
        is_judged=~np.isnan(growth),
    )


def _table(forecasts: Sequence[KeptForecast | None], *, name: str, n_columns: int) -> Float64s:
    """Kept lists as rows; an empty one is a row of zeros."""
    flat = [0.0] * n_columns
    rows = [(getattr(f, name) if f is not None else None) or flat for f in forecasts]
    return np.array(rows, dtype=np.float64).reshape(len(forecasts), n_columns)


def fan_told(
    outlook: Outlook, *, horizon_days: int, quantiles: tuple[float, ...],
    added: Float64s | None = None,
) -> dict[str, list[int | None]]:  # fmt: skip
    """Return the fan of the only series of an outlook by quantile name.

    ``added`` (1, n_days), as far as the horizon or further, is what comes besides.
    """
    fan = paths(outlook, horizon_days=horizon_days, quantiles=quantiles)[0]
    if added is not None:
        fan = fan + added[:, :horizon_days]
    return {
        f"p{round(quantile * 100)}": whole_numbers(path)
        for quantile, path in zip(quantiles, fan, strict=True)
    }
