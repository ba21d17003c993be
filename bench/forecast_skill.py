"""How well the forecast does on demo estates it has not seen, beside three baselines.

    python -m bench.forecast_skill

Every pool of several seeded estates is cut 60 days before its known end; each method sees
what came before. Printed: pinball loss of the 10, 50 and 90 % paths (baselines: the 50 %
path only counts), mean error of crossing dates, and how much of the future fell in the band.
"""

import sys
from datetime import date

import numpy as np
from scipy import stats

from keelmark.core.arrays import Float64s
from keelmark.core.forecast import forecast, paths, runway
from standins.estate import HISTORY_DAYS, make_estate

ANCHOR_ON = date(2026, 11, 23)
SEEDS = (7, 8, 9, 10, 11)
N_AHEAD = 60
CROSSING_HORIZON = 365


def futures() -> tuple[Float64s, Float64s]:
    """Used bytes of all pools in shares of usable: (n, 400) known, (n, 60) held out."""
    rows = []
    for seed in SEEDS:
        for array in make_estate(size="demo", anchor_on=ANCHOR_ON, seed=seed).arrays:
            for pool in array.pools:
                used = np.sum([v.curve_bytes for v in pool.volumes], axis=0) * pool.odd_factor
                used = np.where(pool.is_read, used, np.nan) / pool.usable_bytes
                used[: pool.first_day] = np.nan
                rows.append(used[: HISTORY_DAYS + N_AHEAD])
    table = np.array(rows)
    return table[:, :HISTORY_DAYS], table[:, HISTORY_DAYS:]


def lines(known: Float64s, *, theil_sen: bool) -> Float64s:
    day = np.arange(known.shape[1])
    ahead = known.shape[1] + np.arange(CROSSING_HORIZON)
    out = []
    for row in known:
        is_read = ~np.isnan(row)
        if theil_sen:
            fit = stats.theilslopes(row[is_read], day[is_read])
            out.append(fit.intercept + fit.slope * ahead)
        else:
            out.append(np.polyval(np.polyfit(day[is_read], row[is_read], 1), ahead))
    return np.array(out)


def smoothed(known: Float64s, *, alpha: float = 0.3, beta: float = 0.05) -> Float64s:
    """Holt's linear exponential smoothing."""
    out = []
    for row in known:
        values = row[~np.isnan(row)]
        level, trend = values[0], 0.0
        for value in values[1:]:
            before = level
            level = alpha * value + (1 - alpha) * (level + trend)
            trend = beta * (level - before) + (1 - beta) * trend
        out.append(level + trend * np.arange(1, CROSSING_HORIZON + 1))
    return np.array(out)


def pinball(path: Float64s, future: Float64s, *, quantile: float) -> float:
    miss = future - path[:, : future.shape[1]]
    return float(np.nanmean(np.maximum(quantile * miss, (quantile - 1) * miss)))


def crossing_errors(likely: Float64s, truth: Float64s) -> float:
    return float(np.abs(np.minimum(likely, CROSSING_HORIZON) - truth).mean())


def crossings(path: Float64s, mark: Float64s) -> Float64s:
    reached = path >= mark[:, None]
    return np.where(reached.any(axis=1), reached.argmax(axis=1) + 1.0, np.inf)


def main() -> None:
    known, future = futures()
    filled = np.where(np.isnan(future), np.nanmedian(future, axis=1, keepdims=True), future)
    level = known[:, -1]
    # A mark in the middle of what the pool went through by itself: neither seen nor chosen
    # by any method, and reached by growth that is more than noise.
    top = filled[:, -7:].mean(axis=1)
    grows = top > level + 0.02
    mark = (level + top) / 2
    truth = crossings(filled, mark)
    grows &= np.isfinite(truth)

    scale = 2.0**40
    learnt = forecast(known * scale)
    fan = paths(learnt, horizon_days=CROSSING_HORIZON, quantiles=(0.1, 0.5, 0.9)) / scale
    way = runway(learnt, mark_bytes=(mark * scale).astype(np.int64), horizon_days=730)
    write = sys.stdout.write
    write(f"{len(known)} pools, {int(grows.sum())} of them grow enough for a crossing date\n")
    write("method            pinball 50 %   crossing error, d\n")
    rows = {"keelmark": (fan[:, 1], way.likely_days)}
    for name, path in (
        ("straight line", lines(known, theil_sen=False)),
        ("Theil–Sen", lines(known, theil_sen=True)),
        ("exp. smoothing", smoothed(known)),
    ):
        rows[name] = (path, crossings(path, mark))
    for name, (path, likely) in rows.items():
        loss = pinball(path, future, quantile=0.5)
        error = crossing_errors(likely[grows], truth[grows])
        write(f"{name:16}  {1e3 * loss:9.3f} ‰    {error:9.1f}\n")
    write(
        f"pinball 10, 90 %: {1e3 * pinball(fan[:, 0], future, quantile=0.1):.3f}, "
        f"{1e3 * pinball(fan[:, 2], future, quantile=0.9):.3f} ‰\n"
    )
    for ahead in (7, 14, 30, 60):
        at = future[:, ahead - 1]
        is_in = (at >= fan[:, 0, ahead - 1]) & (at <= fan[:, 2, ahead - 1])
        write(f"in the 80 % band after {ahead:2} d: {100 * is_in[~np.isnan(at)].mean():.0f} %\n")


if __name__ == "__main__":
    main()
