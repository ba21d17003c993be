"""What is known of a future as it is kept: its paths, and the days to any mark."""

from dataclasses import dataclass

import numpy as np
from scipy.special import ndtri

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import RangeError, ShapeError
from keelmark.core.forecast.calibration import BAND_EDGE
from keelmark.core.forecast.fan import Fan
from keelmark.core.forecast.passage import blocks_of, first_passages
from keelmark.core.forecast.rhythm import Rhythm

N_AXES = 2  # (series, day)
MAX_HORIZON_DAYS = 3650
MAX_RHYTHM_DAYS = 400  # beyond, all is too vague for a day of the month to matter
SHARP_SHARE = 0.08  # of late: nearer to it than this, early is told day by day


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Outlook:
    """What is known about each series' future, counted from its own last reading.

    ``fan`` is without the rhythm; ``level_bytes`` (n_series,) is where its middle starts today,
    ``growth_bytes_per_day`` (n_series,) what it adds a day in the next four weeks.
    What is thin ends at ``ceiling_bytes``, inf where nothing ends it. ``is_judged`` says which
    rows mean anything. This is all that must be kept of a forecast.
    """

    last_bytes: Float64s
    level_bytes: Float64s
    growth_bytes_per_day: Float64s
    fan: Fan
    rhythm: Rhythm
    ceiling_bytes: Float64s
    is_judged: Bools

    def of_rows(self, rows: Int64s) -> "Outlook":
        """Return some of them."""
        return Outlook(
            last_bytes=self.last_bytes[rows],
            level_bytes=self.level_bytes[rows],
            growth_bytes_per_day=self.growth_bytes_per_day[rows],
            fan=self.fan.of_rows(rows),
            rhythm=self.rhythm.of_rows(rows),
            ceiling_bytes=self.ceiling_bytes[rows],
            is_judged=self.is_judged[rows],
        )


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
    horizon = _checked_horizon(horizon_days)
    if added_bytes is not None and added_bytes.shape != (n_series, horizon):
        raise ShapeError(
            argument="added_bytes", wanted=f"({n_series}, {horizon})", found=added_bytes.shape
        )
    marks = marks_bytes.astype(np.float64)
    ends = blocks_of(horizon)
    noise_share = of.fan.noise_share(ends)
    needed = _needed(of, marks=marks, on=ends, horizon_days=horizon, added=added_bytes)
    # What adds up is highest at a block's end; noise may be anywhere in it, in the middle at best.
    begins = np.concatenate([[0], ends[:-1]])
    middles = np.ceil(ends - noise_share * (ends - begins - 1) / 2).astype(np.int64)
    passages = first_passages(
        _needed(of, marks=marks, on=middles, horizon_days=horizon, added=added_bytes),
        noise_share=noise_share,
        persistence=of.fan.persistence(),
        memory=of.fan.memory,
        horizon_days=horizon,
    )
    added_now = 0.0 if added_bytes is None else added_bytes[:, 0]
    told = []
    for mark, need, passage in zip(marks, needed, passages, strict=True):
        # What stands at its mark needs no forecast; anything else needs one that was judged.
        is_there = (of.last_bytes + added_now >= mark) & ~np.isnan(of.last_bytes)
        is_beyond = mark > of.ceiling_bytes + (
            0.0 if added_bytes is None else added_bytes.max(axis=1)
        )
        # Where the fan itself says that a tenth or half are there, as many paths are.
        days = passage.days.copy()
        for row, at in enumerate((BAND_EDGE, 0.0)):
            edge = _fan_on(
                of, edge=2 - row, need=need, ends=ends, at=at, mark=mark, added=added_bytes
            )
            days[row] = np.minimum(days[row], edge)
        days[1] = np.maximum(days[1], days[0])
        is_sharp = np.isfinite(days[2])
        is_sharp[is_sharp] = (
            days[2][is_sharp] - days[0][is_sharp] <= SHARP_SHARE * days[2][is_sharp]
        )
        sharp = np.flatnonzero(is_sharp)
        days[:, sharp] = _sharp_days(
            of, rows=sharp, mark=mark, horizon_days=horizon, added=added_bytes
        )
        whole = np.where(is_beyond, np.inf, np.ceil(days))
        whole = np.where(is_there, 0.0, np.where(of.is_judged, whole, np.nan))
        chance = np.where(is_beyond, 0.0, passage.chance_within)
        told.append(
            Runway(
                early_days=whole[0],
                likely_days=whole[1],
                late_days=whole[2],
                chance_within=np.where(is_there, 1.0, np.where(of.is_judged, chance, np.nan)),
            )
        )
    return told


