"""Placement of workloads on pools."""

from keelmark.core.placement.pools import (
    Hurdle,
    Margin,
    Pools,
    Verdict,
    Workload,
    place,
)

__all__ = ["Hurdle", "Margin", "Pools", "Verdict", "Workload", "place"]
