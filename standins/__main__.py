"""`python -m standins serve|history …`: run the arrays, or write their history."""

import argparse
import asyncio
import sys
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import uvicorn

from standins.estate import Estate, make_estate
from standins.estate_file import write_history
from standins.redfish.service import Service

USER, PASSWORD = "planner-ro", "low-water"  # a stand-in's, printed by the demo


def main() -> None:
    """Read the arguments and do the one or the other."""
    parser = argparse.ArgumentParser(prog="standins", description=__doc__)
    parser.add_argument("what", choices=["serve", "history"])
    parser.add_argument("--size", choices=["small", "demo"], default="demo")
    parser.add_argument("--anchor", type=date.fromisoformat, required=True)
    parser.add_argument("--port", type=int, default=8441, help="of the first array")
    parser.add_argument("--until", type=date.fromisoformat, help="last day of the history")
    parser.add_argument("--out", type=Path)
    arguments = parser.parse_args()
    estate = make_estate(size=arguments.size, anchor_on=arguments.anchor)
    if arguments.what == "history":
        until = arguments.until or arguments.anchor - timedelta(days=1)
        n_lines = write_history(estate, path=arguments.out, until=until)
        sys.stdout.write(f"{n_lines} lines\n")
        return
    asyncio.run(_serve(estate, first_port=arguments.port))


async def _serve(estate: Estate, *, first_port: int) -> None:
    servers = []
    for offset, array in enumerate(estate.arrays):
        service = Service(
            estate, array=array, user=USER, password=PASSWORD, now=lambda: datetime.now(UTC)
        )
        config = uvicorn.Config(
            service.app(), host="127.0.0.1", port=first_port + offset, log_level="warning",
            date_header=False,
        )  # fmt: skip
        servers.append(uvicorn.Server(config))
        sys.stdout.write(f"{array.name} http://127.0.0.1:{first_port + offset}\n")
    sys.stdout.flush()
    await asyncio.gather(*(server.serve() for server in servers))


if __name__ == "__main__":
    main()
