"""Queues jobs in the transaction that asks for them, whoever asks.

A worker's own connector is another connection: what it queues is seen, and may be done, before
the rows that it is about are committed. So jobs are queued through Django's connection always.
"""

from functools import cache
from typing import Any

from procrastinate import App
from procrastinate.contrib.django.django_connector import DjangoConnector


@cache
def _queue() -> App:
    return App(connector=DjangoConnector())


def defer(
    task: str, *, lock: str | None = None, queueing_lock: str | None = None, **arguments: Any
) -> None:  # Any: JSON, the task's own
    """Queue a job by its task's name; raise AlreadyEnqueued where its queueing lock is taken."""
    _queue().configure_task(task, lock=lock, queueing_lock=queueing_lock).defer(**arguments)
