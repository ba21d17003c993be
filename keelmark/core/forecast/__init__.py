"""Forecasts of used bytes: see engine.py for the calls, record.py for how right they were."""

from keelmark.core.forecast.calibration import TRIALS, Widening, widening_of
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
    widened,
)
from keelmark.core.forecast.record import Record, RecordOfMany, record_of, record_of_many
from keelmark.core.forecast.repairs import Repair
from keelmark.core.forecast.rhythm import Rhythm
from keelmark.core.forecast.sharing import (
    Contributions,
    Reconciled,
    contributions,
    reconcile,
)
from keelmark.core.forecast.structure import PaceChanges

__all__ = [
    "MAX_HORIZON_DAYS",
    "MIN_HISTORY_DAYS",
    "TRIALS",
    "CleanSeries",
    "Contributions",
    "Forecast",
    "Outlook",
    "PaceChanges",
    "Reconciled",
    "Record",
    "RecordOfMany",
    "Repair",
    "Rhythm",
    "Runway",
    "Widening",
    "contributions",
    "forecast",
    "paths",
    "reconcile",
    "record_of",
    "record_of_many",
    "runway",
    "widened",
    "widening_of",
]
