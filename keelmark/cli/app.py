"""The commands of `keel`."""

import json
import os
import sys
from pathlib import Path
from typing import Annotated

import typer
from rich.progress import Progress
from rich.table import Table

from keelmark.access.clock import utc_today
from keelmark.cli.console import CommandError, err, out, step, write_line
from keelmark.core.units import format_bytes

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)
SWITCH_SECONDS = 0.0005
BEHIND_PAGES = 5  # niceness: on a full machine a page comes before what is made for later
PERCENT_RANGE = {"min": 1, "max": 100}


@app.command()
def demo(
    port: Annotated[int | None, typer.Option(min=1024, max=65535)] = None,
    size: Annotated[str, typer.Option(help="small or demo")] = "demo",
    fresh: Annotated[bool, typer.Option("--fresh", help="throw away what was loaded")] = False,
) -> None:
    """Start everything with a made-up estate and print where it is."""
    from keelmark.cli.demo import demo as run

    run(port=port, size=size, is_fresh=fresh)


@app.command()
def stop() -> None:
    """End what `keel` started here, and nothing else."""
    from keelmark.cli.database import stop_database
    from keelmark.cli.processes import stop_processes

    n_processes = stop_processes()
    had_database = stop_database()
    told = [f"{n_processes} processes"] if n_processes else []
    told += ["the database"] if had_database else []
    out.print("Ended " + " and ".join(told) + "." if told else "Nothing was running.")


@app.command()
def database(what: Annotated[str, typer.Argument(help="start or stop")]) -> None:
    """Start or stop the project's own PostgreSQL alone."""
    from keelmark.cli.database import ensure_database, stop_database

    if what not in ("start", "stop"):
        raise CommandError(f"“{what}” is neither start nor stop.")
    if what == "start":
        ensure_database()
    else:
        stop_database()


@app.command(context_settings={"allow_extra_args": True, "ignore_unknown_options": True})
def test(context: typer.Context) -> None:
    """Run every check; with arguments, a part: `core`, `server`, `browser` or pytest's own."""
    from keelmark.cli.checks import check

    raise typer.Exit(check(context.args))


@app.command()
def serve(port: Annotated[int | None, typer.Option(min=1024, max=65535)] = None) -> None:
    """Run web server and worker in the foreground; the first time, make the first person."""
    from keelmark.cli.serve import serve as run

    run(port=port)


@app.command()
def work() -> None:
    """Run a further worker in the foreground: collections, forecasts, schedules."""
    from keelmark.cli.database import ensure_database
    from keelmark.cli.django import ready_django
    from keelmark.cli.processes import MARK, prepare_folders, replace_by_service

    if MARK not in os.environ:  # one of a stack waits for the database it was started with
        ensure_database()
        if os.geteuid() == 0:
            prepare_folders()
            replace_by_service([sys.executable, "-m", "keelmark.cli", "work"])
    os.nice(BEHIND_PAGES)
    ready_django()
    from django.core.management import call_command

    from keelmark.readings.partitions import keep_partitions

    keep_partitions(today=utc_today())
    # Readers of far ends wake for every small answer: beside a job that computes they would wait
    # for the interpreter's turn (5 ms) each time, and a collection of 2 s take 20.
    sys.setswitchinterval(SWITCH_SECONDS)
    call_command("procrastinate", "worker", "--concurrency", "3", "--wait")


@app.command()
def standins() -> None:
    """Run the stand-in arrays of the demo in the foreground."""
    from keelmark.cli.processes import prepare_folders, replace_by_service, standins_command
    from keelmark.config.state import load_state

    state = load_state()
    if state is None or state.demo_anchor is None:
        raise CommandError("There is no demo yet: run ./keel demo first.")
    prepare_folders()
    replace_by_service(standins_command(state))


@app.command()
def collect(  # noqa: PLR0917  # typer reads its arguments by name
    urls: Annotated[list[str], typer.Argument(help="the far end; of a cluster, each host")],
    protocol: Annotated[str, typer.Option(help="redfish, libvirt, openmetrics or s3")] = "redfish",
    user: Annotated[str, typer.Option()] = "",
    password_file: Annotated[Path | None, typer.Option(exists=True, dir_okay=False)] = None,
    options: Annotated[str, typer.Option(help="the protocol's own, as JSON")] = "{}",
    as_json: Annotated[bool, typer.Option("--json", help="estate documents as NDJSON")] = False,
) -> None:
    """Collect without a database: a filter from a far end's protocol to documents."""
    from keelmark.cli.django import ready_django

    ready_django()
    from keelmark.estate.documents import to_line
    from keelmark.estate.models import Protocol
    from keelmark.feeds.collectors import collector_of
    from keelmark.feeds.errors import CollectError
    from keelmark.feeds.far_end import FarEnd

    password = password_file.read_text(encoding="utf-8").rstrip("\n") if password_file else ""

    def progress(what: str, n_read: int) -> None:
        if err.is_terminal:
            err.print(f"  {what}, {n_read} read")

    if protocol not in Protocol.values:
        raise CommandError(f"No protocol {protocol}: use one of {', '.join(Protocol.values)}.")
    try:
        told = json.loads(options)
    except ValueError as exc:
        raise CommandError(f"--options is no JSON: {exc}") from exc
    far_end = FarEnd(addresses=tuple(urls), user=user, password=password, options=told)
    try:
        collection = collector_of(Protocol(protocol))(far_end, progress)
    except CollectError as exc:
        raise CommandError(str(exc)) from exc
    for warning in collection.warnings:
        err.print(f"  {warning}")
    if as_json:
        for document in collection.documents:
            write_line(to_line(document))
        return
    kinds = [type(document).__name__.removesuffix("Document") for document in collection.documents]
    for kind in sorted(set(kinds) - {"Complete"}):
        out.print(f"{kinds.count(kind):6} {kind.lower()}")


