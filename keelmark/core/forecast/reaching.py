"""The days to marks: what is looked at of futures ahead, once for any number of marks."""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, fields

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.errors import ShapeError
from keelmark.core.forecast.calibration import BAND_EDGE
from keelmark.core.forecast.outlook import (
    MAX_RHYTHM_DAYS,
    N_AXES,
    Outlook,
    checked_horizon,
    rhythm_on,
)
from keelmark.core.forecast.passage import Passage, Walks, blocks_of, group_of

SHARP_SHARE = 0.08  # of late: nearer to it than this, early is told day by day
TOGETHER = 256  # series: what is looked at of more does not stay near the processor
AT_ONCE = 4  # of those: each keeps up to 20 MB of paths, beside others who ask


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Runway:
    """Days to a mark, each (n_series,) float64; inf = not within the horizon, NaN = unread.

    ``chance_within`` is the chance that it is reached within the horizon at all.
    """

    early_days: Float64s
    likely_days: Float64s
    late_days: Float64s
    chance_within: Float64s


def runway(
    of: Outlook,
    *,
    mark_bytes: Int64s,
    horizon_days: int,
    added_bytes: Float64s | None = None,
) -> Runway:
    """Return the days until each series first stands at or above its mark.

    Parameters
    ----------
    of : Outlook
        From :func:`forecast`, or kept from one.
    mark_bytes : (n_series,) int64
        Level to reach.
    horizon_days : int
        1 to 3650.
    added_bytes : (n_series, horizon_days) float64, optional
        What is added to the series on each day after its last reading: a change that is tried.

    Returns
    -------
    Runway
        Whole days from each series' last reading, rounded up; 0 where it stands there now.

    Raises
    ------
    ShapeError
        If there is not one mark per series, or not what is added on each day.
    RangeError
        If the horizon is out of range.
    """
    return runways(
        of, marks_bytes=mark_bytes[None, :], horizon_days=horizon_days, added_bytes=added_bytes
    )[0]


def runways(
    of: Outlook,
    *,
    marks_bytes: Int64s,
    horizon_days: int,
    added_bytes: Float64s | None = None,
) -> list[Runway]:
    """Return the days until several marks (n_marks, n_series), see :func:`runway`."""
    n_series = len(of.last_bytes)
    if marks_bytes.ndim != N_AXES or marks_bytes.shape[1] != n_series:
        raise ShapeError(argument="mark_bytes", wanted=f"({n_series},)", found=marks_bytes.shape)
    horizon = checked_horizon(horizon_days)
    if added_bytes is not None and added_bytes.shape != (n_series, horizon):
        raise ShapeError(
            argument="added_bytes", wanted=f"({n_series}, {horizon})", found=added_bytes.shape
        )
    names = [one.name for one in fields(Runway)]
    told = {name: np.empty(marks_bytes.shape) for name in names}

    def look(rows: Int64s) -> None:
        ahead = Reaching(
            of.of_rows(rows), horizon_days=horizon,
            added_bytes=None if added_bytes is None else added_bytes[rows],
        )  # fmt: skip
        for mark, way in enumerate(ahead.runways(marks_bytes[:, rows])):
            for name in names:
                told[name][mark, rows] = getattr(way, name)

    some_at_a_time(of, look)
    return [
        Runway(**{name: told[name][mark] for name in names}) for mark in range(len(marks_bytes))
    ]


def some_at_a_time(of: Outlook, look: Callable[[Int64s], None]) -> None:
    """Look at the rows of an outlook, those together that hang together alike, on some cores."""
    order = np.argsort(group_of(of.fan.persistence(), of.fan.memory), kind="stable")
    some = [order[begin : begin + TOGETHER] for begin in range(0, len(order), TOGETHER)]
    if some:
        look(some[0])  # draws that others share are made once
    if some[1:]:
        with ThreadPoolExecutor(min(AT_ONCE, os.cpu_count() or 1)) as threads:
            list(threads.map(look, some[1:]))  # raises what any of them raised


