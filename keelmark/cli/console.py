"""What the commands print: steps with their times, and errors without a traceback."""

import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager

from rich.console import Console

out = Console(highlight=False)
err = Console(stderr=True, highlight=False)


class CommandError(Exception):
    """A command cannot go on; the message says what to do."""


@contextmanager
def step(what: str) -> Iterator[None]:
    """Print a step and how long it took."""
    begun = time.monotonic()
    err.print(f"  {what} …", end=" ")
    try:
        yield
    except BaseException:
        err.print("failed")
        raise
    err.print(f"{time.monotonic() - begun:.1f} s")


def write_line(line: bytes) -> None:
    """Write one line of data to standard output."""
    sys.stdout.buffer.write(line + b"\n")
