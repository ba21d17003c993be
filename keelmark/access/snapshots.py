"""Reads that belong together and see the database as it stood at one moment."""

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection, transaction

AS_OF_ONE_MOMENT = "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY"


@contextmanager
def one_moment() -> Iterator[None]:
    """Whatever is read inside is of one moment; nothing can be written.

    Inside a transaction that has begun already its own rules stay.
    """
    if connection.in_atomic_block:
        yield
        return
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute(AS_OF_ONE_MOMENT)
        yield
