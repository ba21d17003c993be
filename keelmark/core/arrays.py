"""Array types that the whole core shares."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

Int64s = NDArray[np.int64]
Float64s = NDArray[np.float64]
Bools = NDArray[np.bool_]


def numbers(told: Iterable[float | None]) -> Float64s:
    """Return what was told as float64, NaN where nothing was."""
    return np.array([np.nan if one is None else one for one in told], dtype=np.float64)


def whole_numbers(amounts: Float64s) -> list[int | None]:
    """Return amounts rounded, None where one is NaN."""
    return [None if np.isnan(amount) else round(amount) for amount in amounts.tolist()]
