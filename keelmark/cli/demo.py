"""`keel demo`: from nothing to a signed-in planner's first morning."""

import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import httpx

from keelmark.access.clock import utc_today
from keelmark.cli.console import CommandError, err, out, step
from keelmark.cli.database import drop_database, ensure_database, free_port
from keelmark.cli.demo_feeds import (
    ARRAYS,
    make_feeds,
    push_changes,
    record_performance,
    send_quotas,
)
from keelmark.cli.demo_notes import write_notes
from keelmark.cli.demo_plans import TENANT_OPERATOR, plan_ahead
from keelmark.cli.demo_policies import draw_up_policies, draw_up_tiers
from keelmark.cli.django import ready_django
from keelmark.cli.folders import hosts_folder, inbox_folder, set_limits_file
from keelmark.cli.processes import start_processes, stop_processes
from keelmark.config.state import PROJECT, State, save_state, state_folder

PERSON, PASSWORD = "planner", "spring-tide"  # the demo's, printed for all to see
ADMINISTRATOR, OPERATOR = "keeper", "deckhand"
FIRST_WEB_PORT, LAST_WEB_PORT = 8400, 8439
FIRST_STANDIN_PORT, LAST_STANDIN_PORT = 8441, 8999
N_OTHER_PORTS = 2  # the exporter's and the object storage's
FIRST_RUNS_SECONDS = 90.0


def demo(*, port: int | None, size: str, is_fresh: bool) -> None:
    """Bring the demo up; what is there already is kept unless it is to be fresh."""
    if size not in ARRAYS:
        raise CommandError(f"No size {size}: use {' or '.join(ARRAYS)}.")
    begun = time.monotonic()
    stop_processes()
    state = ensure_database()
    if is_fresh or state.demo_size not in (None, size):
        with step("empty database"):
            drop_database(name=state.database_name)
            state.demo_anchor = state.demo_size = None
            state = ensure_database()
            state.demo_anchor = state.demo_size = None
            for left in (inbox_folder() / "records").glob("*.*"):
                left.unlink()  # of another size, perhaps
            set_limits_file().unlink(missing_ok=True)
    _choose_ports(state, port=port, n_ports=len(ARRAYS[size]) + N_OTHER_PORTS)
    ready_django()
    from keelmark.feeds.services.jobs import held_back
    from keelmark.feeds.services.schedule import REFRESH_TASK

    _migrate_and_people()
    # Nothing is forecast of half an estate: it would be made anew at once.
    with held_back(REFRESH_TASK):
        _give_up_left_runs()
        _begin_past(state)
        start_processes(state, standins=True)  # they wake up while the past is brought in
        _history(state, size=size)
        _records(state, size=size)
        _standins(["hosts", "--size", size, "--anchor", str(state.demo_anchor), "--out",
                   str(hosts_folder())])  # fmt: skip
        with step("web server, workers, stand-ins"):
            _wait_for_answer(f"http://127.0.0.1:{state.web_port}/api/v1/session")
        make_feeds(first_port=state.standins_port or FIRST_STANDIN_PORT, size=size)
        is_first = _collections()
    if is_first:
        _first_forecasts()
    write_notes()
    draw_up_policies()
    draw_up_tiers()
    plan_ahead(planner=PERSON, password=PASSWORD)
    record_performance(size=size, anchor=str(state.demo_anchor))
    out.print(f"\n  Keel Mark is at [bold]http://127.0.0.1:{state.web_port}/[/bold]")
    out.print(f"  Sign in as [bold]{PERSON}[/bold] with [bold]{PASSWORD}[/bold]")
    out.print(f"  (People are looked after by [bold]{ADMINISTRATOR}[/bold], limits set by "
              f"[bold]{OPERATOR}[/bold],\n  and [bold]{TENANT_OPERATOR}[/bold] provisions for "
              "Tide Gauges; same password.)")  # fmt: skip
    out.print(f"  Ready in {time.monotonic() - begun:.0f} s. ./keel stop ends it.")


