"""An OpenMetrics exporter of counters: volumes by worldwide name, VMs by UUID."""

import math
from asyncio import to_thread
from collections.abc import Callable, Iterator
from datetime import datetime
from itertools import chain

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import PlainTextResponse, Response
from starlette.routing import Route

from standins.demand import COUNTED, Counters, Demand
from standins.estate import Estate

OPENMETRICS = "application/openmetrics-text; version=1.0.0; charset=utf-8"
DAY_SECONDS = 86_400
BASE_IOPS = 220


class Exporter:
    """Serves `/metrics`; a restart sets all counters to zero, as real ones do."""

    def __init__(self, estate: Estate, *, now: Callable[[], datetime]) -> None:
        """Count from the beginning of the estate's history."""
        self.estate, self.now = estate, now
        self.restarted_day = 0.0
        self.demand = Demand(estate)
        self._counters = Counters(self.demand, since=estate.day_of(now()))

    def app(self) -> Starlette:
        """Return the service."""
        return Starlette(
            routes=[
                Route("/metrics", self._metrics),
                Route("/disks", self._disks),
                Route("/standin/restart", self._restart, methods=["POST"]),
            ]
        )

    async def _metrics(self, request: Request) -> Response:
        return PlainTextResponse(self.text(), media_type=OPENMETRICS)

    async def _disks(self, request: Request) -> Response:
        text = await to_thread(self.text_of_disks)
        return PlainTextResponse(text, media_type=OPENMETRICS)

    async def _restart(self, request: Request) -> Response:
        self.restarted_day = self.estate.day_of(self.now())
        self._counters = Counters(self.demand, since=self.restarted_day)
        return Response(status_code=204)

    def text(self) -> str:
        """Return all samples of this moment."""
        day = self.estate.day_of(self.now())
        return "\n".join([*self._volumes(day), *self._machines(day), "# EOF", ""])

    def text_of_disks(self) -> str:
        """Return what every disk did, and how long it took in which part of the way."""
        told = self._counters.at(self.estate.day_of(self.now()))
        labels = [f'disk="{one.uid}"' for one in self.demand.disks]
        families = (
            _family(f"disk_{name}", list(zip(labels, counts.tolist(), strict=True)), share=1)
            for name, counts in zip(COUNTED, told, strict=True)
        )
        return "\n".join([*chain.from_iterable(families), "# EOF", ""])

    def _volumes(self, day: float) -> Iterator[str]:
        rows = [
            (f'wwn="{volume.naa}"', self._ops(day, weight=1 + at % 7))
            for array in self.estate.arrays
            if not array.story.is_busy
            for pool in array.pools
            for at, volume in enumerate(pool.volumes)
        ]
        yield from _family("volume_reads", rows, share=0.7)
        yield from _family("volume_writes", rows, share=0.3)
        yield from _family("volume_read_bytes", rows, share=0.7 * 16_384)
        yield from _family("volume_written_bytes", rows, share=0.3 * 24_576)
        yield from _family("volume_busy_seconds", rows, share=0.0011)

    def _machines(self, day: float) -> Iterator[str]:
        rows = [
            (f'vm="{machine.uuid}"', self._ops(day, weight=(1 + at % 9) / 6))
            for cluster in self.estate.clusters
            for at, machine in enumerate(cluster.machines)
            if machine.is_on and machine.host != cluster.story.faulted_host
        ]
        yield from _family("vm_reads", rows, share=0.65)
        yield from _family("vm_writes", rows, share=0.35)
        yield from _family("vm_busy_seconds", rows, share=0.0024)

    def _ops(self, day: float, *, weight: float) -> float:
        """Operations since the counters began, busier by day than by night."""
        return weight * (_integral(day) - _integral(self.restarted_day))


def _integral(day: float) -> float:
    swing = math.sin(2 * math.pi * day) / (2 * math.pi)
    return BASE_IOPS * DAY_SECONDS * (day - 0.6 * swing)


def _family(name: str, rows: list[tuple[str, float]], *, share: float) -> Iterator[str]:
    yield f"# TYPE {name} counter"
    for labels, n_ops in rows:
        yield f"{name}_total{{{labels}}} {n_ops * share:.3f}"
