"""What a week shows of disks and their QoS tiers: who waits too often, whose limit is too wide."""

from collections.abc import Sequence
from dataclasses import dataclass, fields
from enum import StrEnum
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.errors import ShapeError
from keelmark.core.estate.columns import NOWHERE
from keelmark.core.performance import STEPS_A_DAY, Floats
from keelmark.core.qos.replay import LONG_HOURS
from keelmark.core.qos.states import LEAST_STEPS, STATE_STEPS, is_pressed, is_short
from keelmark.core.qos.tiers import Tier

STEPS_AN_HOUR: Final = STEPS_A_DAY // 24
LAX_SHARE: Final = 0.1  # of its maximum: who never did more has a limit far above its demand
WORTH_SHARE: Final = 0.35  # of its maximum, below which nobody outgrows it for a long time
FITS_SHARE: Final = 0.8  # of a maximum, up to which the busiest mean may come in it
LEAST_READ: Final = STEPS_A_DAY // 2  # half a day, to say of anybody that they wait too often
LEAST_LONG: Final = 3 * LEAST_READ  # and three times that, to say that a limit is too wide


NOT_OWN: Final = np.inf


class Found(StrEnum):
    """What is found of a disk; the place in the class is the row in the masks."""

    HELD_LONG = "held-long"
    STARVED_OFTEN = "starved-often"
    BUSY_UNTIERED = "busy-untiered"
    LIMIT_LAX = "limit-lax"
    OUTGROWS = "outgrows"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Tally:
    """What disks did on one day, (n_disks,): steps read, held, starved; the busiest mean, NaN."""

    n_read: Int64s
    n_held: Int64s
    n_starved: Int64s
    most_iops: Float64s


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class FoundOf:
    """What some days show, (n_disks,) each.

    ``is_found`` (len(Found), n_disks); hours are a day; ``fits`` is the least tier that the
    busiest mean fits into, NOWHERE where none does or nothing is known.
    """

    is_found: Bools
    held_hours: Float64s
    starved_hours: Float64s
    most_iops: Float64s
    fits: Int64s


def tally_of(
    done: Floats, *, qos_ms: Floats, queue_ms: Floats, min_iops: Float64s, max_iops: Float64s
) -> Tally:
    """Return how one day of disks went; held and starved as the state of a disk is told.

    Parameters
    ----------
    done, qos_ms, queue_ms : (n_disks, n_steps) float
        Operations a second in means of five minutes and what each waited for a limit and in line,
        milliseconds; NaN where unread.
    min_iops, max_iops : (n_disks,) float
        The limits that bore, NaN where none is known.

    Raises
    ------
    ShapeError
        When the arrays do not fit.
    """
    for name, waits in (("qos_ms", qos_ms), ("queue_ms", queue_ms)):
        if waits.shape != done.shape:
            raise ShapeError(argument=name, wanted=str(done.shape), found=waits.shape)
    is_read = ~np.isnan(done)
    delay_ms = np.asarray(np.nan_to_num(qos_ms), dtype=np.float64)
    held = is_pressed(done, max_iops=max_iops[:, None], delay_ms=delay_ms) & is_read
    starved = is_short(done, min_iops=min_iops[:, None], queue_ms=queue_ms)
    held, starved = _told(held), _told(starved)
    most = np.where(is_read, done, -np.inf).max(axis=1, initial=-np.inf)
    return Tally(
        n_read=is_read.sum(axis=1).astype(np.int64),
        n_held=held.sum(axis=1).astype(np.int64),
        n_starved=starved.sum(axis=1).astype(np.int64),
        most_iops=np.where(np.isinf(most), np.nan, most).astype(np.float64),
    )


def together(parts: Sequence[Tally]) -> Tally:
    """Return one day of several sets of disks, one after the other."""
    return Tally(
        **{
            field.name: np.concatenate([getattr(one, field.name) for one in parts])
            for field in fields(Tally)
        }
    )


def _told(is_so: Bools) -> Bools:
    """Return in which steps the state of a disk is told so: in most of the last three."""
    count = is_so.astype(np.int8)
    for back in range(1, STATE_STEPS):
        count[:, back:] += is_so[:, :-back]
    told: Bools = count >= LEAST_STEPS
    return told


