"""An OpenMetrics exporter of counters: volumes by worldwide name, VMs by UUID."""

from asyncio import to_thread
from collections.abc import Callable, Iterator
from datetime import datetime
from itertools import chain

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import PlainTextResponse, Response
from starlette.routing import Route

from standins.counters import COUNTED
from standins.estate import Estate
from standins.flow import Flow

OPENMETRICS = "application/openmetrics-text; version=1.0.0; charset=utf-8"
IO_NAMES = ("reads", "writes", "read_bytes", "written_bytes")


class Exporter:
    """Serves `/metrics`; a restart sets all counters to zero, as real ones do."""

    def __init__(self, estate: Estate, *, now: Callable[[], datetime], flow: Flow) -> None:
        """Tell the counters of an estate's flow."""
        self.estate, self.now, self.flow = estate, now, flow

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
        self.flow.restart(self.estate.day_of(self.now()))
        return Response(status_code=204)

    def text(self) -> str:
        """Return all samples of this moment."""
        day = self.estate.day_of(self.now())
        return "\n".join([*self._volumes(day), *self._machines(day), "# EOF", ""])

    def text_of_disks(self) -> str:
        """Return what every disk did and how long it took in which part, then every drive."""
        told = self.flow.of_disks(self.estate.day_of(self.now()))
        labels = [f'disk="{one.uid}"' for one in self.flow.demand.disks]
        families = (
            _family(f"disk_{name}", list(zip(labels, counts.tolist(), strict=True)))
            for name, counts in zip(COUNTED, told, strict=True)
        )
        return "\n".join([*chain.from_iterable(families), *self._drives(), "# EOF", ""])

    def _drives(self) -> Iterator[str]:
        uids, told = self.flow.of_drives(self.estate.day_of(self.now()))
        labels = [f'drive="{uid}"' for uid in uids]
        for name, counts in zip(IO_NAMES, told, strict=True):
            yield from _family(f"drive_{name}", list(zip(labels, counts.tolist(), strict=True)))

    def _volumes(self, day: float) -> Iterator[str]:
        told = [
            (f'wwn="{volume.naa}"', self.flow.of_volume(array, volume, day=day))
            for array in self.estate.arrays
            if not array.story.is_busy
            for pool in array.pools
            for volume in pool.volumes
        ]
        for at, name in enumerate(IO_NAMES):
            yield from _family(f"volume_{name}", [(label, counts[at]) for label, counts in told])

    def _machines(self, day: float) -> Iterator[str]:
        told = [
            (f'vm="{machine.uuid}"', counts)
            for cluster in self.estate.clusters
            for machine in cluster.machines
            if (counts := self.flow.of_machine(machine.uuid, day=day)) is not None
        ]
        for at, name in enumerate(COUNTED):
            yield from _family(f"vm_{name}", [(label, counts[at]) for label, counts in told])


def _family(name: str, rows: list[tuple[str, float]]) -> Iterator[str]:
    yield f"# TYPE {name} counter"
    for labels, amount in rows:
        yield f"{name}_total{{{labels}}} {amount:.3f}"
