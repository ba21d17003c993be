"""A database of their own for measurements, gone afterwards unless another wants it."""

import os
from collections.abc import Iterator
from contextlib import contextmanager

DATABASE = "keelmark_bench"


@contextmanager
def bench_database(*, is_kept: bool = False) -> Iterator[None]:
    """Make the database, load Django upon it, and drop it at the end unless it is kept."""
    from keelmark.cli.database import drop_database, ensure_database

    ensure_database(name=DATABASE)
    os.environ["KEEL_DATABASE"] = DATABASE
    from keelmark.cli.django import ready_django

    ready_django()
    from django.core.management import call_command
    from django.db import connection

    call_command("migrate", verbosity=0)
    try:
        yield
    finally:
        connection.close()
        if not is_kept:
            drop_database(name=DATABASE)