def _fan_on(
    of: Outlook,
    *,
    edge: int,
    need: Float64s,
    ends: Int64s,
    at: float,
    mark: Float64s,
    added: Float64s | None,
) -> Float64s:
    """The day on which an edge of the fan first stands at a mark, inf where it never does.

    Parameters
    ----------
    edge : int
        0 low, 1 middle, 2 high.
    need : (n_series, n_blocks) float64
        What :func:`_needed` tells of the mark; ``at`` is where the edge stands there.
    """
    is_there = need <= at
    rows = np.flatnonzero(is_there.any(axis=1))
    told = np.full(len(need), np.inf)
    if len(rows) == 0:
        return told
    block = is_there[rows].argmax(axis=1)
    begin = np.where(block > 0, ends[np.maximum(block - 1, 0)], 0)
    end = ends[block]
    ahead = begin[:, None] + np.arange(1, int((end - begin).max()) + 1)
    ahead = np.minimum(ahead, end[:, None])
    level = of.fan.of_rows(rows).at(ahead)[:, edge] + _rhythm_on(of, rows=rows, ahead=ahead)
    if added is not None:
        level = level + np.take_along_axis(added[rows], ahead - 1, axis=1)
    stands = level >= mark[rows][:, None]
    first = np.take_along_axis(ahead, stands.argmax(axis=1)[:, None], axis=1)[:, 0]
    told[rows] = np.where(stands.any(axis=1), first, end)
    return told


def _sharp_days(
    of: Outlook, *, rows: Int64s, mark: Float64s, horizon_days: int, added: Float64s | None
) -> Float64s:
    """Days on which the fan's own edges and middle stand at a mark, (3, n_rows).

    Where early and late are nearer than a block is long, its length would speak, not the fan.
    """
    ahead = np.arange(1, horizon_days + 1)
    fan = of.fan.of_rows(rows).on(ahead) + _rhythm_on(of, rows=rows, ahead=ahead)[:, None]
    if added is not None:
        fan = fan + added[rows][:, None]
    is_there = fan[:, ::-1] >= mark[rows][:, None, None]
    days = np.where(is_there.any(axis=2), is_there.argmax(axis=2) + 1.0, np.inf)
    return days.T


def _rhythm_on(of: Outlook, *, rows: Int64s, ahead: Int64s) -> Float64s:
    """The rhythm of some series, as far as it can be told."""
    return _far_as_told(of.rhythm.of_rows(rows), ahead=ahead)


def _far_as_told(rhythm: Rhythm, *, ahead: Int64s) -> Float64s:
    if ahead.size and ahead.min() > MAX_RHYTHM_DAYS:
        return np.zeros((len(rhythm.last_day), ahead.shape[-1]))
    return np.where(ahead <= MAX_RHYTHM_DAYS, rhythm.on(ahead), 0.0)


def _needed(
    of: Outlook, *, marks: Float64s, on: Int64s, horizon_days: int, added: Float64s | None
) -> Float64s:
    """How far above its middle each series must be in each block, (n_marks, n_series, n_blocks).

    Looked at on one day of each block, or (n_series, n_blocks) on each one's own.
    """
    ends = blocks_of(horizon_days)
    days = np.broadcast_to(on, (len(of.last_bytes), len(ends)))
    plus = 0.0 if added is None else np.take_along_axis(added, days - 1, axis=1)
    needed = _above(of.fan.at(days) if on.ndim > 1 else of.fan.on(on), marks=marks, plus=plus)
    # What falls within a block stood higher at its beginning.
    needed[:, :, 1:] = np.minimum(needed[:, :, 1:], needed[:, :, :-1])
    needed = np.where(of.is_judged[:, None], needed, np.inf)
    rows = np.flatnonzero(
        (of.rhythm.by_month_slot.any(axis=1) | of.rhythm.by_weekday.any(axis=1)) & of.is_judged
    )
    if len(rows) == 0:
        return needed
    # A rhythm is looked at day by day, as far as it can be told.
    near = np.arange(1, min(horizon_days, MAX_RHYTHM_DAYS) + 1)
    moved = _rhythm_on(of, rows=rows, ahead=near)
    daily = _above(
        of.fan.of_rows(rows).on(near),
        marks=marks[:, rows],
        plus=moved if added is None else moved + added[rows][:, near - 1],
    )
    begins = np.concatenate([[0], ends[:-1]])
    is_near = begins < len(near)
    needed[:, rows[:, None], np.flatnonzero(is_near)] = np.minimum.reduceat(
        daily, begins[is_near], axis=2
    )
    return needed


