"""Five-minute means of reads and writes: kept as steps, added up over things, seen in bins."""

from keelmark.core.performance.bins import Bins, binned
from keelmark.core.performance.steps import (
    LATENCIES,
    PARTS,
    RATES,
    STEPS_A_DAY,
    Floats,
    added,
    busy,
    operations,
    rolled,
)

__all__ = [
    "LATENCIES", "PARTS", "RATES", "STEPS_A_DAY", "Bins", "Floats", "added", "binned",
    "busy",    "operations", "rolled",
]  # fmt: skip
