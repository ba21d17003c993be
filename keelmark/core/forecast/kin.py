"""What the very young borrow from their kin: objects of the same class, tenant or kind."""

from dataclasses import dataclass

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.forecast.robust import MAD_TO_SPREAD
from keelmark.core.forecast.spread import PowerLaw

MIN_KIN = 5  # fewer than this are no custom
OWN_DAYS = 28.0  # with as many days of its own, an object's pace counts as much as its kin's
WIDER = 1.5  # another object is not one's own past
NO_KIN = -1


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Borrowed:
    """Growth with what the young borrowed; ``n_kin`` (n_series,) is 0 where nothing was."""

    per_day: Float64s
    variance: PowerLaw
    n_kin: Int64s


def borrow(
    per_day: Float64s,
    *,
    variance: PowerLaw,
    kin: Int64s,
    n_span_days: Int64s,
    is_elder: Bools,
    max_days: int,
) -> Borrowed:
    """Draw the pace of the young towards the median pace of their kin.

    Parameters
    ----------
    per_day : (n_series,) float64
        Pace a day in shares of each series' own level.
    variance : PowerLaw
        In shares of the level too.
    kin : (n_series,) int64
        Group of each series, NO_KIN where it has none. Where a group is too small, all that
        have a group are kin: they are of one kind.
    n_span_days : (n_series,) int64
        Days from the first to the last reading.
    is_elder : (n_series,) bool
        Who may be borrowed from.
    max_days : int
        Nobody older borrows.

    Returns
    -------
    Borrowed
        With the spread of the kin's own paces in the drift.

    References
    ----------
    Efron, B. and Morris, C. (1975), "Data analysis using Stein's estimator and its
    generalizations". We depart from it by medians and by a weight that follows age alone.
    """
    n_kin = np.zeros(len(per_day), dtype=np.int64)
    own = n_span_days / (n_span_days + OWN_DAYS)
    pace, noise, wander, drift = (
        per_day.copy(), variance.noise.copy(), variance.wander.copy(), variance.drift.copy(),
    )  # fmt: skip
    is_young = (n_span_days <= max_days) & (kin != NO_KIN)
    for group in np.unique(kin[is_young]):
        elders = np.flatnonzero((kin == group) & is_elder)
        if len(elders) < MIN_KIN:  # of its kind, then
            elders = np.flatnonzero((kin != NO_KIN) & is_elder)
        if len(elders) < MIN_KIN:
            continue
        rows = np.flatnonzero((kin == group) & is_young)
        middle = float(np.median(per_day[elders]))
        spread = MAD_TO_SPREAD * float(np.median(np.abs(per_day[elders] - middle)))
        share = own[rows]
        pace[rows] = share * np.nan_to_num(per_day[rows]) + (1 - share) * middle
        noise[rows] = share * noise[rows] + (1 - share) * np.median(variance.noise[elders])
        wander[rows] = share * wander[rows] + (1 - share) * WIDER * np.median(
            variance.wander[elders]
        )
        drift[rows] = share * drift[rows] + (1 - share) * WIDER * (
            spread**2 + np.median(variance.drift[elders])
        )
        n_kin[rows] = len(elders)
    return Borrowed(
        per_day=pace, variance=PowerLaw(noise=noise, wander=wander, drift=drift), n_kin=n_kin
    )