def _above(fan: Float64s, *, marks: Float64s, plus: Float64s | float) -> Float64s:
    """Spreads above its middle at which a fan (n, 3, n_days) stands at its marks (n_marks, n)."""
    middle = fan[:, 1] + plus
    off = marks[:, :, None] - middle
    half = np.where(off > 0, fan[:, 2] - fan[:, 1], fan[:, 1] - fan[:, 0])
    exact = np.where(off > 0, np.inf, -np.inf)
    is_exact = half <= 0
    return np.where(is_exact, exact, BAND_EDGE * off / np.where(is_exact, 1.0, half))


def paths(of: Outlook, *, horizon_days: int, quantiles: tuple[float, ...]) -> Float64s:
    """Return the demand expected on each day ahead, not cut off at any capacity.

    Parameters
    ----------
    of : Outlook
        From :func:`forecast`, or kept from one.
    horizon_days : int
        1 to 3650.
    quantiles : tuple of float
        Each between 0 and 1, exclusive.

    Returns
    -------
    (n_series, n_quantiles, horizon_days) float64
        Bytes from the day after each series' last reading; NaN where not judged, never
        below 0.

    Raises
    ------
    RangeError
        If the horizon or a quantile is out of range.
    """
    spans = _spans(quantiles)
    ahead = np.arange(1, _checked_horizon(horizon_days) + 1)
    return _quantiles(of, fan=of.fan.on(ahead), ahead=ahead, spans=spans)


def amounts_after(of: Outlook, *, days: Int64s, quantiles: tuple[float, ...]) -> Float64s:
    """Return the demand expected of each series after days of its own.

    Parameters
    ----------
    of : Outlook
        From :func:`forecast`, or kept from one.
    days : (n_series,) int64
        Days after each series' last reading, 1 to 3650.
    quantiles : tuple of float
        Each between 0 and 1, exclusive.

    Returns
    -------
    (n_quantiles, n_series) float64
        What :func:`paths` has on that day.

    Raises
    ------
    RangeError
        If a day or a quantile is out of range.
    """
    spans = _spans(quantiles)
    if len(days) == 0:
        return np.zeros((len(quantiles), 0))
    for one in (int(days.min()), int(days.max())):
        _checked_horizon(one)
    ahead = days[:, None]
    return _quantiles(of, fan=of.fan.at(ahead), ahead=ahead, spans=spans)[:, :, 0].T


def _spans(quantiles: tuple[float, ...]) -> Float64s:
    """How many half bands each quantile lies off the middle."""
    for quantile in quantiles:
        if not 0 < quantile < 1:
            raise RangeError(argument="quantiles", found=quantile, wanted="between 0 and 1")
    spans: Float64s = ndtri(np.array(quantiles)) / BAND_EDGE
    return spans


def _quantiles(of: Outlook, *, fan: Float64s, ahead: Int64s, spans: Float64s) -> Float64s:
    """Quantiles of a fan (n_series, 3, n_days) on days ahead, within what each can hold."""
    middle = fan[:, 1] + _far_as_told(of.rhythm, ahead=ahead)
    half = np.where(
        (spans > 0)[None, :, None],
        (fan[:, 2] - fan[:, 1])[:, None, :],
        (fan[:, 1] - fan[:, 0])[:, None, :],
    )
    told = middle[:, None, :] + spans[None, :, None] * half
    told = np.clip(told, 0.0, of.ceiling_bytes[:, None, None])
    return np.where(of.is_judged[:, None, None], told, np.nan)


def _checked_horizon(horizon_days: int) -> int:
    if not 1 <= horizon_days <= MAX_HORIZON_DAYS:
        raise RangeError(
            argument="horizon_days", found=horizon_days, wanted=f"1 to {MAX_HORIZON_DAYS}"
        )
    return horizon_days
