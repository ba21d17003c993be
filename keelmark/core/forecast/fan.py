"""A fan: three quantiles on some days ahead, and how its paths hang together."""

from dataclasses import dataclass, replace

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.forecast.calibration import BAND_EDGE
from keelmark.core.forecast.mix import KNOTS_DAYS
from keelmark.core.forecast.passage import PERSISTENCES

NEAR_DAYS, FAR_DAYS = 14, 180  # between which it is seen how a band widens
TINY = 1e-300
N_TOLD = 3 * len(KNOTS_DAYS)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Fan:
    """10, 50 and 90 % after KNOTS_DAYS, each (n_series, n_knots); between them straight lines.

    ``noise_variance`` (n_series,) is the part of the variance that comes back from day to day,
    ``memory`` (n_series,) how long, as an index of noise.MEMORIES.
    """

    low: Float64s
    middle: Float64s
    high: Float64s
    noise_variance: Float64s
    memory: Int64s

    def on(self, days: Int64s) -> Float64s:
        """Return the three quantiles on days ahead, (n_series, 3, n_days).

        Before the first knot they stand as on it; beyond the last they go on as they went there.
        """
        knots = np.array(KNOTS_DAYS, dtype=np.float64)
        right = np.clip(np.searchsorted(knots, days), 1, len(knots) - 1)
        left = right - 1
        share = np.maximum((days - knots[left]) / (knots[right] - knots[left]), 0.0)
        stacked = np.stack([self.low, self.middle, self.high], axis=1)
        told: Float64s = stacked[:, :, left] * (1 - share) + stacked[:, :, right] * share
        return told

    def at(self, days: Int64s) -> Float64s:
        """Return the three quantiles of each on days of its own (n_series, n_days), as `on`."""
        knots = np.array(KNOTS_DAYS, dtype=np.float64)
        right = np.clip(np.searchsorted(knots, days), 1, len(knots) - 1)
        left = right - 1
        share = np.maximum((days - knots[left]) / (knots[right] - knots[left]), 0.0)[:, None]
        # Edge by edge: to stack them first would copy every knot of every series.
        edges = (self.low, self.middle, self.high)
        before, after = (
            np.stack([np.take_along_axis(edge, knot, axis=1) for edge in edges], axis=1)
            for knot in (left, right)
        )
        told: Float64s = before * (1 - share) + after * share
        return told

    def variance(self, days: Int64s) -> Float64s:
        """Return the variance on days ahead, (n_series, n_days)."""
        fan = self.on(days)
        return ((fan[:, 2] - fan[:, 0]) / (2 * BAND_EDGE)) ** 2

    def noise_share(self, days: Int64s) -> Float64s:
        """Return the share of noise in the variance on days ahead, (n_series, n_days)."""
        whole = np.maximum(self.variance(days), TINY)
        return np.minimum(self.noise_variance[:, None] / whole, 1.0)

    def is_finite(self) -> Bools:
        """Return which series' quantiles are all numbers, (n_series,)."""
        stacked = np.stack([self.low, self.middle, self.high])
        finite: Bools = np.isfinite(stacked).all(axis=(0, 2)) & np.isfinite(self.noise_variance)
        return finite

    def persistence(self) -> Float64s:
        """Return the power of time by which what is not noise spreads, (n_series,)."""
        days = np.array([NEAR_DAYS, FAR_DAYS])
        whole = self.variance(days)
        slow = np.maximum(whole - self.noise_variance[:, None], 0.01 * whole) + TINY
        power = np.log(slow[:, 1] / slow[:, 0]) / np.log(FAR_DAYS / NEAR_DAYS) / 2
        held: Float64s = np.clip(power, PERSISTENCES[0], PERSISTENCES[-1])
        return held

    def told(self, row: int) -> list[float]:
        """Return the quantiles of one series as they are kept: low, middle, high of all knots."""
        edges = (self.low[row], self.middle[row], self.high[row])
        return [float(amount) for edge in edges for amount in edge]

    @classmethod
    def kept(cls, told: Float64s, *, noise_variance: Float64s, memory: Int64s) -> "Fan":
        """Return the fan of what was told of each series, (n_series, 3 × n_knots)."""
        low, middle, high = np.split(told, 3, axis=1)
        return cls(low=low, middle=middle, high=high, noise_variance=noise_variance, memory=memory)

    def of_rows(self, rows: Int64s) -> "Fan":
        """Return the fan of some of the series."""
        return Fan(
            low=self.low[rows],
            middle=self.middle[rows],
            high=self.high[rows],
            noise_variance=self.noise_variance[rows],
            memory=self.memory[rows],
        )

    def scaled(self, factor: Float64s) -> "Fan":
        """Return the fan of series in other units."""
        by = factor[:, None]
        return replace(
            self,
            low=self.low * by,
            middle=self.middle * by,
            high=self.high * by,
            noise_variance=self.noise_variance * factor**2,
        )

    def widened(self, by: float) -> "Fan":
        """Return the fan with a band so many times as wide about its middle."""
        return replace(
            self,
            low=self.middle - by * (self.middle - self.low),
            high=self.middle + by * (self.high - self.middle),
            noise_variance=self.noise_variance * by**2,
        )

    def grown(self, times: float, *, level: Float64s) -> "Fan":
        """Return the fan of what grows so many times as fast from its level (n_series,).

        It widens as by a walk that goes so many times as fast.
        """
        middle = level[:, None] + times * (self.middle - level[:, None])
        wide = float(np.sqrt(times))
        return replace(
            self,
            low=middle - wide * (self.middle - self.low),
            middle=middle,
            high=middle + wide * (self.high - self.middle),
        )
