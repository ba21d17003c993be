"""Real series that trend, from the datasets of statsmodels: a reading is taken for a day."""

import numpy as np

from bench.forecast.families import Cases
from keelmark.core.arrays import Float64s

STEP = 10  # readings between two origins
N_AHEAD = 90
MIN_KNOWN = 100
MAX_KNOWN = 400
MARK_RISE = 0.02  # of the level


def real_series() -> dict[str, Float64s]:
    """Return the series by name: carbon dioxide by the week, an economy by the quarter."""
    from statsmodels.datasets import co2, macrodata

    economy = macrodata.load_pandas().data
    return {
        "co2, weekly": co2.load_pandas().data["co2"].to_numpy(),
        "consumption": economy["realcons"].to_numpy(),
        "prices": economy["cpi"].to_numpy(),
        "population": economy["pop"].to_numpy(),
    }


def cases_of_real(series: Float64s) -> Cases:
    """Cut a series at many origins; the known part is right-aligned."""
    n_ahead = min(N_AHEAD, len(series) // 5)
    known, future, marks = [], [], []
    for origin in range(MIN_KNOWN, len(series) - n_ahead, STEP):
        row = np.full(MAX_KNOWN, np.nan)
        taken = series[max(0, origin - MAX_KNOWN) : origin]
        row[-len(taken) :] = taken
        known.append(row)
        future.append(series[origin : origin + n_ahead])
        marks.append(taken[~np.isnan(taken)][-1] * (1 + MARK_RISE))
    table = np.array(known)
    return Cases(
        known=table, future=np.array(future), mark=np.array(marks), ceiling=None, first_day=None
    )
