"""What disks did, summed up from a moment on as hosts and arrays count it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from standins.demand import STEP_SECONDS, STEPS_A_DAY, Counts, Demand
from standins.limits import Limits

COUNTED = (
    "reads", "writes", "read_bytes", "written_bytes", "busy_seconds", "array_seconds",
    "network_seconds", "queue_seconds", "qos_seconds", "read_seconds", "write_seconds",
)  # fmt: skip


@dataclass(repr=False)
class Counters:
    """What every disk did since a moment, summed up as hosts count it."""

    demand: Demand
    since: float  # a day index with its fraction, as ``Estate.day_of`` tells
    _whole: dict[int, Counts] = field(default_factory=dict)
    _carried: Counts | None = None  # counted before volumes were set otherwise
    _so_far: tuple[int, Counts] | None = None  # the day asked for last, summed up step by step

    def go_on(self, day: float, *, limits: Mapping[str, Limits]) -> None:
        """Set volumes otherwise from a moment on; what was counted until then stands."""
        self._carried = self.at(day)
        self.demand.set_volumes(limits)
        self.since = day
        self._whole.clear()
        self._so_far = None
        del self._begun

    def at(self, day: float) -> Counts:
        """Return (n_counters, n_disks) in the order of COUNTED."""
        first, last = int(np.floor(self.since)), int(np.floor(day))
        for number in range(first, last):
            if number not in self._whole:
                self._whole[number] = self._within(number + 1 - 1e-9)
        before = [self._whole[number] for number in range(first, last)]
        so_far: Counts = sum(before, self._within(day)) - self._begun
        return so_far if self._carried is None else self._carried + so_far

    @cached_property
    def _begun(self) -> Counts:
        return self._within(self.since)

    def _within(self, day: float) -> Counts:
        """What was done of a day so far; within a step evenly."""
        number = int(np.floor(day))
        if self._so_far is None or self._so_far[0] != number:
            steps = self._steps(number)
            summed = np.concatenate([np.zeros((*steps.shape[:2], 1)), steps], axis=2)
            self._so_far = (number, np.cumsum(summed, axis=2, out=summed))
        summed = self._so_far[1]
        at, share = divmod((day - number) * STEPS_A_DAY, 1)
        low, high = summed[:, :, int(at)], summed[:, :, min(int(at) + 1, STEPS_A_DAY)]
        within: Counts = low + (high - low) * share
        return within

    def _steps(self, number: int) -> Counts:
        day = self.demand.day(number + 1)
        read_bytes, write_bytes = self.demand.sizes
        waits = (day.array_ms, day.network_ms, day.queue_ms, day.qos_ms)
        done = (day.reads, day.writes, day.reads * read_bytes, day.writes * write_bytes)
        seconds = [day.ops * ms / 1000 for ms in (day.latency_ms, *waits)]
        seconds += [day.reads * day.read_ms / 1000, day.writes * day.write_ms / 1000]
        return np.stack([*done, *seconds]).astype(np.float64) * STEP_SECONDS
