"""Trains what is shipped with the core on simulated histories.

    python -m bench.forecast.train [thousands of histories] [epochs] [file]

The defaults are those of the shipped file: some twelve minutes on two cores. Half a dozen histories
in a hundred are kept out and judged; what they showed is kept in the file beside its weights.
"""

import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bench.forecast.simulate import history
from keelmark.core.arrays import Float64s
from keelmark.core.forecast.clean import clean
from keelmark.core.forecast.engine import MIN_HISTORY_DAYS
from keelmark.core.forecast.inputs import Past, inputs_of, unit_of
from keelmark.core.forecast.learnt import FILE, Network, distance_of, quantiles_of
from keelmark.core.forecast.mix import KNOTS_DAYS, Mix, mixed
from keelmark.core.forecast.telling import past_of

SEED = 77
N_THOUSANDS = 200
N_EPOCHS = 8
BATCH_HISTORIES = 1000
N_AHEAD = KNOTS_DAYS[-1]
USUAL_DAYS = 400
USUAL_SHARE = 0.6  # of batches know as many days; the others 100 to 800
PROFILE_THOUSANDS = 4
HIDDEN = (128, 64)
N_NETWORKS = 4
MINI = 2048
RATE, LEAST_RATE = 2e-3, 1e-6
WARM_STEPS = 200
DECAY = 1e-4
KEPT_OUT_SHARE = 0.06
MOST_UNITS = 80.0  # what came farther off pulls no harder
SIZE_POWER = 0.85  # of a history's weight by its uncertainty in shares of capacity
MOST_SIZE = 0.6
FARTHEST_QUANTILE = 0.999
LEAST_LEVEL = 1e-4  # of capacity
QUANTILES = np.array([0.1, 0.5, 0.9], dtype=np.float32)
Float32s = NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Lessons:
    """Inputs (n, n_knots, n_inputs); what came in units off the mix, and each unit's share of
    capacity, (n, n_knots) both."""

    inputs: Float32s
    came: Float32s
    size: Float32s

    def __getitem__(self, rows: slice) -> "Lessons":
        return Lessons(inputs=self.inputs[rows], came=self.came[rows], size=self.size[rows])


def main() -> None:
    n_thousands = int(sys.argv[1]) if len(sys.argv) > 1 else N_THOUSANDS
    n_epochs = int(sys.argv[2]) if len(sys.argv) > 2 else N_EPOCHS
    shipped = Path(__file__).parents[2] / "keelmark" / "core" / "forecast" / FILE
    path = Path(sys.argv[3]) if len(sys.argv) > 3 else shipped
    path.write_bytes(b"")
    told = train(path, n_thousands=n_thousands, n_epochs=n_epochs, n_histories=BATCH_HISTORIES)
    sys.stdout.write(told)


def train(
    path: Path, *, n_thousands: int, n_epochs: int, n_histories: int, without: str = ""
) -> str:
    """Simulate, train, judge and write the file; return what it showed.

    ``without`` names a behaviour that is left out of what is simulated.
    """
    begun = time.perf_counter()
    with get_context("spawn").Pool(2) as pool:
        parts = range(PROFILE_THOUSANDS)
        missed = pool.starmap(_misses, [(part, n_histories, without) for part in parts])
        profile = np.exp(np.nanmean(np.concatenate(missed), axis=0))
        jobs = [(part, n_histories, profile, without) for part in range(n_thousands)]
        taught = pool.starmap(_lessons, jobs, chunksize=1)
        lessons = Lessons(
            inputs=np.concatenate([one.inputs for one in taught]),
            came=np.concatenate([one.came for one in taught]),
            size=np.concatenate([one.size for one in taught]),
        )
        del taught
        n_out = max(1, int(KEPT_OUT_SHARE * len(lessons.inputs)))
        out, inside = lessons[:n_out], lessons[n_out:]
        middle = inside.inputs.mean(axis=(0, 1))
        spread = inside.inputs.std(axis=(0, 1)) + np.float32(1e-3)
        kept = {"middle": middle, "spread": spread, "profile": profile}
        kept["low"], kept["high"] = np.quantile(inside.came, [0.1, 0.9], axis=0)
        scaled = [(inside.inputs - middle) / spread, (out.inputs - middle) / spread]
        kept["farthest"] = np.quantile(distance_of(scaled[0]), FARTHEST_QUANTILE)
        told = Lessons(inputs=scaled[0], came=inside.came, size=inside.size)
    networks = _all_learnt(told, n_epochs=n_epochs)
    kept["shape"] = np.array([N_NETWORKS, len(networks[0].weights)])
    for at, network in enumerate(networks):
        for layer, (weight, offset) in enumerate(
            zip(network.weights, network.offsets, strict=True)
        ):
            kept[f"weight_{at}_{layer}"] = weight.astype(np.float16)
            kept[f"offset_{at}_{layer}"] = offset
    alone = np.broadcast_to(
        np.stack([kept["low"], 0 * kept["low"], kept["high"]], axis=-1), (*out.came.shape, 3)
    )
    kept["seed"], kept["n_histories"] = np.array(SEED), np.array(len(inside.inputs))
    kept["loss_of_mix"] = _loss(alone, of=out)
    kept["loss"] = _loss(_quantiles(networks, scaled[1]), of=out)
    kept["inside_share"] = _inside(_quantiles(networks, scaled[1]), of=out)
    with path.open("wb") as file:
        np.savez_compressed(file, **kept)
    return (
        f"{len(inside.inputs)} histories, {time.perf_counter() - begun:.0f} s\n"
        f"loss by knot, points: mix {kept['loss_of_mix'].round(2)}\n"
        f"  corrected {kept['loss'].round(2)}\n  in the band {kept['inside_share'].round(2)}\n"
    )