class Reaching:
    """What is looked at of some series ahead, whatever the mark.

    With ``are_paths_kept`` the paths are kept for the next marks: 70 kB a series and two years.
    """

    def __init__(
        self, of: Outlook, *, horizon_days: int, added_bytes: Float64s | None = None,
        are_paths_kept: bool = False,
    ) -> None:  # fmt: skip
        self._of, self._added, self._horizon_days = of, added_bytes, horizon_days
        self._ends = ends = blocks_of(horizon_days)
        begins = np.concatenate([[0], ends[:-1]])
        noise_share = of.fan.noise_share(ends)
        # What adds up is highest at a block's end; noise may be anywhere in it, in the middle
        # at best.
        middles = np.ceil(ends - noise_share * (ends - begins - 1) / 2).astype(np.int64)
        every = np.broadcast_to(ends, middles.shape)
        self._on_ends = _edges(of.fan.on(ends), plus=self._added_on(every))
        self._in_middle = _edges(of.fan.at(middles), plus=self._added_on(middles))
        self._walks = Walks(
            noise_share=noise_share, persistence=of.fan.persistence(), memory=of.fan.memory,
            horizon_days=horizon_days, are_kept=are_paths_kept,
        )  # fmt: skip
        # A rhythm is looked at day by day, as far as it can be told.
        has_one = of.rhythm.by_month_slot.any(axis=1) | of.rhythm.by_weekday.any(axis=1)
        self._rhythmic = np.flatnonzero(has_one & of.is_judged)
        near = np.arange(1, min(horizon_days, MAX_RHYTHM_DAYS) + 1)
        self._near_blocks = np.flatnonzero(begins < len(near))
        self._begins = begins[self._near_blocks]
        rows = self._rhythmic
        moved = rhythm_on(of.rhythm.of_rows(rows), ahead=near)
        self._by_day = _edges(
            of.fan.of_rows(rows).on(near),
            plus=moved if added_bytes is None else moved + added_bytes[rows][:, near - 1],
        )
        self._fans = np.empty((len(of.last_bytes), 3, horizon_days))  # of rows that were asked for
        self._has_fan = np.zeros(len(of.last_bytes), dtype=np.bool_)

    def runways(self, marks_bytes: Int64s) -> list[Runway]:
        """Return the days until several marks (n_marks, n_series), see :func:`runway`."""
        marks = marks_bytes.astype(np.float64)
        needed = self._needed(marks, at=self._on_ends)
        passages = self._walks.first_passages(self._needed(marks, at=self._in_middle))
        return [
            self._told(mark, need=need, passage=passage)
            for mark, need, passage in zip(marks, needed, passages, strict=True)
        ]

    def _told(self, mark: Float64s, *, need: Float64s, passage: Passage) -> Runway:
        of, added = self._of, self._added
        # What stands at its mark needs no forecast; anything else needs one that was judged.
        added_now = 0.0 if added is None else added[:, 0]
        is_there = (of.last_bytes + added_now >= mark) & ~np.isnan(of.last_bytes)
        is_beyond = mark > of.ceiling_bytes + (0.0 if added is None else added.max(axis=1))
        # Where the fan itself says that a tenth or half are there, as many paths are.
        days = passage.days.copy()
        for row, at in enumerate((BAND_EDGE, 0.0)):
            edge = self._fan_on(edge=2 - row, need=need, at=at, mark=mark)
            days[row] = np.minimum(days[row], edge)
        days[1] = np.maximum(days[1], days[0])
        is_sharp = np.isfinite(days[2])
        is_sharp[is_sharp] = (
            days[2][is_sharp] - days[0][is_sharp] <= SHARP_SHARE * days[2][is_sharp]
        )
        sharp = np.flatnonzero(is_sharp)
        if len(sharp):
            days[:, sharp] = self._sharp_days(sharp, mark=mark)
        whole = np.where(is_beyond, np.inf, np.ceil(days))
        whole = np.where(is_there, 0.0, np.where(of.is_judged, whole, np.nan))
        chance = np.where(is_beyond, 0.0, passage.chance_within)
        return Runway(
            early_days=whole[0], likely_days=whole[1], late_days=whole[2],
            chance_within=np.where(is_there, 1.0, np.where(of.is_judged, chance, np.nan)),
        )  # fmt: skip

    def _fan_on(self, *, edge: int, need: Float64s, at: float, mark: Float64s) -> Float64s:
        """The day on which an edge of the fan first stands at a mark, inf where it never does.

        Parameters
        ----------
        edge : int
            0 low, 1 middle, 2 high.
        need : (n_series, n_blocks) float64
            What `_needed` tells of the mark; ``at`` is where the edge stands there.
        """
        is_there = need <= at
        rows = np.flatnonzero(is_there.any(axis=1))
        told = np.full(len(need), np.inf)
        if len(rows) == 0:
            return told
        block = is_there[rows].argmax(axis=1)
        begin = np.where(block > 0, self._ends[np.maximum(block - 1, 0)], 0)
        end = self._ends[block]
        ahead = begin[:, None] + np.arange(1, int((end - begin).max()) + 1)
        ahead = np.minimum(ahead, end[:, None])
        level = self._of.fan.of_rows(rows).at(ahead)[:, edge]
        level = level + rhythm_on(self._of.rhythm.of_rows(rows), ahead=ahead)
        if self._added is not None:
            level = level + np.take_along_axis(self._added[rows], ahead - 1, axis=1)
        stands = level >= mark[rows][:, None]
        first = np.take_along_axis(ahead, stands.argmax(axis=1)[:, None], axis=1)[:, 0]
        told[rows] = np.where(stands.any(axis=1), first, end)
        return told

    def _sharp_days(self, rows: Int64s, *, mark: Float64s) -> Float64s:
        """Days on which the fan's own edges and middle stand at a mark, (3, n_rows).

        Where early and late are nearer than a block is long, its length would speak, not the fan.
        """
        is_there = self._fan_of(rows)[:, ::-1] >= mark[rows][:, None, None]
        days = np.where(is_there.any(axis=2), is_there.argmax(axis=2) + 1.0, np.inf)
        return days.T

    def _fan_of(self, rows: Int64s) -> Float64s:
        """Edges and middle with the rhythm and what is added, (n_rows, 3, horizon_days)."""
        new = rows[~self._has_fan[rows]]
        if len(new):
            ahead = np.arange(1, self._horizon_days + 1)
            moved = rhythm_on(self._of.rhythm.of_rows(new), ahead=ahead)
            fan = self._of.fan.of_rows(new).on(ahead) + moved[:, None]
            if self._added is not None:
                fan = fan + self._added[new][:, None]
            self._fans[new] = fan
            self._has_fan[new] = True
        return self._fans[rows]

    def _added_on(self, days: Int64s) -> Float64s | float:
        return 0.0 if self._added is None else np.take_along_axis(self._added, days - 1, axis=1)

    def _needed(self, marks: Float64s, *, at: "_Edges") -> Float64s:
        """How far above its middle each must be in each block, (n_marks, n_series, n_blocks).

        Looked at on one day of each block.
        """
        needed = at.above(marks)
        # What falls within a block stood higher at its beginning.
        needed[:, :, 1:] = np.minimum(needed[:, :, 1:], needed[:, :, :-1])
        needed[:, ~self._of.is_judged] = np.inf
        rows = self._rhythmic
        if len(rows):
            daily = self._by_day.above(marks[:, rows])
            needed[:, rows[:, None], self._near_blocks] = np.minimum.reduceat(
                daily, self._begins, axis=2
            )
        return needed


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Edges:
    """The middle of a fan on some days, and how far its edges are from it, (n, n_days) each."""

    middle: Float64s
    up: Float64s
    down: Float64s

    def above(self, marks: Float64s) -> Float64s:
        """Spreads above its middle at which it stands at its marks, (n_marks, n, n_days)."""
        off = marks[:, :, None] - self.middle
        with np.errstate(divide="ignore", invalid="ignore"):
            told = BAND_EDGE * off / np.where(off > 0, self.up, self.down)
        # A fan without a width that stands at its mark is there, as one above it is.
        told[np.isnan(told)] = -np.inf
        return told


def _edges(fan: Float64s, *, plus: Float64s | float) -> _Edges:
    """Of a fan (n, 3, n_days); what crosses over has no width, and no nought is below nought."""
    return _Edges(
        middle=fan[:, 1] + plus,
        up=np.maximum(fan[:, 2] - fan[:, 1], 0.0) + 0.0,
        down=np.maximum(fan[:, 1] - fan[:, 0], 0.0) + 0.0,
    )
