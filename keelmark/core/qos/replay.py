"""Recorded demand run through other limits: who is held, for how long, who starves, what is busy.

A step is a queue: what stood in line and what is asked for want to be done; the disk's own limit
lets some of it through, then those of tiers that are shared, then what places can do. The rest
waits for the next step.
"""

from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import ShapeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.performance import STEPS_A_DAY, Floats
from keelmark.core.qos.demand import STEP_SECONDS
from keelmark.core.qos.filling import filled
from keelmark.core.qos.states import LEAST_STEPS, STATE_STEPS, WAITING, is_pressed, pressing_point

HOUR_STEPS: Final = 12
QUANTILES: Final = (0.5, 0.99)
LONG_HOURS: Final = 1.0  # of a day, from which being held is worth a finding
AT_ONCE: Final = 4_000  # disks with a limit each that a curve runs together


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Shared:
    """A ceiling over several disks: who is under which, and how high each is."""

    group: Int64s  # (n_disks,), NOWHERE where none
    ceiling: Float64s  # (n_groups,) operations a second, inf where there is none


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Limits:
    """What bears on disks: ``maximum`` (n_disks,) inf where none, ``minimum`` 0 where none.

    ``shared`` ceilings follow each other: those of tiers together before those of places.
    ``patience`` (n_disks,) seconds: who would wait longer asks for less; None where nobody does.
    """

    maximum: Float64s
    minimum: Float64s
    shared: tuple[Shared, ...] = ()
    patience: Float64s | None = None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Replayed:
    """What came of it, by disk (n_disks,).

    ``held_steps`` and ``starved_steps`` as the states of disks are told; delays in milliseconds
    that limits add to an operation, over all steps (median, one in a hundred, worst);
    ``served``, ``left`` and ``forgone`` operations in all: done, still in line at the end, and
    not asked for because the line was too long; ``missed``
    operations by which what was done differs from what was recorded, step by step; ``load``
    (n_places, n_steps) operations a second of each place; ``done`` and ``delay_ms``
    (n_kept, n_steps) of those disks whose course is kept.
    """

    held_steps: Int64s
    starved_steps: Int64s
    median_ms: Float64s
    p99_ms: Float64s
    worst_ms: Float64s
    served: Float64s
    left: Float64s
    forgone: Float64s
    missed: Float64s
    load: Floats
    done: Floats
    delay_ms: Floats

    def of_first(self, n: int) -> "Replayed":
        """Return what came of the first so many disks alone; load and courses stay of all."""
        told = {name: getattr(self, name)[:n] for name in _BY_DISK}
        return replace(self, **told)