def _simulated(part: int, n_histories: int, without: str) -> tuple[Past, Mix, Float64s, Float64s]:
    """Pasts with their mixes, what came after each knot, and capacities, in the past's units."""
    rng = np.random.default_rng([SEED, part])
    n_known = USUAL_DAYS if rng.random() < USUAL_SHARE else int(rng.integers(100, 800))
    made = [
        history(rng, n_known=n_known, n_ahead=N_AHEAD, without=without) for _ in range(n_histories)
    ]
    known = np.array([one.known for one in made])
    readings = clean(known)
    # Those that end before the last day, are hardly read or hold nothing are no lessons.
    is_read = (~np.isnan(known)).sum(axis=1) >= MIN_HISTORY_DAYS
    holds = np.nan_to_num(readings.level_bytes).max(axis=1) > LEAST_LEVEL
    rows = np.flatnonzero(is_read & holds & (readings.last_column == n_known - 1))
    readings = clean(known[rows])
    scale = np.nanmax(readings.level_bytes, axis=1)
    first_day = np.array([made[row].first_day for row in rows])
    past, rhythm = past_of(
        readings, scale=scale, last_day=first_day + n_known - 1, has_calendar=True
    )
    knots = np.array(KNOTS_DAYS)
    came = np.array([made[row].future[knots - 1] for row in rows]) / scale[:, None]
    capacity = np.array([made[row].capacity for row in rows]) / scale
    return past, mixed(past.readings), came - rhythm.on(knots), capacity


def _misses(part: int, n_histories: int, without: str) -> Float64s:
    """Logs of what mixes missed in their own mean miss a √day, NaN where little was tried."""
    _, mix, came, _ = _simulated(10_000 + part, n_histories, without)
    root = np.sqrt(KNOTS_DAYS)
    ratio = np.abs(came - mix.middle) / np.maximum(mix.mixed_missed[:, None] * root, 1e-9)
    is_tried = mix.n_trials > 2 * len(KNOTS_DAYS)
    return np.where(is_tried[:, None], np.log(np.clip(ratio, 1e-2, 1e2)), np.nan)


def _lessons(part: int, n_histories: int, profile: Float64s, without: str) -> Lessons:
    past, mix, came, capacity = _simulated(part, n_histories, without)
    unit = unit_of(past, mix=mix, profile=profile)
    return Lessons(
        inputs=inputs_of(past, mix=mix, unit=unit).astype(np.float32),
        came=((came - mix.middle) / unit).astype(np.float32),
        size=(unit / capacity[:, None]).astype(np.float32),
    )


_TOLD: list[Lessons] = []  # what forked learners find in their memory: it is too large to send


def _all_learnt(lessons: Lessons, *, n_epochs: int) -> list[Network]:
    """Train the networks, two at a time."""
    _TOLD[:] = [lessons]
    with get_context("fork").Pool(2) as pool:
        return pool.starmap(_learnt_by, [(seed, n_epochs) for seed in range(N_NETWORKS)])


def _learnt_by(seed: int, n_epochs: int) -> Network:
    return _learnt(_TOLD[0], seed=seed, n_epochs=n_epochs)


