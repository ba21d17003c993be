"""Forecasts of used bytes: engine.py and reaching.py have the calls, record.py how right."""

from keelmark.core.forecast.calibration import TRIALS, Widening, widening_of
from keelmark.core.forecast.changed import grown
from keelmark.core.forecast.clean import CleanSeries
from keelmark.core.forecast.engine import MIN_HISTORY_DAYS, Forecast, forecast, widened
from keelmark.core.forecast.fan import Fan
from keelmark.core.forecast.outlook import (
    MAX_HORIZON_DAYS,
    Outlook,
    paths,
)
from keelmark.core.forecast.reaching import Runway, runway, runways
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
    "Fan",
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
    "grown",
    "paths",
    "reconcile",
    "record_of",
    "record_of_many",
    "runway",
    "runways",
    "widened",
    "widening_of",
]