def _choose_ports(state: State, *, port: int | None, n_ports: int) -> None:
    if port is not None:
        if free_port(first=port, last=port) != port:
            raise CommandError(f"Port {port} is taken.")
        state.web_port = port
    else:
        wanted = state.web_port or FIRST_WEB_PORT
        state.web_port = free_port(first=wanted, last=max(LAST_WEB_PORT, wanted))
        if state.web_port != wanted:
            err.print(f"  Port {wanted} is taken: the web server listens on {state.web_port}.")
    state.standins_port = _free_run(state.standins_port or FIRST_STANDIN_PORT, n_ports=n_ports)
    save_state(state)


def _free_run(first: int, *, n_ports: int) -> int:
    """Return the first of n free ports in a row."""
    start = first
    while start < LAST_STANDIN_PORT:
        taken = [p for p in range(start, start + n_ports) if not _is_free(p)]
        if not taken:
            return start
        start = taken[-1] + 1
    raise CommandError("No free ports for the stand-ins.")


def _is_free(port: int) -> bool:
    try:
        free_port(first=port, last=port)
    except CommandError:
        return False
    return True


def _migrate_and_people() -> None:
    from django.core.management import call_command

    from keelmark.access.models import Role
    from keelmark.access.services.people import ensure_person
    from keelmark.readings.partitions import keep_partitions

    with step("tables"):
        call_command("migrate", verbosity=0)
        keep_partitions(today=utc_today())
    ensure_person(name=PERSON, password=PASSWORD, role=Role.PLANNER)
    ensure_person(name=ADMINISTRATOR, password=PASSWORD, role=Role.ADMINISTRATOR)
    ensure_person(name=OPERATOR, password=PASSWORD, role=Role.OPERATOR)


def _give_up_left_runs() -> None:
    """Have runs of processes that were stopped done anew."""
    from keelmark.feeds.models import Run
    from keelmark.feeds.services.schedule import LIVE, sweep_lost

    now = datetime.now(UTC)
    Run.objects.filter(feed__isnull=False, state__in=LIVE).update(beat_at=now - timedelta(hours=1))
    sweep_lost(now=now)


def _begin_past(state: State) -> None:
    """Fix the day that all of the demo hangs on."""
    state.demo_anchor = state.demo_anchor or utc_today().isoformat()
    save_state(state)


def _history(state: State, *, size: str) -> None:
    """Import the history up to yesterday; nothing to do if that is there already."""
    from keelmark.feeds.file_import import import_file

    today = utc_today()
    anchor = date.fromisoformat(str(state.demo_anchor))
    folder = state_folder() / "demo"
    done = folder / f"history-{size}-{today.isoformat()}.imported"
    if state.demo_size and done.exists():
        return
    folder.mkdir(parents=True, exist_ok=True)
    # Of disks, clusters and buckets no feed has told yet: their past waits until one does.
    parts = {"history": True, "measures": False}  # whether each is to be taken strictly
    paths = {what: folder / f"{what}-{size}-{today.isoformat()}.ndjson" for what in parts}
    told = ["--size", size, "--anchor", anchor.isoformat(), "--until",
            (today - timedelta(days=1)).isoformat()]  # fmt: skip
    with ThreadPoolExecutor(len(parts)) as makers:  # one is imported while the other is made
        made = {
            what: makers.submit(_standins, [what, *told, "--out", str(path)])
            for what, path in paths.items()
        }
        for what, is_strict in parts.items():
            with step(f"{what} of 400 days"):
                made[what].result()
            with step(f"import of the {what}"):
                run = import_file(paths[what], is_strict=is_strict, tell=lambda _: None)
            err.print(f"    {run.n_read} documents, {run.n_readings} readings")
            paths[what].unlink()
    state.demo_size = size
    save_state(state)
    done.touch()


