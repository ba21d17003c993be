"""Every way tried from days of the past, and mixed by how well it did."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Float64s, Int64s
from keelmark.core.forecast.ways import IS_MIXED, MIN_WINDOW_DAYS, N_WAYS, Readings

KNOTS_DAYS = (1, 3, 7, 14, 28, 56, 90, 135, 180, 270, 365, 540, 730)
ORIGINS_DAYS_BACK = (7, 14, 21, 28, 42, 56, 73, 90, 112, 135, 160, 180, 225, 270, 320, 365)
RECENCY_DAYS = 200.0  # trials this old weigh 1/e
POWER = 14.0
POWER_TRIALS = 20.0  # with as many trials half that power: few trials prove little
MIN_SEEN_SHARE = 0.1  # of the days ahead: who saw a week tells nothing of four months
TINY = 1e-9  # of a series' largest level


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Mix:
    """What the ways say together, and what trials showed of them.

    ``share`` (N_WAYS, n_series) are the weights, summing to 1; ``missed`` (N_WAYS, n_series)
    the mean absolute errors a √day. ``level`` (n_series,) is where the mix stands today,
    ``middle`` (n_series, n_knots) where it goes, ``each``
    (N_WAYS, n_series, n_knots) what every way says. By knot, (n_series, n_knots): ``trials``
    the weight of all that was tried there, ``off`` the mean absolute and ``bias`` the mean
    signed error of the mix, what came less what it said. ``n_trials`` (n_series,) counts them.
    All in shares of each series' largest level.
    """

    share: Float64s
    missed: Float64s
    level: Float64s
    middle: Float64s
    each: Float64s
    trials: Float64s
    off: Float64s
    bias: Float64s
    mixed_missed: Float64s  # (n_series,): of the mix, a √day
    n_trials: Int64s


def mixed(readings: Readings) -> Mix:
    """Try all ways from earlier days and mix them.

    Returns
    -------
    Mix
        In the units of the readings.

    Notes
    -----
    A trial weighs less the older it is, the days between knots that it stands for, and as the
    history seen falls short of the days ahead. Ways nearly as good as the best count nearly as
    much; where little was tried all do.

    References
    ----------
    Bates, J. M. and Granger, C. W. J. (1969), "The combination of forecasts", eq. 4. We depart
    from it by absolute errors a √day, a steeper power and weights that fade with age.
    """
    truth = readings.with_shifts.values
    n_series, n_days = truth.shape
    last = n_days - 1
    knots = np.array(KNOTS_DAYS, dtype=np.float64)
    root = np.sqrt(knots)
    stands_for = days_stood_for()
    tried: list[tuple[Float64s, Float64s, int]] = []  # errors (c, n, k), weight (n, k), knots
    missed = np.zeros((N_WAYS, n_series))
    total = np.zeros(n_series)
    n_trials = np.zeros(n_series, dtype=np.int64)
    for back in ORIGINS_DAYS_BACK:
        if back > last:
            break
        at = last - back
        n_knots = int(np.searchsorted(knots, back, side="right"))
        history = (at - readings.first_column).astype(np.float64)[:, None]
        ahead = knots[:n_knots]
        is_tried = history >= np.maximum(MIN_WINDOW_DAYS, MIN_SEEN_SHARE * ahead)
        weight = np.where(
            is_tried,
            np.exp(-back / RECENCY_DAYS) * stands_for[:n_knots] * np.minimum(1.0, history / ahead),
            0.0,
        )
        came = truth[:, at + ahead.astype(np.int64)]
        error = came - readings.seen_from(at).after(ahead)
        tried.append((error, weight, n_knots))
        missed += np.einsum("csk,sk->cs", np.abs(error), weight / root[:n_knots])
        total += weight.sum(axis=1)
        n_trials += is_tried.sum(axis=1)
    missed = missed / np.where(total > 0, total, 1.0)
    share = _shares(missed, n_trials=n_trials)
    now = readings.seen_from(last)
    each = now.after(knots)
    return Mix(
        share=share,
        missed=missed,
        level=np.einsum("cs,cs->s", share, now.after(np.zeros(1))[:, :, 0]),
        middle=np.einsum("cs,csk->sk", share, each),
        each=each,
        n_trials=n_trials,
        **_of_mix(tried, share=share, n_series=n_series),
    )


def _of_mix(
    tried: list[tuple[Float64s, Float64s, int]], *, share: Float64s, n_series: int
) -> dict[str, Float64s]:
    """What the mix itself missed in the trials that chose it."""
    shape = (n_series, len(KNOTS_DAYS))
    trials, off, bias = np.zeros(shape), np.zeros(shape), np.zeros(shape)
    for error, weight, n_knots in tried:
        of_mix = np.einsum("cs,csk->sk", share, error)
        trials[:, :n_knots] += weight
        off[:, :n_knots] += weight * np.abs(of_mix)
        bias[:, :n_knots] += weight * of_mix
    total = trials.sum(axis=1)
    mixed_missed = (off / np.sqrt(KNOTS_DAYS)).sum(axis=1) / np.where(total > 0, total, 1.0)
    safe = np.where(trials > 0, trials, 1.0)
    return {
        "trials": trials,
        "off": off / safe,
        "bias": bias / safe,
        "mixed_missed": mixed_missed,
    }


def days_stood_for() -> Float64s:
    """Return the days between knots for which each of them stands, (n_knots,)."""
    knots = np.array(KNOTS_DAYS, dtype=np.float64)
    edges = np.concatenate([[0.0], (knots[1:] + knots[:-1]) / 2, knots[-1:]])
    return np.diff(edges)


def _shares(missed: Float64s, *, n_trials: Int64s) -> Float64s:
    """Weight of each way, (N_WAYS, n_series), summing to 1."""
    best = np.maximum(missed[IS_MIXED].min(axis=0), TINY)
    power = POWER * n_trials / (n_trials + POWER_TRIALS)
    share = (best / np.maximum(missed, best)) ** power * IS_MIXED[:, None]
    normal: Float64s = share / share.sum(axis=0)
    return normal
