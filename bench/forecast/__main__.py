"""The forecast beside four baselines on generated and on real series, in one run.

    python -m bench.forecast [series a family]

For every family: pinball loss, how far the likely dates were off, how much of the future fell
into the 80 % band, false alarms within 90 days, and the time a series takes.
"""

import sys
import time
from collections.abc import Callable

import numpy as np

from bench.forecast.baselines import BASELINES
from bench.forecast.families import FAMILIES, Cases, cases_of
from bench.forecast.real import cases_of_real, real_series
from bench.forecast.scores import QUANTILES, UNFORESEEN_DAYS, Score, crossings, score
from keelmark.core.arrays import Float64s
from keelmark.core.forecast import forecast, paths, runway

OURS = "Keel Mark"
N_SERIES = 60
SEED = 20
SCALE = 2.0**40  # bytes
HORIZON_DAYS = 365
WORST_RATIO = 1.2
Answer = tuple[Float64s, Float64s]


def ours(cases: Cases) -> Answer:
    """Return the fan and the likely dates of our own engine."""
    ceiling = None if cases.ceiling is None else cases.ceiling * SCALE
    learnt = forecast(cases.known * SCALE, first_day=cases.first_day, ceiling_bytes=ceiling)
    fan = paths(learnt, horizon_days=HORIZON_DAYS, quantiles=QUANTILES) / SCALE
    mark = (cases.mark * SCALE).astype(np.int64)
    return fan, runway(learnt, mark_bytes=mark, horizon_days=730).likely_days


def theirs(method: Callable[..., Float64s]) -> Callable[[Cases], Answer]:
    """Return the fan and the likely dates of a baseline, cut off where it is known to end."""

    def answer(cases: Cases) -> Answer:
        fan = np.array([method(row, n_ahead=HORIZON_DAYS) for row in cases.known])
        if cases.ceiling is not None:
            fan = np.minimum(fan, cases.ceiling[:, None, None])
        return fan, crossings(fan[:, 1], cases.mark)

    return answer


METHODS: dict[str, Callable[[Cases], Answer]] = {
    OURS: ours,
    **{name: theirs(method) for name, method in BASELINES.items()},
}


def measured(cases: Cases) -> dict[str, tuple[Score, float]]:
    """Return score and milliseconds a series of every method."""
    table = {}
    for name, method in METHODS.items():
        begun = time.perf_counter()
        fan, likely = method(cases)
        took = (time.perf_counter() - begun) / len(cases.known)
        likely = np.nan_to_num(likely, nan=UNFORESEEN_DAYS, posinf=np.inf)
        table[name] = (score(fan, likely_days=likely, cases=cases), 1e3 * took)
    return table


def main() -> None:
    n_series = int(sys.argv[1]) if len(sys.argv) > 1 else N_SERIES
    everything: dict[str, dict[str, tuple[Score, float]]] = {}
    for name, family in FAMILIES.items():
        shown = f"{name} *" if family.is_kept_out else name
        everything[shown] = measured(cases_of(family, n_series=n_series, seed=SEED))
    for name, series in real_series().items():
        everything[f"real: {name}"] = measured(cases_of_real(series))
    write = sys.stdout.write
    for title, of, digits in (
        ("pinball loss, ‰", lambda s: s.pinball, 2),
        ("likely date off by, days", lambda s: s.crossing_days, 1),
        ("in the 80 % band, %", lambda s: 100 * s.coverage, 0),
        ("false alarms within 90 days, %", lambda s: 100 * s.false_alarms, 0),
    ):
        write(f"\n{title:32}" + "".join(f"{name:>16}" for name in METHODS) + "\n")
        for family_name, table in everything.items():
            cells = "".join(f"{of(table[name][0]):16.{digits}f}" for name in METHODS)
            write(f"{family_name:32}{cells}\n")
        means = [np.nanmean([of(t[name][0]) for t in everything.values()]) for name in METHODS]
        write(f"{'mean':32}" + "".join(f"{mean:16.{digits}f}" for mean in means) + "\n")
    write(f"\n{'ms a series':32}")
    for name in METHODS:
        write(f"{np.mean([t[name][1] for t in everything.values()]):16.2f}")
    _verdict(everything)


def _verdict(everything: dict[str, dict[str, tuple[Score, float]]]) -> None:
    """Ours beside each baseline: the geometric mean over families of the ratio of losses."""
    write = sys.stdout.write
    write("\n")
    for name in BASELINES:
        ratios = [t[OURS][0].pinball / t[name][0].pinball for t in everything.values()]
        mean = float(np.exp(np.mean(np.log(ratios))))
        write(f"overall {mean:.2f} of {name} (budget < 1)\n")
    for family, table in everything.items():
        best = min(BASELINES, key=lambda name: table[name][0].pinball)
        ratio = table[OURS][0].pinball / table[best][0].pinball
        told = "over the budget" if ratio > WORST_RATIO else "kept"
        write(f"  {family:32} {ratio:.2f} of its best, {best} (budget {WORST_RATIO}): {told}\n")
    write("* kept out while the engine was developed\n")


if __name__ == "__main__":
    main()
