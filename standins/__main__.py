"""`python -m standins serve|history|…`: run the estate, write its files."""

import argparse
import asyncio
import sys
from contextlib import suppress
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import uvicorn
from starlette.applications import Starlette

from standins.demand import Demand
from standins.estate import Estate, make_estate
from standins.estate_file import write_history, write_measures
from standins.exporter import Exporter
from standins.flow import Flow
from standins.libvirt_xml import write_hosts
from standins.objects import serve_objects
from standins.performance_file import write_performance
from standins.records import write_copies, write_records
from standins.redfish.mirroring import Partners
from standins.redfish.service import Service

USER, PASSWORD = "planner-ro", "low-water"  # a stand-in's, printed by the demo
WRITER = ("limits-rw", "high-water")  # who may set limits of volumes
REWRITE_SECONDS = 120
COPY_SECONDS = 30 * 60  # from one copy over the water to the next
WHAT = ["serve", "history", "measures", "records", "hosts", "performance"]


def main() -> None:
    """Read the arguments and do the one or the other."""
    parser = argparse.ArgumentParser(prog="standins", description=__doc__)
    parser.add_argument("what", choices=WHAT)
    parser.add_argument("--size", choices=["small", "demo"], default="demo")
    parser.add_argument("--anchor", type=date.fromisoformat, required=True)
    parser.add_argument("--port", type=int, default=8441, help="of the first array")
    parser.add_argument("--until", type=date.fromisoformat, help="last day of the history")
    parser.add_argument("--out", type=Path, help="file, or folder of the hosts")
    parser.add_argument("--told", type=Path, help="folder into which copies are told")
    parser.add_argument("--kept", type=Path, help="file that keeps what was set on the arrays")
    arguments = parser.parse_args()
    estate = make_estate(size=arguments.size, anchor_on=arguments.anchor)
    if arguments.what in ("history", "measures"):
        until = arguments.until or arguments.anchor - timedelta(days=1)
        write = write_history if arguments.what == "history" else write_measures
        n_lines = write(estate, path=arguments.out, until=until)
        sys.stdout.write(f"{n_lines} lines\n")
    elif arguments.what == "records":
        n_lines = write_records(estate, path=arguments.out, now=datetime.now(UTC))
        sys.stdout.write(f"{n_lines} lines\n")
    elif arguments.what == "performance":
        n_rows = write_performance(estate, path=arguments.out, now=datetime.now(UTC))
        sys.stdout.write(f"{n_rows} rows\n")
    elif arguments.what == "hosts":
        for path in _hosts(estate, folder=arguments.out, demand=Demand(estate)):
            sys.stdout.write(f"{path}\n")
    else:
        asyncio.run(
            _serve(
                estate,
                first_port=arguments.port,
                folder=arguments.out,
                told=arguments.told,
                kept=arguments.kept,
            )
        )


async def _serve(
    estate: Estate, *, first_port: int, folder: Path | None, told: Path | None, kept: Path | None
) -> None:
    """Serve the arrays, then the exporter and the object storage on the ports after theirs."""
    apps: list[tuple[str, Starlette]] = []
    flow = Flow(estate, since=estate.day_of(_now()), kept=kept)
    changed = asyncio.Event()
    partners: Partners = {}  # all arrays of the network trust each other
    for array in estate.arrays:
        service = Service(
            estate, array=array, user=USER, password=PASSWORD, now=_now, flow=flow, writer=WRITER,
            hosts_changed=changed.set, partners=partners,
        )  # fmt: skip
        partners[f"127.0.0.1:{first_port + len(apps)}"] = service.tree.ground
        apps.append((array.name, service.app()))
    apps.append(("exporter", Exporter(estate, now=_now, flow=flow).app()))
    servers = []
    for offset, (name, app) in enumerate(apps):
        port = first_port + offset
        config = uvicorn.Config(
            app, host="127.0.0.1", port=port, log_level="warning", date_header=False
        )
        servers.append(uvicorn.Server(config))
        sys.stdout.write(f"{name} http://127.0.0.1:{port}\n")
    objects = serve_objects(port=first_port + len(apps), now=_now())
    sys.stdout.flush()
    tasks = [server.serve() for server in servers]
    if folder is not None:
        tasks.append(_keep_hosts(estate, folder=folder, demand=flow.demand, changed=changed))
    if told is not None:
        tasks.append(_keep_copying(estate, folder=told))
    try:
        await asyncio.gather(*tasks)
    finally:
        objects.stop()


async def _keep_hosts(
    estate: Estate, *, folder: Path, demand: Demand, changed: asyncio.Event
) -> None:
    """Write the hosts anew from time to time, so that what they hold grows, or once they change."""
    while True:
        changed.clear()
        await asyncio.to_thread(_hosts, estate, folder=folder, demand=demand)
        with suppress(TimeoutError):
            await asyncio.wait_for(changed.wait(), REWRITE_SECONDS)


async def _keep_copying(estate: Estate, *, folder: Path) -> None:
    """Copy again and again; the first copies are told with the records."""
    while True:
        await asyncio.sleep(COPY_SECONDS)
        await asyncio.to_thread(write_copies, estate, folder=folder, now=_now())


def _hosts(estate: Estate, *, folder: Path, demand: Demand) -> list[Path]:
    now = _now()
    return write_hosts(
        estate, folder=folder, day=estate.day_of(now), epoch_seconds=int(now.timestamp()),
        limits=demand.limits,
    )  # fmt: skip


def _now() -> datetime:
    return datetime.now(UTC)


if __name__ == "__main__":
    main()
