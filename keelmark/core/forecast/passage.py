"""When a level first stands at a mark, by paths that run through its fan."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.forecast.noise import MEMORIES

N_PATHS = 256
SEED = 1
PERSISTENCES = (0.25, 0.5, 0.75, 1.0)  # 0.5: a walk; 1: a line whose pace is not known
QUANTILES = (0.1, 0.5, 0.9)
ROWS_AT_ONCE = 64  # so that what is compared stays near the processor
N_DRAWN = 8  # of a path's main shapes by a low-discrepancy sequence, the others at random
LAST_DAY = 3650
BLOCK_SHARE = 0.06  # of the days so far: what is looked at at once
Float32s = NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Passage:
    """Days (3, n_series) to the 10, 50 and 90 % chance; inf = not in the horizon.

    ``chance_within`` (n_series,) is the chance that it is reached within the horizon.
    """

    days: Float64s
    chance_within: Float64s


def blocks_of(horizon_days: int) -> Int64s:
    """Return the last day of each block that is looked at at once: days, later weeks."""
    ends = _blocks()
    inside = ends[ends < horizon_days]
    return np.concatenate([inside, [horizon_days]]).astype(np.int64)


def group_of(persistence: Float64s, memory: Int64s) -> Int64s:
    """Return which paths each series takes, (n_series,); see :class:`Walks` for both."""
    kind: Int64s = np.abs(persistence[:, None] - np.array(PERSISTENCES)).argmin(axis=1)
    return kind * len(MEMORIES) + memory


class Walks:
    """Paths through the fans of some series: when they first stand at a mark.

    Parameters
    ----------
    noise_share : (n_series, n_blocks) float64
        Share of the fan's variance that is noise and comes back; blocks as of :func:`blocks_of`.
    persistence : (n_series,) float64
        How the rest of it hangs together, 0.25 to 1: the power of time by which it spreads.
    memory : (n_series,) int64
        Of the noise, as an index of MEMORIES.
    horizon_days : int
        Last day looked at, 1 or more.
    are_kept : bool
        Whether paths are kept for the next marks: 70 kB for each series and two years.

    Notes
    -----
    The same paths for all series, so that a lower mark is never reached later: fractional
    Brownian motion for what adds up, and the highest that noise reaches within a block.

    References
    ----------
    Mandelbrot, B. B. and Van Ness, J. W. (1968), "Fractional Brownian motions, fractional
    noises and applications", eq. 2.1 for the covariance.
    """

    def __init__(
        self, *, noise_share: Float64s, persistence: Float64s, memory: Int64s, horizon_days: int,
        are_kept: bool = False,
    ) -> None:  # fmt: skip
        self._ends = blocks_of(horizon_days)
        self._noise_share = noise_share.astype(np.float32)
        self._group = group_of(persistence, memory)
        self._kept: dict[int, Float32s] | None = {} if are_kept else None

    def first_passages(self, needed: Float64s) -> list[Passage]:
        """Return when each of several marks is first reached, in fractions of days.

        Parameters
        ----------
        needed : (n_marks, n_series, n_blocks) float64
            How far above its middle a path must be in each block, in spreads of the fan; −inf
            where all are, inf where none can be.
        """
        n_marks, n_series, _ = needed.shape
        days = np.full((n_marks, len(QUANTILES), n_series), np.inf)
        chance = np.zeros((n_marks, n_series))
        # What no path reaches needs no paths.
        is_near = needed.min(axis=(0, 2)) <= _highest()
        for some in self._together(is_near):
            path = self._path(some)
            for mark in range(n_marks):
                is_there = path >= needed[mark, some].astype(np.float32)[:, None, :]
                days[mark][:, some], chance[mark, some] = _told(is_there, ends=self._ends)
        return [Passage(days=days[mark], chance_within=chance[mark]) for mark in range(n_marks)]

    def _together(self, is_near: NDArray[np.bool_]) -> Iterator[Int64s]:
        """Rows of one group at a time; what is kept is always cut alike."""
        for group in np.unique(self._group[is_near]):
            is_of = self._group == group
            rows = np.flatnonzero(is_of if self._kept is not None else is_of & is_near)
            for begin in range(0, len(rows), ROWS_AT_ONCE):
                some = rows[begin : begin + ROWS_AT_ONCE]
                if is_near[some].any():
                    yield some

    def _path(self, some: Int64s) -> Float32s:
        """The highest within each block of all paths of some rows of one group."""
        first = int(some[0])
        if self._kept is not None and first in self._kept:
            return self._kept[first]
        kind, memory = divmod(int(self._group[first]), len(MEMORIES))
        share = self._noise_share[some][:, None, :]
        path: Float32s = np.sqrt(1 - share) * _slow(kind)[:, : len(self._ends)]
        path += np.sqrt(share) * _noise(memory)[:, : len(self._ends)]
        if self._kept is not None:
            self._kept[first] = path
        return path


def _told(is_there: NDArray[np.bool_], *, ends: Int64s) -> tuple[Float64s, Float64s]:
    """Days by which a tenth, half and nine tenths of the paths are there for the first time."""
    n_series, n_paths, n_blocks = is_there.shape
    first = is_there.argmax(axis=2)
    first[~np.take_along_axis(is_there, first[:, :, None], axis=2)[:, :, 0]] = n_blocks
    at = (np.arange(n_series)[:, None] * (n_blocks + 1) + first).ravel()
    counted = np.bincount(at, minlength=n_series * (n_blocks + 1))
    by = np.cumsum(counted.reshape(n_series, n_blocks + 1)[:, :-1], axis=1)
    begins = np.concatenate([[0], ends[:-1]])
    days = np.full((len(QUANTILES), n_series), np.inf)
    for row, quantile in enumerate(QUANTILES):
        wanted = quantile * n_paths
        is_by = by >= wanted
        block = is_by.argmax(axis=1)
        rows = np.arange(n_series)
        before = np.where(block > 0, by[rows, np.maximum(block - 1, 0)], 0)
        share = (wanted - before) / np.maximum(by[rows, block] - before, 1)
        day = begins[block] + share * (ends[block] - begins[block])
        days[row] = np.where(is_by.any(axis=1), day, np.inf)
    return days, by[:, -1] / n_paths


@lru_cache(maxsize=1)
def _blocks() -> Int64s:
    """Ends of all blocks: each day for some weeks, then a share of the days so far at once."""
    ends, end = [], 0
    while end < LAST_DAY:
        end += max(1, int(end * BLOCK_SHARE))
        ends.append(end)
    return np.array(ends, dtype=np.int64)


@lru_cache(maxsize=1)
def _highest() -> float:
    """The highest that any path stands anywhere, whatever its noise: the root of two squares."""
    slow = max(float(_slow(kind).max()) for kind in range(len(PERSISTENCES)))
    noise = max(float(_noise(memory).max()) for memory in range(len(MEMORIES)))
    return float(np.hypot(slow, noise))


@lru_cache(maxsize=len(PERSISTENCES))
def _slow(kind: int) -> Float32s:
    """The highest of what adds up within each block, (N_PATHS, n_blocks), in its spread then.

    Between two days it is as a bridge between what it is on them.

    References
    ----------
    Glasserman, P. (2004), "Monte Carlo Methods in Financial Engineering", eq. 6.50, for the
    highest of a bridge. We depart from it by a variance that fits the other powers too.
    """
    power = PERSISTENCES[kind]
    days = _blocks().astype(np.float64)
    one, other = days[:, None], days[None, :]
    shared = (one ** (2 * power) + other ** (2 * power) - np.abs(one - other) ** (2 * power)) / 2
    likeness = shared / (one * other) ** power
    weight, shape = np.linalg.eigh(likeness)
    order = np.argsort(-weight)
    shapes = shape[:, order] * np.sqrt(np.maximum(weight[order], 0.0))
    ends = (_draws(len(days)) @ shapes.T) * days**power
    begins = np.hstack([np.zeros((N_PATHS, 1)), ends[:, :-1]])
    n_between = np.diff(days, prepend=0.0) - 1
    between = n_between ** (2 * power) * (2 - 2 ** (2 * power - 1))
    chance = np.random.default_rng([SEED, kind]).uniform(1e-9, 1, ends.shape)
    top = (begins + ends + np.sqrt((begins - ends) ** 2 - 2 * between * np.log(chance))) / 2
    highest: Float32s = (np.maximum(top, ends) / days**power).astype(np.float32)
    return highest


@lru_cache(maxsize=len(MEMORIES))
def _noise(memory: int) -> Float32s:
    """The highest that noise of a spread of one reaches within each block, (N_PATHS, n_blocks)."""
    kept = MEMORIES[memory]
    rng = np.random.default_rng([SEED, memory])
    ends = _blocks()
    highest = np.empty((N_PATHS, len(ends)), dtype=np.float32)
    state = rng.standard_normal(N_PATHS)
    begin = 0
    for block, end in enumerate(ends.tolist()):
        top = np.full(N_PATHS, -np.inf)
        for _ in range(begin, end):
            state = kept * state + np.sqrt(1 - kept**2) * rng.standard_normal(N_PATHS)
            top = np.maximum(top, state)
        highest[:, block] = top
        begin = end
    return highest


@lru_cache(maxsize=1)
def _draws(n_shapes: int) -> Float64s:
    from scipy.stats import qmc  # half a second that most processes never need

    sequence = qmc.Sobol(N_DRAWN, seed=SEED).random(N_PATHS)
    first = ndtri(np.clip(sequence, 1e-6, 1 - 1e-6))
    rest = np.random.default_rng(SEED).standard_normal((N_PATHS, n_shapes - N_DRAWN))
    return np.hstack([first, rest])
