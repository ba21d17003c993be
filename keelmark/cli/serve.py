"""`keel serve`: an installation without made-up data, from an empty folder on."""

import os
import sys

import typer

from keelmark.access.clock import utc_today
from keelmark.cli.console import CommandError, err, out, step
from keelmark.cli.database import ensure_database, free_port
from keelmark.cli.django import ready_django
from keelmark.cli.processes import run_in_foreground
from keelmark.config.state import save_state

FIRST_PORT, LAST_PORT = 8400, 8439
NAME, PASSWORD = "KEEL_FIRST_PERSON", "KEEL_FIRST_PASSWORD"  # names of variables


def serve(*, port: int | None) -> None:
    """Bring database, web server and worker up in the foreground."""
    state = ensure_database()
    ready_django()
    from django.core.management import call_command

    from keelmark.readings.partitions import keep_partitions

    with step("tables"):
        call_command("migrate", verbosity=0)
        keep_partitions(today=utc_today())
    _first_person()
    wanted = port or state.web_port or FIRST_PORT
    state.web_port = free_port(first=wanted, last=wanted if port else max(LAST_PORT, wanted))
    save_state(state)
    out.print(
        f"\n  Keel Mark is at [bold]http://127.0.0.1:{state.web_port}/[/bold] (Ctrl+C ends it)"
    )
    sys.stdout.flush()
    run_in_foreground(state)


def _first_person() -> None:
    """Make the first administrator, of variables or at the prompt, where nobody is known."""
    from django.contrib.auth.models import User

    from keelmark.access.errors import RefusalError
    from keelmark.access.services.people import first_person

    if User.objects.exists():
        return
    name, password = os.environ.pop(NAME, ""), os.environ.pop(PASSWORD, "")
    if not name and not sys.stdin.isatty():
        raise CommandError(
            f"Nobody may sign in yet. Set {NAME} and {PASSWORD} for the first administrator, "
            "or run this at a terminal."
        )
    is_asked = not name
    while True:
        if is_asked:
            err.print("  Nobody may sign in yet: this makes the first administrator.")
            name = typer.prompt("  Name", err=True)
            password = typer.prompt(
                "  Password", err=True, hide_input=True, confirmation_prompt=True
            )
        try:
            first_person(name=name, password=password)
        except RefusalError as exc:
            if not is_asked:
                raise CommandError(f"The first administrator: {exc.detail}") from exc
            err.print(f"  {exc.detail}")
            continue
        return
