"""What was learnt from simulated histories, and what it corrects of a mix."""

from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from io import BytesIO

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Bools, Float64s
from keelmark.core.errors import ShapeError
from keelmark.core.forecast.inputs import N_INPUTS
from keelmark.core.forecast.mix import KNOTS_DAYS

FILE = "learnt.npz"
FAR = 8.0  # spreads at which an input counts as no farther
Float32s = NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Network:
    """Weights (n_in, n_out) and offsets (n_out,) of each layer."""

    weights: tuple[Float32s, ...]
    offsets: tuple[Float32s, ...]

    def answer(self, inputs: Float32s) -> Float32s:
        """Return the last layer of (n, n_inputs)."""
        held = inputs
        for weight, offset in zip(self.weights[:-1], self.offsets[:-1], strict=True):
            held = np.maximum(held @ weight + offset, 0)
        answer: Float32s = held @ self.weights[-1] + self.offsets[-1]
        return answer


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Learnt:
    """All that was learnt: how inputs are scaled, networks, and the band without them.

    ``profile`` (n_knots,) is what a mix misses by horizon; ``low`` and ``high`` (n_knots,) are
    the 10 and 90 % of what came, in units of uncertainty off the mix. A history whose inputs
    are farther off than ``farthest`` is unlike those it was learnt from.
    """

    middle: Float32s
    spread: Float32s
    networks: tuple[Network, ...]
    profile: Float64s
    low: Float64s
    high: Float64s
    farthest: float


@lru_cache(maxsize=1)
def learnt() -> Learnt:
    """Return what is shipped."""
    return read_learnt(files("keelmark.core.forecast").joinpath(FILE).read_bytes())


def read_learnt(told: bytes) -> Learnt:
    """Return what a file of :mod:`bench.forecast.train` says.

    Raises
    ------
    ShapeError
        If it was learnt from other inputs.
    """
    with np.load(BytesIO(told)) as kept:
        middle = kept["middle"].astype(np.float32)
        if middle.shape != (N_INPUTS,):
            raise ShapeError(argument="learnt", wanted=f"({N_INPUTS},)", found=middle.shape)
        n_networks, n_layers = (int(n) for n in kept["shape"])
        return Learnt(
            middle=middle,
            spread=kept["spread"].astype(np.float32),
            networks=tuple(
                Network(
                    weights=tuple(
                        kept[f"weight_{at}_{layer}"].astype(np.float32) for layer in range(n_layers)
                    ),
                    offsets=tuple(
                        kept[f"offset_{at}_{layer}"].astype(np.float32) for layer in range(n_layers)
                    ),
                )
                for at in range(n_networks)
            ),
            profile=kept["profile"].astype(np.float64),
            low=kept["low"].astype(np.float64),
            high=kept["high"].astype(np.float64),
            farthest=float(kept["farthest"]),
        )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Correction:
    """What is learnt on top of a mix, in units of uncertainty, (n_series, n_knots) each.

    ``shift`` is of the middle, ``down`` and ``up`` the half-widths of the 80 % band;
    ``is_unlike`` (n_series,) says which histories are unlike all that were simulated: their mix
    stands as it is.
    """

    shift: Float64s
    down: Float64s
    up: Float64s
    is_unlike: Bools


def corrected(inputs: Float64s, *, by: Learnt) -> Correction:
    """Return the correction for the inputs (n_series, n_knots, n_inputs) of some histories."""
    n_series = len(inputs)
    scaled = (inputs.astype(np.float32) - by.middle) / by.spread
    is_unlike = distance_of(scaled) > by.farthest
    flat = scaled.reshape(n_series * len(KNOTS_DAYS), -1)
    answers = [quantiles_of(network.answer(flat)) for network in by.networks]
    told = np.mean(answers, axis=0).astype(np.float64).reshape(n_series, len(KNOTS_DAYS), 3)
    middle, down, up = told[..., 1], told[..., 1] - told[..., 0], told[..., 2] - told[..., 1]
    alone = is_unlike[:, None]
    return Correction(
        shift=np.where(alone, 0.0, middle),
        down=np.where(alone, -by.low, down),
        up=np.where(alone, by.high, up),
        is_unlike=is_unlike,
    )


def distance_of(scaled: Float32s) -> Float64s:
    """Return how far histories lie from the middle of all, (n_series,)."""
    distance: Float64s = (np.clip(scaled, -FAR, FAR) ** 2).mean(axis=(1, 2)).astype(np.float64)
    return distance


def quantiles_of(answer: Float32s) -> Float32s:
    """Return 10, 50 and 90 % of what a network's last layer says, (n, 3)."""
    width = np.logaddexp(0, answer[:, 1:])
    middle = answer[:, 0]
    return np.stack([middle - width[:, 0], middle, middle + width[:, 1]], axis=-1)
