"""Sessions of one piece of work each, and the tasks that far ends tell of."""

import asyncio
import re
from collections.abc import Callable, Coroutine
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import AbstractAsyncContextManager
from dataclasses import dataclass, replace
from queue import Queue
from typing import Any, Final, TypeVar

from keelmark.feeds.changes.writers import Progress, Sending
from keelmark.feeds.errors import MissingError
from keelmark.feeds.far_end import FarEnd, trust_of
from keelmark.feeds.redfish.client import ROOT, RedfishReader, Resource, open_reader
from keelmark.feeds.redfish.resource import dig, link_of

Told = TypeVar("Told")
# DSP2046, Task: what comes to no end by itself any more.
_ENDED: Final = frozenset({"Completed", "Exception", "Killed", "Cancelled"})
_LOOK_SECONDS: Final = (0.0, 0.3, 0.7, 1.5, 2.5)
MAX_SAID: Final = 300


@dataclass(frozen=True, slots=True, kw_only=True)
class TaskEnd:
    """How a task stands: under way, or ended well or not, and what it says of itself."""

    is_ended: bool
    is_well: bool = False
    percent: int | None = None
    says: str = ""
    made: str = ""  # the path of what it made


def run(work: Coroutine[Any, Any, Told]) -> Told:  # Any: what coroutines are made of
    """Run a piece of work to its end in a thread of its own: who asks may have a loop under way."""
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(asyncio.run, work).result()


def run_sending(
    work: Callable[[FarEnd, Sending], Coroutine[Any, Any, Told]], far_end: FarEnd, sending: Sending
) -> Told:  # Any: what coroutines are made of
    """Run what sends; what it keeps is kept in the thread that asked, whose connection that is."""
    asked: Queue[tuple[Progress, Future[None]] | None] = Queue()

    def keep(progress: Progress) -> None:
        kept: Future[None] = Future()
        asked.put((progress, kept))
        kept.result()

    with ThreadPoolExecutor(1) as thread:
        done = thread.submit(asyncio.run, work(far_end, replace(sending, keep=keep)))
        done.add_done_callback(lambda _: asked.put(None))
        while (one := asked.get()) is not None:
            progress, kept = one
            try:
                sending.keep(progress)
            except Exception as exc:  # it is told to who asked
                kept.set_exception(exc)
            else:
                kept.set_result(None)
        return done.result()


def session(far_end: FarEnd) -> AbstractAsyncContextManager[RedfishReader]:
    """Return a session at a far end."""
    return open_reader(
        far_end.address,
        user=far_end.user,
        password=far_end.password,
        back_off_seconds=far_end.back_off_seconds,
        trust=trust_of(far_end),
        timeout_seconds=far_end.timeout_seconds,
        is_guarded=far_end.is_guarded,
    )


async def followed(reader: RedfishReader, place: str) -> TaskEnd:
    """Look at a task for a few seconds; one that is forgotten has ended, nobody knows how."""
    told = TaskEnd(is_ended=False)
    for seconds in _LOOK_SECONDS:
        await asyncio.sleep(seconds)
        try:
            told = _end_of(await reader.read(place))
        except MissingError:
            return TaskEnd(is_ended=True, says="the array has forgotten the task")
        if told.is_ended:
            break
    return told


async def running_task(reader: RedfishReader, *, name: str) -> str:
    """Return where a task stands that is under way and names something, empty where none does."""
    service = link_of(await reader.read(ROOT), "Tasks")
    tasks = link_of(await reader.read(service), "Tasks") if service else None
    for task in await reader.members(tasks, is_expanding=False) if tasks else []:
        if not _end_of(task).is_ended and names_it(str(task.get("Name")), name):
            return str(task.get("@odata.id"))
    return ""


def names_it(words: str, name: str) -> bool:
    """Whether words have a name as a whole: sonar-1 is not named by sonar-10."""
    return re.search(rf"(?<![\w.-]){re.escape(name)}(?![\w.-])", words) is not None


def _end_of(task: Resource) -> TaskEnd:
    state, percent = str(task.get("TaskState")), task.get("PercentComplete")
    messages = task.get("Messages")
    said = [
        str(one.get("Message"))
        for one in (messages if isinstance(messages, list) else [])
        if isinstance(one, dict) and one.get("Message")
    ]
    created = dig(task, "Links").get("CreatedResources")
    first = created[0] if isinstance(created, list) and created else {}
    return TaskEnd(
        is_ended=state in _ENDED, is_well=state == "Completed",
        percent=percent if isinstance(percent, int) and not isinstance(percent, bool) else None,
        says="; ".join(said)[:MAX_SAID] or ("" if state == "Completed" else state.lower()),
        made=str(first.get("@odata.id") or "") if isinstance(first, dict) else "",
    )  # fmt: skip
