"""What the very young borrow from their kin: objects of the same class, tenant or kind."""

from dataclasses import dataclass, replace

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.forecast.fan import Fan
from keelmark.core.forecast.robust import MAD_TO_SPREAD

MIN_KIN = 5  # fewer than this are no custom
OWN_DAYS = 28.0  # with as many days of its own, an object's pace counts as much as its kin's
WIDER = 1.25  # another object is not one's own past
NO_KIN = -1


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Borrowed:
    """Fans with what the young borrowed; ``n_kin`` (n_series,) is 0 where nothing was."""

    fan: Fan
    n_kin: Int64s


def borrow(
    fan: Fan,
    *,
    level: Float64s,
    kin: Int64s,
    n_span_days: Int64s,
    is_judged: Bools,
    is_elder: Bools,
    max_days: int,
) -> Borrowed:
    """Draw the paths of the young towards the median path of their kin.

    Parameters
    ----------
    fan : Fan
        In shares of each series' own level.
    level : (n_series,) float64
        Where each stands today, in the same shares.
    kin : (n_series,) int64
        Group of each series, NO_KIN where it has none. Where a group is too small, all that
        have a group are kin: they are of one kind.
    n_span_days : (n_series,) int64
        Days from the first to the last reading.
    is_judged : (n_series,) bool
        Whose own past tells anything: of the others all is borrowed.
    is_elder : (n_series,) bool
        Who may be borrowed from.
    max_days : int
        Nobody older borrows.

    Returns
    -------
    Borrowed
        As wide as the kin's own bands and the spread of their paths together.

    References
    ----------
    Efron, B. and Morris, C. (1975), "Data analysis using Stein's estimator and its
    generalizations". We depart from it by medians and by a weight that follows age alone.
    """
    n_kin = np.zeros(len(level), dtype=np.int64)
    is_young = (n_span_days <= max_days) & (kin != NO_KIN)
    if not is_young.any():
        return Borrowed(fan=fan, n_kin=n_kin)
    own = np.where(is_judged, n_span_days / (n_span_days + OWN_DAYS), 0.0)
    gone = fan.middle - level[:, None]
    low, middle, high = fan.low.copy(), fan.middle.copy(), fan.high.copy()
    for group in np.unique(kin[is_young]):
        elders = np.flatnonzero((kin == group) & is_elder)
        if len(elders) < MIN_KIN:  # of its kind, then
            elders = np.flatnonzero((kin != NO_KIN) & is_elder)
        if len(elders) < MIN_KIN:
            continue
        rows = np.flatnonzero((kin == group) & is_young)
        usual = np.median(gone[elders], axis=0)
        spread = MAD_TO_SPREAD * np.median(np.abs(gone[elders] - usual), axis=0)
        share = own[rows][:, None]
        taken = share * gone[rows] + (1 - share) * usual
        middle[rows] = level[rows][:, None] + taken
        for edge, of in ((low, fan.low), (high, fan.high)):
            reach = np.median(np.abs(of[elders] - fan.middle[elders]), axis=0)
            theirs = WIDER * np.hypot(reach, spread)
            width = share * np.abs(of[rows] - fan.middle[rows]) + (1 - share) * theirs
            edge[rows] = middle[rows] + np.where(edge is low, -width, width)
        n_kin[rows] = len(elders)
    return Borrowed(fan=replace(fan, low=low, middle=middle, high=high), n_kin=n_kin)