@app.command("import")
def import_(
    file: Annotated[Path, typer.Argument(exists=True, dir_okay=False)],
    strict: Annotated[bool, typer.Option("--strict", help="one bad line refuses all")] = False,
) -> None:
    """Import an estate file; an import that was broken off goes on where it ended."""
    from keelmark.cli.database import ensure_database
    from keelmark.cli.django import ready_django

    ensure_database()
    ready_django()
    from django.core.management import call_command

    from keelmark.access.errors import RefusalError
    from keelmark.feeds.file_import import import_file
    from keelmark.feeds.models import Run
    from keelmark.readings.partitions import keep_partitions

    def tell(run: Run) -> None:
        if err.is_terminal:
            err.print(f"  {100 * run.bytes_done // max(run.bytes_total, 1)} %", end="\r")

    call_command("migrate", verbosity=0)
    keep_partitions(today=utc_today())
    try:
        with step(f"import of {file.name}"):
            run = import_file(file, is_strict=strict, tell=tell)
    except RefusalError as exc:
        raise CommandError(exc.detail) from exc
    for problem in run.warnings:
        err.print(f"  {problem}")
    out.print(f"{run.n_read} documents, {run.n_readings} readings, {len(run.warnings)} bad lines")


@app.command()
def bench(
    share: Annotated[float, typer.Option(min=0.001, max=1, help="of the large estate")] = 0.1,
    days: Annotated[int, typer.Option(min=2, max=400, help="of history")] = 400,
) -> None:
    """Build the large estate, or a share of it, and print the budgets with what was measured."""
    import subprocess

    from keelmark.config.state import PROJECT

    parts = (["bench.copying"], ["bench.list_read"], ["bench.large", str(share), str(days)])
    for part in parts:
        out.print(f"[bold]{part[0]}[/bold]")
        subprocess.run([sys.executable, "-m", *part], cwd=PROJECT, check=True)  # noqa: S603  # our own module


@app.command()
def trace(
    name: Annotated[str, typer.Argument(help="name or uid of a VM, disk, datastore, volume …")],
    as_json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Print the chain below a thing: disk, datastore, volume, pool, drives, array."""
    from dataclasses import asdict

    from keelmark.cli.database import ensure_database
    from keelmark.cli.django import ready_django

    ensure_database()
    ready_django()
    from keelmark.cli.chain import print_chain
    from keelmark.estate.selectors import known_things, things_ever
    from keelmark.estate.trace import found_of
    from keelmark.estate.trace import trace as chain_of

    found = found_of(known_things(), name=name)
    if not found:
        raise CommandError(f"Nothing is known as “{name}”.")
    chain = chain_of(found[0], seen=things_ever())
    if as_json:
        json.dump(asdict(chain), sys.stdout)
        sys.stdout.write("\n")
        return
    print_chain(chain)
    for other in found[1:]:
        err.print(f"  also called so: {other.kind} {other.uid}")


@app.command()
def forecast(
    file: Annotated[Path, typer.Argument(exists=True, dir_okay=False)],
    *,
    as_json: Annotated[bool, typer.Option("--json")] = False,
    mark: Annotated[int, typer.Option(help="percent of capacity", **PERCENT_RANGE)] = 100,
    horizon: Annotated[int, typer.Option(help="days", min=1, max=3650)] = 730,
    path: Annotated[bool, typer.Option("--path", help="with the demand by day")] = False,
    as_csv: Annotated[bool, typer.Option("--csv", help="a line a series")] = False,
) -> None:
    """Forecast the series of a CSV, packed or not, or Parquet file.

    Its columns are series, date, used_bytes and capacity_bytes.
    """
    from keelmark.cli.forecast_file import forecast_file
    from keelmark.cli.forecast_told import write_csv, write_json

    with Progress(console=err, transient=True) as progress:
        bar = progress.add_task("", total=None)
        results = forecast_file(
            file, mark_percent=mark, horizon_days=horizon, with_path=path,
            tell=lambda what, done, of: progress.update(
                bar, description=what, completed=done, total=of
            ),
        )  # fmt: skip
        if as_json:
            write_json(results, to=sys.stdout)
            return
        if as_csv:
            write_csv(results, to=sys.stdout)
            return
        every = list(results)
    table = Table("series", "as of", "a week", "early", "likely", "late", "", box=None)
    for told in every:
        growth = told["growth_bytes_per_day"]
        dates = [told["exhaustion"][name] or "–" for name in ("early", "likely", "late")]
        week = "–" if growth is None else format_bytes(growth * 7)
        table.add_row(told["series"], told["as_of"] or "–", week, *dates, told.get("reason", ""))
    out.print(table)