def _records(state: State, *, size: str) -> None:
    """Put today's records of the owners into the folder that their feed watches."""
    (inbox_folder() / "quotas").mkdir(parents=True, exist_ok=True)
    folder = inbox_folder() / "records"
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"records-{utc_today().isoformat()}.ndjson"
    if not path.exists():
        _standins(["records", "--size", size, "--anchor", str(state.demo_anchor),
                   "--out", str(path)])  # fmt: skip


def _standins(arguments: list[str]) -> None:
    done = subprocess.run(  # noqa: S603  # our own module
        [sys.executable, "-m", "standins", *arguments],
        cwd=PROJECT, check=False, capture_output=True, text=True,
    )  # fmt: skip
    if done.returncode != 0:
        raise CommandError(f"A stand-in's files could not be made: {done.stderr[-800:]}")


def _collections() -> bool:
    """Queue all feeds; only the first time is there nothing to show until they have ended."""
    from keelmark.estate.services.findings import look_for_findings
    from keelmark.feeds.models import Feed
    from keelmark.feeds.services.schedule import queue_due

    was_collected = Feed.objects.filter(last_good_at__isnull=False).exists()
    Feed.objects.update(next_due_at=None)
    queue_due(now=datetime.now(UTC))
    if was_collected:
        return False
    with step("first collection"):
        _wait_for_runs()
        push_changes(person=PERSON)
        send_quotas()
        _wait_for_runs()
        _wait_for_the_told()
        look_for_findings(at=datetime.now(UTC))
    return True


def _first_forecasts() -> None:
    """Make what the first page shows before it is shown."""
    from keelmark.bearings.packs.building import build_revision
    from keelmark.forecasts.berths.reference import tell_median
    from keelmark.forecasts.making.pools import refresh
    from keelmark.readings.reckoning import reckon_promised

    with step("forecasts"):
        reckon_promised(now=datetime.now(UTC))
        tell_median(now=datetime.now(UTC), is_due=True)
        refresh(now=datetime.now(UTC))
        _forecast_all()
        build_revision(now=datetime.now(UTC))


def _forecast_all() -> None:
    """Make every forecast anew: the first ones were made of what was there so far.

    Disks are most of them and come last; nobody waits for those.
    """
    from keelmark.estate.models import Kind
    from keelmark.forecasts.making.record import tell_record
    from keelmark.forecasts.making.runs import OPEN, plan_forecasts
    from keelmark.forecasts.models import Metric

    tell_record(Kind.POOL, Metric.USED, now=datetime.now(UTC), is_due=True)
    until = time.monotonic() + FIRST_RUNS_SECONDS
    whole = None
    while whole is None or whole.chunks.exclude(kind=Kind.DISK).filter(state__in=OPEN).exists():
        if time.monotonic() > until:
            err.print("some forecasts are still being made")
            break
        whole = whole or plan_forecasts(now=datetime.now(UTC), is_everything=True)
        time.sleep(0.2)
    err.print("    disks are forecast meanwhile")


def _wait_for_runs() -> None:
    from keelmark.feeds.models import Run
    from keelmark.feeds.services.schedule import LIVE

    until = time.monotonic() + FIRST_RUNS_SECONDS
    while Run.objects.filter(feed__isnull=False, state__in=LIVE).exists():
        if time.monotonic() > until:
            err.print("some runs still go on")
            break
        time.sleep(0.2)


def _wait_for_the_told() -> None:
    """Wait until what was told before its things is written: sums are of all parts then."""
    from keelmark.feeds.waiting import overlooked

    until = time.monotonic() + FIRST_RUNS_SECONDS
    while overlooked():
        if time.monotonic() > until:
            err.print("some of the past is written later")
            break
        time.sleep(0.5)


def _wait_for_answer(url: str) -> None:
    until = time.monotonic() + 30
    while time.monotonic() < until:
        try:
            if httpx.get(url, trust_env=False).status_code == httpx.codes.OK:
                return
        except httpx.HTTPError:
            pass
        time.sleep(0.1)
    log = Path(state_folder()) / "run" / "web.log"
    raise CommandError(f"The web server does not answer; its log: {log}")
