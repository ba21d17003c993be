"""The forecast against a straight line on the demo estate, both blind to the last 60 days."""

import numpy as np
import pytest

from keelmark.core.forecast import forecast, paths, runway
from standins.estate import HISTORY_DAYS, make_estate
from tests.conftest import ANCHOR_ON

HELD_OUT_DAYS = 60


@pytest.fixture(scope="module")
def pools_used() -> np.ndarray:
    estate = make_estate(size="demo", anchor_on=ANCHOR_ON)
    rows = []
    for array in estate.arrays:
        for pool in array.pools:
            used = np.sum([v.curve_bytes for v in pool.volumes], axis=0) * pool.odd_factor
            used = np.where(pool.is_read, used, np.nan)
            used[: pool.first_day] = np.nan
            rows.append(used[: HISTORY_DAYS + HELD_OUT_DAYS])
    return np.array(rows)


def straight_lines(known: np.ndarray, *, n_ahead: int) -> np.ndarray:
    day = np.arange(known.shape[1])
    lines = []
    for row in known:
        is_read = ~np.isnan(row)
        fit = np.polyfit(day[is_read], row[is_read], 1)
        lines.append(np.polyval(fit, known.shape[1] + np.arange(n_ahead)))
    return np.array(lines)


def test_likely_path_beats_a_straight_line(pools_used):
    known, future = pools_used[:, :HISTORY_DAYS], pools_used[:, HISTORY_DAYS:]
    ours = paths(forecast(known), horizon_days=HELD_OUT_DAYS, quantiles=(0.5,))[:, 0]
    lines = straight_lines(known, n_ahead=HELD_OUT_DAYS)
    usable = np.nanmax(pools_used, axis=1, keepdims=True)
    our_error = np.nanmean(np.abs(ours - future) / usable)
    line_error = np.nanmean(np.abs(lines - future) / usable)
    assert our_error < 0.5 * line_error


def test_crossing_dates_beat_a_straight_line(pools_used):
    known, future = pools_used[:, :HISTORY_DAYS], pools_used[:, HISTORY_DAYS:]
    usable = np.nanmax(pools_used, axis=1)
    level, top = pools_used[:, HISTORY_DAYS - 1], np.nanmean(future[:, -7:], axis=1)
    grows = top > level + 0.02 * usable  # more than the wander of two months
    mark = (level + top) / 2
    truth = np.argmax(np.nan_to_num(future) >= mark[:, None], axis=1) + 1.0
    days = runway(forecast(known), mark_bytes=mark.astype(np.int64), horizon_days=365).likely_days
    reached = straight_lines(known, n_ahead=365) >= mark[:, None]
    line_days = np.where(reached.any(axis=1), reached.argmax(axis=1) + 1.0, 365.0)
    ours = np.abs(np.minimum(days, 365) - truth)[grows]
    theirs = np.abs(line_days - truth)[grows]
    assert len(ours) >= 5
    assert ours.mean() < 0.5 * theirs.mean()