def _learnt(lessons: Lessons, *, seed: int, n_epochs: int) -> Network:
    """Train one network by Adam on the pinball loss.

    References
    ----------
    Kingma, D. P. and Ba, J. (2015), "Adam: a method for stochastic optimization", algorithm 1.
    """
    n = lessons.came.size
    inputs = lessons.inputs.reshape(n, -1)
    came = np.clip(lessons.came.reshape(n), -MOST_UNITS, MOST_UNITS)
    weight = np.minimum(lessons.size, MOST_SIZE) ** SIZE_POWER
    weight = (weight / weight.mean(axis=0)).reshape(n).astype(np.float32)
    rng = np.random.default_rng([SEED, seed])
    layers = list(_begun(inputs.shape[1], rng=rng))
    moments = [(np.zeros_like(layer), np.zeros_like(layer)) for layer in layers]
    n_steps = n_epochs * (n // MINI)
    step = 0
    for _ in range(n_epochs):
        order = rng.permutation(n)
        for begin in range(0, n - MINI + 1, MINI):
            rows = order[begin : begin + MINI]
            slopes = _slopes(layers, inputs=inputs[rows], came=came[rows], weight=weight[rows])
            step += 1
            rate = RATE * (1 + np.cos(np.pi * step / n_steps)) / 2 * min(1, step / WARM_STEPS)
            for at, (layer, slope) in enumerate(zip(layers, slopes, strict=True)):
                first, second = moments[at]
                first += 0.1 * (slope - first)
                second += 0.001 * (slope**2 - second)
                pull = (first / (1 - 0.9**step)) / (np.sqrt(second / (1 - 0.999**step)) + 1e-8)
                decay = DECAY * layer if layer.ndim > 1 else 0.0
                layer -= np.float32(rate + LEAST_RATE) * (pull + decay)
    return Network(weights=tuple(layers[::2]), offsets=tuple(layers[1::2]))


def _begun(n_inputs: int, *, rng: np.random.Generator) -> Iterator[Float32s]:
    sizes = (n_inputs, *HIDDEN, len(QUANTILES))
    for layer, (n_in, n_out) in enumerate(pairwise(sizes)):
        small = 0.1 if layer == len(HIDDEN) else 1.0
        yield (small * rng.normal(0, np.sqrt(2 / n_in), (n_in, n_out))).astype(np.float32)
        yield np.zeros(n_out, dtype=np.float32)


def _slopes(
    layers: list[Float32s], *, inputs: Float32s, came: Float32s, weight: Float32s
) -> list[Float32s]:
    """How the weighted pinball loss changes with each weight and offset."""
    held = [inputs]
    for at in range(0, len(layers) - 2, 2):
        held.append(np.maximum(held[-1] @ layers[at] + layers[at + 1], 0))
    answer = held[-1] @ layers[-2] + layers[-1]
    above = came[:, None] > quantiles_of(answer)
    slope = np.where(above, -QUANTILES, 1 - QUANTILES) * weight[:, None] / len(came)
    width = 1 / (1 + np.exp(-answer[:, 1:]))
    back = np.stack(
        [slope.sum(axis=1), -slope[:, 0] * width[:, 0], slope[:, 2] * width[:, 1]], axis=1
    ).astype(np.float32)
    slopes: list[Float32s] = []
    for at in range(len(layers) - 2, -1, -2):
        below = held[at // 2]
        slopes[:0] = [below.T @ back, back.sum(axis=0)]
        back = (back @ layers[at].T) * (below > 0)
    return slopes


def _quantiles(networks: list[Network], scaled: Float32s) -> Float32s:
    flat = scaled.reshape(-1, scaled.shape[-1])
    told = np.mean([quantiles_of(network.answer(flat)) for network in networks], axis=0)
    by_history: Float32s = told.reshape(*scaled.shape[:2], 3)
    return by_history


def _loss(told: Float32s, *, of: Lessons) -> Float64s:
    """Mean pinball loss by knot in points of capacity."""
    off = of.came[..., None] - told
    loss = np.maximum(QUANTILES * off, (QUANTILES - 1) * off) * of.size[..., None]
    by_knot: Float64s = 100 * loss.mean(axis=(0, 2)).astype(np.float64)
    return by_knot


def _inside(told: Float32s, *, of: Lessons) -> Float64s:
    by_knot: Float64s = ((of.came >= told[..., 0]) & (of.came <= told[..., 2])).mean(axis=0)
    return by_knot


if __name__ == "__main__":
    main()
