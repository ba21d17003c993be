"""Queues jobs in the transaction that asks for them, whoever asks.

A worker's own connector is another connection: what it queues is seen, and may be done, before
the rows that it is about are committed. So jobs are queued through Django's connection always.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from typing import Any

import structlog
from django.db import transaction
from procrastinate import App
from procrastinate.contrib.django.django_connector import DjangoConnector
from procrastinate.exceptions import AlreadyEnqueued

log = structlog.get_logger()


@cache
def _queue() -> App:
    return App(connector=DjangoConnector())


FIRST = 10  # the priority of what somebody waits for


def defer(
    task: str,
    *,
    lock: str | None = None,
    queueing_lock: str | None = None,
    priority: int | None = None,
    **arguments: Any,
) -> None:  # Any: JSON, the task's own
    """Queue a job by its task's name; raise AlreadyEnqueued where its queueing lock is taken."""
    queued = _queue().configure_task(
        task, lock=lock, queueing_lock=queueing_lock, priority=priority
    )
    queued.defer(**arguments)


def ask_once(
    task: str, *, of: str = "", priority: int | None = None, **arguments: Any
) -> None:  # Any: JSON, the task's own
    """Queue a job unless one of it is queued already; one of them runs at a time."""
    key = of or task
    try:
        with transaction.atomic():
            defer(task, queueing_lock=key, lock=key, priority=priority, **arguments)
    except AlreadyEnqueued:
        log.debug("asked_already", task=key)


@contextmanager
def held_back(task: str) -> Iterator[None]:
    """Have nobody queue a task meanwhile: a job far off holds its queueing lock."""
    job_id = None
    try:
        later = _queue().configure_task(task, queueing_lock=task, schedule_in={"hours": 1})
        job_id = later.defer()
    except AlreadyEnqueued:
        pass  # one is queued; it runs once, and others are queued after it
    try:
        yield
    finally:
        if job_id is not None:
            _queue().job_manager.cancel_job_by_id(job_id, delete_job=True)
