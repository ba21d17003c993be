"""Hypothesis strategies of the core."""

import numpy as np
from hypothesis import strategies as st
from hypothesis.extra import numpy as npst

from keelmark.core.ledger import Ledger
from keelmark.core.marks import Marks
from keelmark.core.units import TIB

amounts = st.integers(0, 2**62)


def marks() -> st.SearchStrategy[Marks]:
    return (
        st.tuples(st.integers(1, 98), st.integers(1, 100))
        .filter(lambda p: p[0] < p[1])
        .map(lambda p: Marks(caution_percent=p[0], limit_percent=p[1]))
    )


def ledgers() -> st.SearchStrategy[Ledger]:
    return st.builds(
        Ledger,
        usable_bytes=amounts,
        used_bytes=amounts,
        reserved_bytes=amounts,
        provisioned_bytes=st.none() | amounts,
        logical_written_bytes=st.none() | amounts,
        marks=marks(),
    )


def used_series() -> st.SearchStrategy[np.ndarray]:
    """(2, 90) series that climb at their own pace, with gaps and one wild reading."""

    def build(parts: tuple[float, float, np.ndarray, set[int], int]) -> np.ndarray:
        first, second, noise, gaps, wild = parts
        day = np.arange(90)
        pace = np.array([[first], [second]])
        used = 10 * TIB + pace * TIB * day + noise * 0.01 * TIB
        used[0, wild] *= 3
        used[:, sorted(gaps)] = np.nan
        rounded: np.ndarray = np.round(used)
        return rounded

    return st.tuples(
        st.floats(0, 0.2),
        st.floats(0, 0.2),
        npst.arrays(np.float64, (2, 90), elements=st.floats(-1, 1)),
        st.sets(st.integers(0, 89), max_size=20),
        st.integers(5, 80),
    ).map(build)
