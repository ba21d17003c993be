"""Forecasts of used bytes: see engine.py for the three calls."""

from keelmark.core.forecast.clean import CleanSeries
from keelmark.core.forecast.engine import (
    MAX_HORIZON_DAYS,
    MIN_HISTORY_DAYS,
    Forecast,
    Outlook,
    Runway,
    forecast,
    paths,
    runway,
)

__all__ = [
    "MAX_HORIZON_DAYS",
    "MIN_HISTORY_DAYS",
    "CleanSeries",
    "Forecast",
    "Outlook",
    "Runway",
    "forecast",
    "paths",
    "runway",
]
