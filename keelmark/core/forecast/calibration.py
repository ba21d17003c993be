"""How much wider the bands of many of one kind must be, by how far their forecasts missed before.

Errors by which a pace was chosen flatter it, and one series alone has too few of them to tell by
how much. Many of one kind together have enough.
"""

import numpy as np
from scipy.special import ndtri

from keelmark.core.arrays import Float64s

ORIGINS_DAYS_BACK = (7, 30, 60, 90)  # of the record
# None ends in the last week: what was read so lately may yet show to be a shift or wild.
TRIALS = tuple(
    (back, ahead)
    for back, ahead_of_it in {30: (7, 14, 21), 60: (7, 14, 30, 45), 90: (7, 14, 30, 60, 75)}.items()
    for ahead in ahead_of_it
)
BAND_SHARE = 0.8
BAND_EDGE = float(ndtri((1 + BAND_SHARE) / 2))  # of a normal distribution
CUSTOM = 10.0  # with as many series, half of what they show is believed
MOST = 2.0

Widening = dict[int, float]  # by days back: the factor on the band that was known then
NOT_WIDENED: Widening = dict.fromkeys((0, *ORIGINS_DAYS_BACK), 1.0)


def widening_of(misses: Float64s) -> Widening:
    """Return by how much the bands of a kind must be wider to hold 80 % of what came.

    Parameters
    ----------
    misses : (n_series, len(TRIALS)) float64
        How far what came lay from the 50 % path, level shifts left out, in standard deviations
        as forecast; NaN where a trial was not possible.

    Returns
    -------
    dict of int to float
        For today and for each origin of the record, learnt only from trials that had ended by
        then. Never below 1: who plans by a band is not told that it may be narrower. Drawn
        towards 1 where few series could be tried.

    References
    ----------
    Vovk, V., Gammerman, A. and Shafer, G. (2005), "Algorithmic Learning in a Random World",
    ch. 2: the quantile of past misses as the width. We depart from it by one factor on a law
    that grows with the days ahead, and by shrinking it.
    """
    return {back: _factor(misses[:, _ended_by(back)]) for back in NOT_WIDENED}


def _ended_by(days_back: int) -> list[int]:
    return [at for at, (origin, ahead) in enumerate(TRIALS) if origin - ahead >= days_back]


def _factor(misses: Float64s) -> float:
    is_tried = ~np.isnan(misses)
    n_tried = is_tried.sum(axis=1, keepdims=True)
    n_series = int((n_tried > 0).sum())
    if n_series == 0:
        return 1.0
    # Each series counts the same, however many of its trials were possible.
    weight = np.where(is_tried, 1.0 / np.maximum(n_tried, 1), 0.0).ravel()
    order = np.argsort(np.nan_to_num(misses), axis=None)
    reached = np.cumsum(weight[order])
    at = int(np.searchsorted(reached, BAND_SHARE * reached[-1]))
    factor = float(np.clip(misses.ravel()[order[at]] / BAND_EDGE, 1.0, MOST))
    return 1.0 + (factor - 1.0) * n_series / (n_series + CUSTOM)
