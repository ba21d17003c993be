"""The forecast beside plain baselines on generated and on real series, in one run.

    python -m bench.forecast [series a family]

For every family: pinball loss, how much of the future fell into the 80 % band, how far the likely
dates were off, how many crossed before early and between early and late, false alarms within 90
days, and the time a series takes.
"""

import sys
import time
from collections.abc import Callable

import numpy as np

from bench.forecast.baselines import BASELINES
from bench.forecast.families import FAMILIES, Cases, cases_of
from bench.forecast.real import cases_of_real, real_series
from bench.forecast.scores import QUANTILES, Answer, Score, crossings, score
from bench.forecast.situations import SITUATIONS
from bench.forecast.unseen import UNSEEN
from keelmark.core.arrays import Float64s
from keelmark.core.forecast import forecast, paths, runway

OURS = "Keel Mark"
N_SERIES = 60
SEED = 20
SCALE = 2.0**40  # bytes
HORIZON_DAYS = 365
WORST_RATIO = 1.2
LEAST_LOSS = 1e-5  # points
Table = dict[str, tuple[Score, float]]


def ours(cases: Cases) -> Answer:
    """Return the fan and the dates of our own engine."""
    ceiling = None if cases.ceiling is None else cases.ceiling * SCALE
    learnt = forecast(cases.known * SCALE, first_day=cases.first_day, ceiling_bytes=ceiling)
    fan = paths(learnt, horizon_days=HORIZON_DAYS, quantiles=QUANTILES) / SCALE
    mark = (cases.mark * SCALE).astype(np.int64)
    way = runway(learnt, mark_bytes=mark, horizon_days=730)
    return Answer(fan=fan, days=np.stack([way.early_days, way.likely_days, way.late_days]))


def theirs(method: Callable[..., Float64s]) -> Callable[[Cases], Answer]:
    """Return the fan and the dates of a baseline, cut off where it is known to end."""

    def answer(cases: Cases) -> Answer:
        fan = np.array([method(row, n_ahead=HORIZON_DAYS) for row in cases.known])
        if cases.ceiling is not None:
            fan = np.minimum(fan, cases.ceiling[:, None, None])
        days = [crossings(fan[:, at], cases.mark) for at in (2, 1, 0)]
        return Answer(fan=fan, days=np.stack(days))

    return answer


METHODS: dict[str, Callable[[Cases], Answer]] = {
    OURS: ours,
    **{name: theirs(method) for name, method in BASELINES.items()},
}
FIGURES: tuple[tuple[str, Callable[[Score], float], int], ...] = (
    ("pinball loss, points", lambda s: s.pinball, 2),
    ("in the 80 % band, %", lambda s: 100 * s.coverage, 0),
    ("likely date off by, days", lambda s: s.crossing_days, 0),
    ("crossed before early, %", lambda s: 100 * s.before_early, 0),
    ("of crossings early to late, %", lambda s: 100 * s.between, 0),
    ("false alarms within 90 days, %", lambda s: 100 * s.false_alarms, 0),
)


def measured(cases: Cases) -> Table:
    """Return score and milliseconds a series of every method."""
    table = {}
    for name, method in METHODS.items():
        begun = time.perf_counter()
        answer = method(cases)
        took = (time.perf_counter() - begun) / len(cases.known)
        table[name] = (score(answer, cases=cases), 1e3 * took)
    return table


def main() -> None:
    n_series = int(sys.argv[1]) if len(sys.argv) > 1 else N_SERIES
    generated = {"families": FAMILIES, "situations": SITUATIONS, "unseen": UNSEEN}
    groups: dict[str, dict[str, Table]] = {
        called: {
            name: measured(cases_of(family, n_series=n_series, seed=SEED))
            for name, family in families.items()
        }
        for called, families in generated.items()
    }
    groups["real"] = {
        name: measured(cases_of_real(series)) for name, series in real_series().items()
    }
    write = sys.stdout.write
    for title, of, digits in FIGURES:
        write(f"\n{title:32}" + "".join(f"{name:>16}" for name in METHODS) + "\n")
        for called, tables in groups.items():
            for name, table in tables.items():
                _row(name, [of(table[method][0]) for method in METHODS], digits=digits)
            means = [
                float(np.nanmean([of(table[method][0]) for table in tables.values()]))
                for method in METHODS
            ]
            _row(f"{called}, mean", means, digits=digits)
    everything = [table for tables in groups.values() for table in tables.values()]
    took = [float(np.mean([table[name][1] for table in everything])) for name in METHODS]
    write("\n")
    _row("ms a series", took, digits=2)
    _verdict(groups)


def _row(name: str, figures: list[float], *, digits: int) -> None:
    sys.stdout.write(f"{name:32}" + "".join(f"{x:16.{digits}f}" for x in figures) + "\n")


def _ratio(table: Table, name: str) -> float:
    """Our loss in that of a baseline; what is exact counts as a hundred-thousandth of a point."""
    return max(table[OURS][0].pinball, LEAST_LOSS) / max(table[name][0].pinball, LEAST_LOSS)


def _verdict(groups: dict[str, dict[str, Table]]) -> None:
    """Ours beside the baselines: the geometric mean of ratios, and each family's worst."""
    write = sys.stdout.write
    for group, tables in groups.items():
        for name in BASELINES:
            ratios = [_ratio(table, name) for table in tables.values()]
            mean = float(np.exp(np.mean(np.log(ratios))))
            write(f"{group}: {mean:.2f} of {name} (budget < 1)\n")
        for family, table in tables.items():
            best = min(BASELINES, key=lambda name: table[name][0].pinball)
            ratio = _ratio(table, best)
            told = "over the budget" if ratio > WORST_RATIO else "kept"
            write(f"  {family:32} {ratio:.2f} of its best, {best} (budget {WORST_RATIO}): {told}\n")


if __name__ == "__main__":
    main()
