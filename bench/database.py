"""A database of their own for measurements, gone afterwards unless another wants it."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime

from bench.sizes import IS_TINY

DATABASE = "keelmark_bench"


@contextmanager
def bench_database(*, is_kept: bool = False, is_fresh: bool = True) -> Iterator[None]:
    """Make the database anew, or take the kept one; drop it at the end unless it is kept.

    At the tiny size it is emptied instead, for making takes longer than what is shown.
    """
    from keelmark.cli.database import drop_database, ensure_database

    if is_fresh and not IS_TINY:
        ensure_database()
        drop_database(name=DATABASE)
    ensure_database(name=DATABASE, template=os.environ.get("KEEL_TEST_TEMPLATE"))
    os.environ["KEEL_DATABASE"] = DATABASE
    from keelmark.cli.django import ready_django

    ready_django()
    from django.core.management import call_command
    from django.db import connection

    from keelmark.readings.partitions import keep_partitions

    call_command("migrate", verbosity=0)
    if is_fresh and IS_TINY:
        call_command("flush", verbosity=0, interactive=False)
    keep_partitions(today=datetime.now(UTC).date())  # as a worker does when it begins
    try:
        yield
    finally:
        connection.close()
        if not is_kept and not IS_TINY:
            drop_database(name=DATABASE)
