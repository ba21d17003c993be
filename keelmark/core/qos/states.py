"""How disks stand against their QoS tiers, by their last steps."""

from enum import StrEnum
from typing import Final

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Bools, Float64s
from keelmark.core.errors import ShapeError
from keelmark.core.performance import PARTS, Floats, operations

STATE_STEPS: Final = 3  # five-minute means that are judged
LEAST_STEPS: Final = 2  # of them in which it must be so
PRESSED_SHARE: Final = 0.97  # of the maximum, from which demand presses against it
WAITING: Final = 1.0  # operations in line, from which more was wanted than was done
WAITED_BY: Final = tuple(  # the parts that tell what was asked for and what it waited for
    PARTS.index(name) for name in ("read_iops", "write_iops", "qos_latency_ms", "queue_latency_ms")
)
_QUEUE, _QOS = PARTS.index("queue_latency_ms"), PARTS.index("qos_latency_ms")


class IoState(StrEnum):
    """How a disk stands; the place in the class is the code in arrays."""

    WITHIN = "within"
    HELD = "held"
    STARVED = "starved"
    UNTIERED = "untiered"
    UNREAD = "unread"


CODES: Final = {state: code for code, state in enumerate(IoState)}


def io_states(
    steps: Floats, *, min_iops: Float64s, max_iops: Float64s, is_tiered: Bools
) -> NDArray[np.int8]:
    """Return how each disk stands, as places in :class:`IoState`.

    Parameters
    ----------
    steps : (n_disks, n_parts, STATE_STEPS) float
        The newest five-minute means by part in the order of PARTS; NaN where unread.
    min_iops, max_iops : (n_disks,) float64
        The limits that bear on a disk, NaN where none is known.
    is_tiered : (n_disks,) bool
        Whether a tier is named for it.

    Returns
    -------
    (n_disks,) int8
        ``starved`` stands before ``held``: who gets less than was promised waits for others.

    Raises
    ------
    ShapeError
        When the arrays do not fit.

    Notes
    -----
    Held: at least 97 % of the maximum is done, or a limit made operations wait, in two of three
    steps. Starved: less than the minimum is done while at least one operation stands in line in
    the mean, which by Little's law (Little 1961) is operations a second times the wait for it.
    """
    n = len(steps)
    if steps.shape != (n, len(PARTS), STATE_STEPS) or len(min_iops) != n or len(max_iops) != n:
        raise ShapeError(argument="steps", wanted="(n_disks, n_parts, 3)", found=steps.shape)
    done = np.asarray(operations(steps), dtype=np.float64)
    is_read = ~np.isnan(done)
    delay_ms = np.asarray(np.nan_to_num(steps[:, _QOS]), dtype=np.float64)
    pressed = is_pressed(done, max_iops=max_iops[:, None], delay_ms=delay_ms)
    short = is_short(done, min_iops=min_iops[:, None], queue_ms=steps[:, _QUEUE])
    codes = np.where(is_tiered, CODES[IoState.WITHIN], CODES[IoState.UNTIERED]).astype(np.int8)
    codes[_often(pressed & is_read)] = CODES[IoState.HELD]
    codes[_often(short)] = CODES[IoState.STARVED]
    codes[~is_read.any(axis=1)] = CODES[IoState.UNREAD]
    return codes


def io_states_at(
    steps: Floats, asked: Floats, *, min_iops: Float64s, max_iops: Float64s, is_tiered: Bools
) -> NDArray[np.int8]:
    """Return how disks would stand at other limits, for what was asked for in the same steps.

    Parameters
    ----------
    steps : (n_disks, n_parts, STATE_STEPS) float
        As of :func:`io_states`; what a limit made wait is left out of it, since it was another.
    asked : (n_disks, STATE_STEPS) float
        Operations a second that were asked for, as of :func:`keelmark.core.qos.demand_of`.
    min_iops, max_iops, is_tiered
        As of :func:`io_states`, as they would be.

    Raises
    ------
    ShapeError
        When the arrays do not fit.

    Notes
    -----
    Held: what was asked for presses against the maximum in two of three steps. Starved: as it is,
    since what else an array could have done nobody saw.
    """
    if asked.shape != (len(steps), STATE_STEPS):
        raise ShapeError(argument="asked", wanted=f"({len(steps)}, 3)", found=asked.shape)
    free = np.array(steps, dtype=np.float64)
    free[:, _QOS] = 0.0
    codes = io_states(
        free, min_iops=min_iops, max_iops=np.full(len(steps), np.nan), is_tiered=is_tiered
    )
    pressed = is_pressed(asked, max_iops=max_iops[:, None]) & ~np.isnan(operations(free))
    is_plain = (codes != CODES[IoState.STARVED]) & (codes != CODES[IoState.UNREAD])
    codes[_often(pressed) & is_plain] = CODES[IoState.HELD]
    return codes


def pressing_point(max_iops: Float64s) -> Float64s:
    """Return from how many operations a second a maximum is pressed against, inf where none is."""
    return np.where(np.isnan(max_iops), np.inf, PRESSED_SHARE * max_iops)


def is_pressed(
    done: Floats, *, max_iops: Float64s, delay_ms: Floats | None = None
) -> NDArray[np.bool_]:
    """Return where a maximum is pressed against, or made operations wait; nothing is by none."""
    told = done >= pressing_point(max_iops)
    if delay_ms is not None:
        told = told | (delay_ms > 0)
    return np.asarray(told, dtype=np.bool_)


def is_short(done: Floats, *, min_iops: Float64s, queue_ms: Floats) -> NDArray[np.bool_]:
    """Return where less than a minimum is done while operations stand in line; not where unread."""
    with np.errstate(invalid="ignore"):
        in_line = np.nan_to_num(done) * np.nan_to_num(queue_ms) / 1000  # of milliseconds
        told = (done < min_iops) & (in_line >= WAITING)
    return np.asarray(told, dtype=np.bool_)


def _often(is_so: Bools) -> Bools:
    often: Bools = is_so.sum(axis=1) >= LEAST_STEPS
    return often