def worth_a_forecast(most: Float64s, *, tiers: Sequence[Tier], tier: Int64s) -> Bools:
    """Return whose busiest mean is near enough to a maximum of its own to ask when it gets there.

    ``most`` and ``tier`` as in :func:`found_of`.
    """
    own = [NOT_OWN if one.is_together else float(one.max_iops) for one in tiers]
    maximum = np.array([*own, NOT_OWN])[tier]
    told: Bools = np.nan_to_num(most) >= WORTH_SHARE * maximum
    return told


def found_of(
    days: Sequence[Tally],
    *,
    tiers: Sequence[Tier],
    tier: Int64s,
    outgrows: Bools | None = None,
) -> FoundOf:
    """Return what some days show of disks.

    Parameters
    ----------
    days : sequence of Tally
        Of the same disks in the same order.
    tiers : sequence of Tier
    tier : (n_disks,) int64
        A place in the tiers, NOWHERE where a disk is in none.
    outgrows : (n_disks,) bool, optional
        Whose busy hours come to their maximum soon, as a forecast tells.

    Notes
    -----
    Held long: for more than an hour a day in the mean, of what was read. Starved often: the same.
    Lax: never did more than a tenth of what its own tier lets through, fits into a lower one, and
    nothing kept it from doing more.
    Busy in no tier: did more than the least tier lets through.
    """
    n = len(tier)
    n_read = sum((one.n_read for one in days), np.zeros(n, dtype=np.int64))
    n_held = sum((one.n_held for one in days), np.zeros(n, dtype=np.int64))
    n_short = sum((one.n_starved for one in days), np.zeros(n, dtype=np.int64))
    hours, short = _hours(n_held, n_read), _hours(n_short, n_read)
    most = np.full(n, np.nan)
    for one in days:
        most = np.fmax(most, one.most_iops)
    own_most = np.array([*(float(one.max_iops) for one in tiers), np.nan])[tier]
    is_shared = np.array([*(one.is_together for one in tiers), False])[tier]
    fits = _least_fitting(most, tiers=tiers)
    fits_most = np.array([*(float(one.max_iops) for one in tiers), np.nan])[fits]
    lowest = min((one.max_iops for one in tiers if not one.is_together), default=np.inf)
    with np.errstate(invalid="ignore"):
        lax = (most < LAX_SHARE * own_most) & (fits_most < own_most) & ~is_shared
        busy = (tier == NOWHERE) & (most > lowest)
        found = {
            Found.HELD_LONG: (hours > LONG_HOURS) & (n_read >= LEAST_READ),
            Found.STARVED_OFTEN: (short > LONG_HOURS) & (n_read >= LEAST_READ),
            Found.BUSY_UNTIERED: busy,
            Found.LIMIT_LAX: lax & (n_read >= LEAST_LONG) & (n_held + n_short == 0),
            Found.OUTGROWS: np.zeros(n, dtype=np.bool_) if outgrows is None else outgrows,
        }
    return FoundOf(
        is_found=np.stack([found[kind] for kind in Found]),
        held_hours=hours,
        starved_hours=short,
        most_iops=most,
        fits=fits,
    )


def _hours(n_steps: Int64s, n_read: Int64s) -> Float64s:
    """Hours a day, of what was read; 0 where nothing was."""
    days = n_read / STEPS_A_DAY
    told = np.divide(n_steps / STEPS_AN_HOUR, days, out=np.zeros(len(days)), where=days > 0)
    return np.asarray(told, dtype=np.float64)


def _least_fitting(most: Float64s, *, tiers: Sequence[Tier]) -> Int64s:
    """The tier of each disk's own with the least maximum that leaves a fifth above what it did."""
    fits = np.full(len(most), NOWHERE, dtype=np.int64)
    own = [(one.max_iops, at) for at, one in enumerate(tiers) if not one.is_together]
    with np.errstate(invalid="ignore"):
        for maximum, at in sorted(own, reverse=True):
            fits[most <= FITS_SHARE * maximum] = at
    return fits