_BY_DISK: Final = (
    "held_steps", "starved_steps", "median_ms", "p99_ms", "worst_ms", "served", "left", "forgone",
    "missed",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Places:
    """Where disks lie, for the load of each: ``at`` (n_disks,), NOWHERE where nobody knows."""

    at: Int64s
    n: int


NO_PLACES: Final = Places(at=np.zeros(0, dtype=np.int64), n=0)


def replayed(
    asked: Floats,
    limits: Limits,
    *,
    places: Places = NO_PLACES,
    recorded: Floats | None = None,
    kept: Int64s | None = None,
) -> Replayed:
    """Run what was asked for through limits.

    Parameters
    ----------
    asked : (n_disks, n_steps) float
        Operations a second of each step; finite.
    limits : Limits
    places : Places
        Of which the load is told.
    recorded : (n_disks, n_steps) float, optional
        What was done in fact, NaN unread: then it is told by how much the replay misses it.
    kept : (n_kept,) int64, optional
        Rows of disks whose course is told.

    Raises
    ------
    ShapeError
        When the arrays do not fit.

    Notes
    -----
    A line is carried from step to step (Lindley 1952): ``line = max(0, line + asked − done)``;
    the delay of a step is its line over what is let through. Without patience nobody asks for
    less because he waits: then delays are the worst that could be.
    """
    n, n_steps = asked.shape
    if len(limits.maximum) != n or len(limits.minimum) != n:
        raise ShapeError(argument="limits", wanted=f"({n},)", found=limits.maximum.shape)
    ceilings, rows = _bearing(asked, limits)
    run = _Run(limits, ceilings, rows=rows, n_steps=n_steps)
    by_step = np.ascontiguousarray(asked[rows].T)
    for step in range(n_steps):
        run.take(by_step[step], step=step)
    return run.told(asked, recorded=recorded, places=places, kept=kept)


def _bearing(asked: Floats, limits: Limits) -> tuple[list["_Ceiling"], Int64s]:
    """The ceilings that can be met at all, and the disks that anything bears on.

    All others do what they ask for: there is nothing to run.
    """
    n, n_steps = asked.shape
    most = asked.max(axis=1) if n_steps else np.zeros(n)
    is_bound = is_pressed(most, max_iops=limits.maximum)
    is_met = [np.zeros(len(one.ceiling), dtype=np.bool_) for one in limits.shared]
    grows = True
    while grows:  # who waits under one ceiling may ask for more under another
        grows = False
        for one, met in zip(limits.shared, is_met, strict=True):
            met_now = _could(asked, limits, is_bound=is_bound, shared=one) > one.ceiling
            if (met_now & ~met).any():
                met |= met_now
                is_bound |= np.append(met, False)[one.group]
                grows = True
    rows = np.flatnonzero(is_bound)
    ceilings = [
        _Ceiling(replace(one, ceiling=np.where(met, one.ceiling, np.inf)), limits, rows=rows)
        for one, met in zip(limits.shared, is_met, strict=True)
        if met.any()
    ]
    return ceilings, rows


def _could(asked: Floats, limits: Limits, *, is_bound: Bools, shared: Shared) -> Float64s:
    """The most that each group could want in a step, (n_groups,)."""
    n_groups = len(shared.ceiling)
    is_free, is_tied = ((shared.group != NOWHERE) & one for one in (~is_bound, is_bound))
    free = _added(asked[is_free], group=shared.group[is_free], n_groups=n_groups)
    tied = np.bincount(shared.group[is_tied], weights=limits.maximum[is_tied], minlength=n_groups)
    told: Float64s = free.max(axis=1, initial=0) + tied
    return told


def _added(amounts: Floats, *, group: Int64s, n_groups: int) -> Floats:
    """Sums by group of (n, n_steps), (n_groups, n_steps)."""
    n = len(group)
    member = csr_array(
        (np.ones(n, dtype=amounts.dtype), (group, np.arange(n))), shape=(n_groups, n)
    )
    total: Floats = member @ amounts
    return total


class _Run:
    """The disks that anything bears on, step by step."""

    def __init__(
        self, limits: Limits, ceilings: list["_Ceiling"], *, rows: Int64s, n_steps: int
    ) -> None:
        n = len(rows)
        self.rows, self.ceilings, self.n_steps = rows, ceilings, n_steps
        self.maximum, self.minimum = limits.maximum[rows], limits.minimum[rows]
        self.point = pressing_point(self.maximum)
        self.line = np.zeros(n)
        self.held, self.starved = np.zeros(n, dtype=np.int64), np.zeros(n, dtype=np.int64)
        self.delays = np.zeros((n_steps, n), dtype=np.float32)
        self.done = np.zeros((n_steps, n), dtype=np.float32)
        self.pressed = np.zeros((STATE_STEPS, n), dtype=np.int8)
        self.short = np.zeros((STATE_STEPS, n), dtype=np.int8)
        self.served, self.forgone = np.zeros(n), np.zeros(n)
        self.patience = None if limits.patience is None else limits.patience[rows]

    def take(self, asked: Floats, *, step: int) -> None:
        """Run one step."""
        want = self.line / STEP_SECONDS
        want += asked
        done = np.minimum(want, self.maximum)
        for ceiling in self.ceilings:
            ceiling.hold(done)
        np.subtract(want, done, out=self.line)
        self.line *= STEP_SECONDS
        if self.patience is not None:
            self._give_up(done, patience=self.patience)
        is_late = self.line > 0
        with np.errstate(divide="ignore", over="ignore"):
            np.divide(1000 * self.line, done, out=self.delays[step], where=is_late,
                      casting="same_kind")  # fmt: skip
        self.done[step] = done
        self.served += done
        at = step % STATE_STEPS
        self.pressed[at] = (done >= self.point) | is_late
        self.held += self.pressed.sum(axis=0, dtype=np.int8) >= LEAST_STEPS
        if self.ceilings:
            self.short[at] = (done < self.minimum) & (self.line >= WAITING)
            self.starved += self.short.sum(axis=0, dtype=np.int8) >= LEAST_STEPS

    def _give_up(self, done: Float64s, *, patience: Float64s) -> None:
        """Take from the lines what nobody waits for."""
        with np.errstate(invalid="ignore", over="ignore"):  # nothing done, patience without end
            longest = np.nan_to_num(patience * done, nan=np.inf)
        self.forgone += np.maximum(self.line - longest, 0)
        np.minimum(self.line, longest, out=self.line)

    def told(
        self, asked: Floats, *, recorded: Floats | None, places: Places, kept: Int64s | None
    ) -> Replayed:
        """Return what came of it, of all disks."""
        n, rows = len(asked), self.rows
        median, p99, worst = _delays(self.delays)
        served = asked.sum(axis=1, dtype=np.float64)
        served[rows] = self.served
        at = np.zeros(0, dtype=np.int64) if kept is None else kept
        course, delay_ms = asked[at], np.zeros((len(at), self.n_steps), dtype=np.float32)
        place_of = np.full(n, NOWHERE, dtype=np.int64)
        place_of[rows] = np.arange(len(rows))
        is_run = place_of[at] != NOWHERE
        course[is_run] = self.done.T[place_of[at][is_run]]
        delay_ms[is_run] = self.delays.T[place_of[at][is_run]]
        return Replayed(
            held_steps=_spread(self.held, rows, n=n),
            starved_steps=_spread(self.starved, rows, n=n),
            median_ms=_spread(median, rows, n=n),
            p99_ms=_spread(p99, rows, n=n),
            worst_ms=_spread(worst, rows, n=n),
            served=served * STEP_SECONDS,
            left=_spread(self.line, rows, n=n),
            forgone=_spread(self.forgone, rows, n=n),
            missed=np.zeros(n) if recorded is None else self._missed(asked, recorded),
            load=self._load(asked, places),
            done=course,
            delay_ms=delay_ms,
        )

    def _missed(self, asked: Floats, recorded: Floats) -> Float64s:
        done = asked.copy()
        done[self.rows] = self.done.T
        told: Float64s = np.nansum(np.abs(done - recorded), axis=1, dtype=np.float64)
        return told * STEP_SECONDS

    def _load(self, asked: Floats, places: Places) -> Floats:
        if not places.n:
            return np.zeros((0, self.n_steps))
        is_idle = places.at != NOWHERE
        is_idle[self.rows] = False
        is_placed = places.at[self.rows] != NOWHERE
        busy = _added(
            self.done.T[is_placed], group=places.at[self.rows][is_placed], n_groups=places.n
        )
        return busy + _added(asked[is_idle], group=places.at[is_idle], n_groups=places.n)


def _delays(delays: Floats) -> tuple[Floats, Floats, Floats]:
    """The median, the nearest of one in a hundred, and the worst of each disk, (n,)."""
    n_steps, n = delays.shape
    median, p99, worst = np.zeros(n), np.zeros(n), np.zeros(n)
    late = np.flatnonzero(delays.any(axis=0))
    if len(late):
        ranks = [max(0, int(np.ceil(share * n_steps)) - 1) for share in QUANTILES]
        ordered = np.partition(np.ascontiguousarray(delays[:, late].T), [*ranks, n_steps - 1])
        median[late], p99[late] = (ordered[:, rank] for rank in ranks)
        worst[late] = ordered[:, -1]
    return median, p99, worst


def _spread(told: Floats | Int64s, rows: Int64s, *, n: int) -> NDArray[Any]:  # Any: as told
    """What was told of some rows, 0 for all others."""
    of_all = np.zeros(n, dtype=np.float64 if told.dtype.kind == "f" else np.int64)
    if len(told):
        of_all[rows] = told
    return of_all


class _Ceiling:
    """One shared ceiling, ready for many steps."""

    def __init__(self, shared: Shared, limits: Limits, *, rows: Int64s) -> None:
        group = shared.group[rows]
        is_under = np.append(np.isfinite(shared.ceiling), False)[group]
        self.rows = np.flatnonzero(is_under)
        self.group = group[self.rows]
        self.minimum = limits.minimum[rows][self.rows]
        self.ceiling = shared.ceiling

    def hold(self, done: Float64s) -> None:
        """Cut what is done under each ceiling that it passes."""
        done[self.rows] = filled(
            done[self.rows], minimum=self.minimum, group=self.group, ceiling=self.ceiling
        )


def held_hours_a_day(held_steps: Int64s, *, n_steps: int) -> Float64s:
    """Return for how many hours of a day each is held in the mean, (n_disks,)."""
    told: Float64s = held_steps * (STEPS_A_DAY / HOUR_STEPS) / max(n_steps, 1)
    return told


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Curve:
    """What each maximum of a tier would do, (n_maxima,)."""

    maxima: Float64s
    n_held: Int64s  # disks held for more than an hour a day
    n_ever: Int64s  # disks held at any time
    worst_ms: Float64s


def curve(
    asked: Floats, *, minimum: Float64s, maxima: Float64s, patience: Float64s | None = None
) -> Curve:
    """Return how many disks of a tier each of several maxima would hold.

    Parameters
    ----------
    asked : (n_disks, n_steps) float
        Operations a second that the disks of a tier asked for.
    minimum : (n_disks,) float64
    maxima : (n_maxima,) float64
        Limits of each disk by itself; ceilings over several do not bear here.

    Notes
    -----
    A disk that never presses against a maximum is not held by it, nor by any higher: it is not
    run at all.
    """
    n_steps = asked.shape[1]
    most = asked.max(axis=1) if n_steps else np.zeros(len(asked))
    is_run = is_pressed(most[None, :], max_iops=maxima[:, None])
    of, rows = np.nonzero(is_run)
    held, worst = np.zeros(len(of), dtype=np.int64), np.zeros(len(of))
    for begin in range(0, len(of), AT_ONCE):
        some = slice(begin, begin + AT_ONCE)
        limit = maxima[of[some]]
        run = replayed(
            asked[rows[some]],
            Limits(
                maximum=limit,
                minimum=np.minimum(minimum[rows[some]], limit),
                patience=None if patience is None else patience[rows[some]],
            ),
        )
        held[some], worst[some] = run.held_steps, run.worst_ms
    hours = held_hours_a_day(held, n_steps=n_steps)
    most_ms = np.zeros(len(maxima))
    np.maximum.at(most_ms, of, worst)
    return Curve(
        maxima=maxima,
        n_held=np.bincount(of[hours > LONG_HOURS], minlength=len(maxima)),
        n_ever=np.bincount(of[held > 0], minlength=len(maxima)),
        worst_ms=most_ms,
    )


def with_maximum(limits: Limits, *, rows: Int64s | Bools, maximum: float) -> Limits:
    """Return limits with another maximum for some disks; a minimum above it is cut to it."""
    changed = limits.maximum.copy()
    changed[rows] = maximum
    return replace(limits, maximum=changed, minimum=np.minimum(limits.minimum, changed))
