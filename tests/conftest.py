"""What all tests share."""

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, date, datetime
from typing import Any

import httpx
import pytest
import uvicorn
from hypothesis import settings
from starlette.types import ASGIApp
from xdist.scheduler import LoadScopeScheduling

from standins.estate import Estate, make_estate
from standins.redfish.mirroring import Partners
from standins.redfish.service import Service

settings.register_profile("steady", derandomize=True, deadline=None, max_examples=60)
settings.load_profile("steady")

ANCHOR_ON = date(2026, 11, 23)
NOW = datetime(2026, 11, 23, 8, 0, tzinfo=UTC)
USER, PASSWORD = "planner-ro", "low-water"
WRITER = ("limits-rw", "high-water")


@contextmanager
def running(
    app: ASGIApp,
    *,
    ssl_certfile: str | None = None,
    ssl_keyfile: str | None = None,
    http: str = "auto",
) -> Iterator[str]:
    """Serve an application on a loopback port, in a thread of its own."""
    config = uvicorn.Config(
        app,
        host="127.0.0.1",
        port=0,
        log_level="error",
        date_header=False,
        ssl_certfile=ssl_certfile,
        ssl_keyfile=ssl_keyfile,
        http=http,
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    until = time.monotonic() + 10
    while not server.started:
        assert time.monotonic() < until
        time.sleep(0.01)
    try:
        yield f"{'https' if ssl_certfile else 'http'}://127.0.0.1:{server.servers[0].sockets[0].getsockname()[1]}"
    finally:
        server.should_exit = True
        thread.join(10)


class RunningStandin:
    """A stand-in array on a loopback port, in a thread of its own."""

    def __init__(self, service: Service) -> None:
        self.service = service
        self._running = running(service.app())
        self.url = self._running.__enter__()

    def fault(self, kind: str, **facts: object) -> None:
        self.service.faults.set({"kind": kind, **facts})

    def write(self, *, pool: str, n_bytes: int) -> None:
        volume = self.service.tree.ground.pools[pool].volumes[0].name
        body = {"pool": pool, "volume": volume, "bytes": n_bytes}
        httpx.post(f"{self.url}/standin/write", json=body, trust_env=False).raise_for_status()

    def stop(self) -> None:
        self._running.__exit__(None, None, None)


@pytest.fixture(scope="session")
def small_estate() -> Estate:
    return make_estate(size="small", anchor_on=ANCHOR_ON)


@pytest.fixture
def standin() -> Iterator[Callable[..., RunningStandin]]:
    running: list[RunningStandin] = []
    partners: Partners = {}

    def make(name: str = "heron-1", *, now: datetime | None = None) -> RunningStandin:
        estate = make_estate(size="small", anchor_on=ANCHOR_ON)
        array = next(array for array in estate.arrays if array.name == name)
        clock = (lambda: now) if now else (lambda: datetime.now(UTC))
        service = Service(
            estate, array=array, user=USER, password=PASSWORD, now=clock, writer=WRITER,
            partners=partners,
        )  # fmt: skip
        service.faults.set({"kind": "none"})
        one = RunningStandin(service)
        partners[one.url.partition("//")[2]] = service.tree.ground
        running.append(one)
        return one

    yield make
    for one in running:
        one.stop()


# One long test each: begun last, one process would wait for them alone.
LONG = ("tests/server/test_benches.py", "tests/server/test_every_day_of_the_demo.py")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=lambda one: not one.nodeid.startswith(LONG))


class BrowserBeside(LoadScopeScheduling):  # type: ignore[misc]  # it has no types
    """Keep what shares the browser's one stack in one process; all else goes one by one."""

    def _split_scope(self, nodeid: str) -> str:
        return "browser" if nodeid.startswith("tests/browser/") else nodeid


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> BrowserBeside:  # Any: xdist's
    return BrowserBeside(config, log)
