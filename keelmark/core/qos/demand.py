"""What was asked for, seen through what was done: where a limit held it back, an estimate."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s
from keelmark.core.errors import ShapeError
from keelmark.core.performance import Floats
from keelmark.core.qos.states import WAITING

STEP_SECONDS: Final = 300
STEADY_SHARE: Final = 0.02  # a line that changes by less between two steps stands at its end
SIDE_STEPS: Final = 18  # an hour and a half on either side of a time in which nothing is seen
LEAST_SIDE: Final = 4
MOST_OFF: Final = 0.25  # of the logarithm, by which what is seen may lie off the parabola
MOST_ABOVE: Final = 1.6  # times the limit, above which no estimate goes


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Demand:
    """What disks asked for in each step, (n_disks, n_steps).

    ``asked`` operations a second, 0 where nothing was read; ``is_estimated`` where something
    waited; ``is_least`` where all that is known is that it was at least so much, and the course
    beside it says how much more; ``is_read`` where anything was read; ``patience`` (n_disks,)
    seconds, the longest wait that lines were seen to stand still at, inf where none did.
    """

    asked: Floats
    is_estimated: Bools
    is_least: Bools
    is_read: Bools
    patience: Float64s


def demand_of(done: Floats, *, qos_ms: Floats, queue_ms: Floats) -> Demand:
    """Return what disks asked for, from what was done and how long it waited.

    Parameters
    ----------
    done : (n_disks, n_steps) float
        Operations a second in means of five minutes; NaN where unread.
    qos_ms, queue_ms : (n_disks, n_steps) float
        What an operation waited because of a limit, and in line; NaN where unread.

    Raises
    ------
    ShapeError
        When the arrays do not fit.

    Notes
    -----
    By Little's law (Little 1961) as many operations stand in line as come a second times what
    each waits. What came in a step is what was done and by what the line grew. That is exact
    while those who ask do not care how long they wait. Those who do ask for less when the line
    is long: then it stands still at its end, and what they would have asked for is not seen.
    Such times are bridged by a parabola through the logarithm of what was asked for around
    them, never below what was seen.
    """
    for name, waits in (("qos_ms", qos_ms), ("queue_ms", queue_ms)):
        if waits.shape != done.shape:
            raise ShapeError(argument=name, wanted=str(done.shape), found=waits.shape)
    is_read = ~np.isnan(done)
    plain = np.asarray(np.nan_to_num(done), dtype=np.float64)
    qos = plain * np.nan_to_num(qos_ms) / 1000  # of milliseconds
    line = plain * np.nan_to_num(queue_ms) / 1000
    line = qos + np.where(line >= WAITING, line, 0)
    before = np.empty_like(line)
    before[:, :1], before[:, 1:] = line[:, :1], line[:, :-1]
    asked = np.maximum(plain + (line - before) / STEP_SECONDS, 0)
    is_waiting = (line > 0) | (before > 0)
    is_steady = np.abs(line - before) <= STEADY_SHARE * line
    is_least = is_read & is_steady & (line > 0)
    patience = np.full(len(done), np.inf)
    waits = np.divide(line, plain, out=np.zeros_like(line), where=plain > 0)
    for row in np.flatnonzero(is_least.any(axis=1)).tolist():
        patience[row] = float(waits[row].max())
        asked[row] = _bridged(asked[row], unseen=is_least[row], read=is_read[row])
    return Demand(
        asked=asked,
        is_estimated=is_waiting & is_read,
        is_least=is_least,
        is_read=is_read,
        patience=patience,
    )


def _bridged(asked: Floats, *, unseen: Bools, read: Bools) -> Floats:
    """Draw what was asked for over the times in which it was not seen."""
    told = asked.copy()
    turns = np.flatnonzero(np.diff(np.concatenate([[False], unseen, [False]])))
    for begin, end in turns.reshape(-1, 2).tolist():
        low, high = max(0, begin - SIDE_STEPS), min(len(asked), end + SIDE_STEPS)
        at = np.arange(low, high)
        beside = at[~unseen[low:high] & read[low:high]]
        if min((beside < begin).sum(), (beside >= end).sum()) < LEAST_SIDE:
            continue
        middle, width = (begin + end) / 2, (high - low) / 2
        x = (beside - middle) / width
        y = np.log(np.maximum(asked[beside], 1e-3))
        bend, rise, level = np.polyfit(x, y, 2)
        off = float(np.std(y - (bend * x**2 + rise * x + level)))
        if bend >= 0 or off > MOST_OFF:
            continue  # no hump: what was seen stands
        inside = (np.arange(begin, end) - middle) / width
        seen = asked[begin:end]
        guess = np.exp(np.minimum(bend * inside**2 + rise * inside + level, 30))
        told[begin:end] = np.clip(guess, seen, MOST_ABOVE * seen)
    return told
