"""`keel test`: every check runs, and what failed is listed at the end."""

import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from keelmark.cli.console import err
from keelmark.cli.database import drop_database, ensure_database
from keelmark.config.state import PROJECT

TEMPLATE = "keelmark_template"
PARTS = ("core", "standins", "server", "browser")


def check(arguments: list[str]) -> int:
    """Run all checks, or pytest alone for a part; return the exit code."""
    ensure_database()
    if arguments:
        chosen = [f"tests/{a}" if a in PARTS else a for a in arguments]
        return _run([_tool("pytest"), *chosen])
    failed = []
    _begin_template()
    # As many at once as there are cores; each is told when those before it have been.
    with ThreadPoolExecutor(os.cpu_count() or 1) as threads:
        for name, done in [(n, threads.submit(_checked, c)) for n, c in _commands().items()]:
            code, told, seconds = done.result()
            err.print(f"── {name}")
            err.print(told, end="", markup=False)
            err.print(f"   {seconds:.0f} s")
            failed += [name] if code else []
    begun = time.monotonic()
    err.print("── pytest")
    # One process for the browser, one for all else: together they keep two cores busy.
    if _run([_tool("pytest"), "-n", "2"], KEEL_TEST_TEMPLATE=TEMPLATE) != 0:
        failed.append("pytest")
    err.print(f"   {time.monotonic() - begun:.0f} s")
    err.print(f"Failed: {', '.join(failed)}" if failed else "All checks passed.")
    return 1 if failed else 0


def _begin_template() -> None:
    """Make an empty database that is migrated beside the checks, for all that copy it."""
    drop_database(name=TEMPLATE)
    ensure_database(name=TEMPLATE)


def _commands() -> dict[str, list[str]]:
    npm = ["npm", "--prefix", "web", "run", "--silent"]
    own = [sys.executable, "-m", "keelmark.cli.generated"]
    return {
        "ruff format": [_tool("ruff"), "format", "--check", "."],
        "ruff": [_tool("ruff"), "check", "."],
        "mypy": [_tool("mypy")],
        "database of tests": [sys.executable, "-m", "django", "migrate", "--verbosity", "0"],
        "import contracts": [_tool("lint-imports")],
        "migrations": [sys.executable, "-m", "django", "makemigrations", "--check", "--dry-run"],
        "generated files": [*own, "--check"],
        "prettier": [*npm, "format:check"],
        "eslint": [*npm, "lint"],
        "svelte-check": [*npm, "check"],
        "vitest": [*npm, "test"],
    }


def _checked(command: list[str]) -> tuple[int, str, float]:
    """Return how a check ended, what it told and how long it took."""
    begun = time.monotonic()
    done = subprocess.run(  # noqa: S603  # our own tools
        command, cwd=PROJECT, env=_environment(KEEL_DATABASE=TEMPLATE), check=False, text=True,
        stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
    )  # fmt: skip
    return done.returncode, done.stdout, time.monotonic() - begun


def _run(command: list[str], **more: str) -> int:
    return subprocess.run(  # noqa: S603  # our own tools
        command, cwd=PROJECT, env=_environment(**more), check=False
    ).returncode


def _environment(**more: str) -> dict[str, str]:
    return {**os.environ, "DJANGO_SETTINGS_MODULE": "keelmark.config.settings", **more}


def _tool(name: str) -> str:
    return str(Path(sys.executable).with_name(name))
