"""What each behaviour of the simulator brings: small networks learnt with all of them but one.

    OPENBLAS_NUM_THREADS=1 python -m bench.forecast.without [thousands] [series a family]

A line for each: the mean loss of all families and situations, as a share of that of a network as
small that knew all, and the family that lost most. Half an hour on two cores.
"""

import sys
import tempfile
from pathlib import Path

import numpy as np

from bench.forecast.families import FAMILIES, Cases, cases_of
from bench.forecast.scores import QUANTILES, Answer, score
from bench.forecast.simulate.world import LAYERS
from bench.forecast.situations import SITUATIONS
from bench.forecast.train import train
from keelmark.core.forecast import forecast, paths
from keelmark.core.forecast.learnt import Learnt, read_learnt

N_THOUSANDS = 10
N_SERIES = 30
N_EPOCHS = 4
SEED = 21
SCALE = 2.0**40


def losses(by: Learnt, *, cases: dict[str, Cases]) -> dict[str, float]:
    """Return the pinball loss of each family in points."""
    told = {}
    for name, of in cases.items():
        ceiling = None if of.ceiling is None else of.ceiling * SCALE
        learnt = forecast(of.known * SCALE, first_day=of.first_day, ceiling_bytes=ceiling, by=by)
        fan = paths(learnt, horizon_days=of.future.shape[1], quantiles=QUANTILES) / SCALE
        never = np.full((3, len(of.known)), np.nan)
        told[name] = score(Answer(fan=fan, days=never), cases=of).pinball
    return told


def learnt_without(name: str, *, n_thousands: int) -> Learnt:
    """Train a small network on histories in which a behaviour never occurs."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "learnt.npz"
        train(path, n_thousands=n_thousands, n_epochs=N_EPOCHS, n_histories=1000, without=name)
        return read_learnt(path.read_bytes())


def main() -> None:
    n_thousands = int(sys.argv[1]) if len(sys.argv) > 1 else N_THOUSANDS
    n_series = int(sys.argv[2]) if len(sys.argv) > 2 else N_SERIES
    cases = {
        name: cases_of(family, n_series=n_series, seed=SEED)
        for name, family in {**FAMILIES, **SITUATIONS}.items()
    }
    every = losses(learnt_without("", n_thousands=n_thousands), cases=cases)
    sys.stdout.write(f"all of them: mean loss {np.mean(list(every.values())):.3f} points\n")
    for behaviour, _ in LAYERS:
        name = behaviour.__name__
        told = losses(learnt_without(name, n_thousands=n_thousands), cases=cases)
        ratio = {family: told[family] / every[family] for family in cases}
        mean = float(np.exp(np.mean(np.log(list(ratio.values())))))
        worst = max(ratio, key=lambda family: ratio[family])
        sys.stdout.write(f"without {name:14} {mean:.3f}; most: {worst} {ratio[worst]:.2f}\n")
        sys.stdout.flush()


if __name__ == "__main__":
    main()
