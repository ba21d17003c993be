"""Sets limits of volumes: on the state that was seen, and read back until it is so.

Limits of a whole volume stand in its maker's own part of the resource, which is written where it
was read (Redfish DSP0266, PATCH with If-Match).
"""

import asyncio
from collections.abc import Collection, Coroutine, Mapping
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

from keelmark.feeds.changes.allowed import Values
from keelmark.feeds.changes.writers import Outcome, Sending
from keelmark.feeds.errors import AnswerError, NotAsSeenError, NotSettableError
from keelmark.feeds.far_end import FarEnd, trust_of
from keelmark.feeds.redfish.client import ROOT, RedfishReader, Resource, open_reader
from keelmark.feeds.redfish.resource import limits_of, link_of, maker_of_limits, path_of, uid_of
from keelmark.feeds.redfish.walk import storages_of

Told = TypeVar("Told")
FIELDS = {"min_iops": "MinimumIOPS", "max_iops": "MaximumIOPS"}
N_ROUNDS = 4  # the state may be another one by the time it is set
READ_AGAIN_SECONDS = (0.0, 0.2, 0.5, 1.0, 2.0, 4.0)


def find_volumes(far_end: FarEnd, uids: Collection[str]) -> Mapping[str, str]:
    """Return where the volumes of these worldwide names stand; who is not found is left out."""
    return _run(_find(far_end, frozenset(uids)))


def set_limits(far_end: FarEnd, sending: Sending) -> Outcome:
    """Set the limits of one volume and return what is read back; raise a CollectError.

    NotAsSeenError where it is neither as it was seen nor as it is wanted: somebody else set it.
    """
    return _run(_set(far_end, sending))


def _run(work: Coroutine[Any, Any, Told]) -> Told:  # Any: what coroutines are made of
    # A thread of its own: whoever asks may have an event loop under way.
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(asyncio.run, work).result()


async def _find(far_end: FarEnd, uids: frozenset[str]) -> Mapping[str, str]:
    found: dict[str, str] = {}
    async with _reader(far_end) as reader:
        root = await reader.read(ROOT)
        for storage in await storages_of(reader, root=root):
            path = link_of(storage, "Volumes")
            for volume in await reader.members(path, is_expanding=True) if path else []:
                uid = uid_of(volume)
                if uid in uids:
                    found[str(uid)] = path_of(volume)
    return found


async def _set(far_end: FarEnd, sending: Sending) -> Outcome:
    async with _reader(far_end) as reader:
        for n_left in reversed(range(N_ROUNDS)):
            volume, version = await reader.read_with_version(sending.place)
            found = _limits(volume, sending=sending, url=reader.base_url)
            if found == sending.wanted:
                return Outcome(found=found, is_sent=False)
            if found != sending.was:
                raise NotAsSeenError(was=sending.was, found=found)
            told = {FIELDS[name]: value for name, value in sending.wanted.items()}
            body: Resource = {"Oem": {maker_of_limits(volume): told}}
            # Some versions move with every counter. Its limits were read as they were seen each
            # time, a moment ago: at last that has to do.
            version = version if n_left else ""
            if await reader.patch(sending.place, body=body, version=version):
                return Outcome(found=await _read_back(reader, sending=sending), is_sent=True)
        raise AnswerError(
            url=reader.base_url, why=f"its state was another one at each of {N_ROUNDS} tries"
        )


async def _read_back(reader: RedfishReader, *, sending: Sending) -> Values:
    """Return the limits once they are as wanted, or what they are after patience is at its end."""
    found: Values = {}
    for seconds in READ_AGAIN_SECONDS:
        await asyncio.sleep(seconds)
        volume = await reader.read(sending.place)
        found = _limits(volume, sending=sending, url=reader.base_url)
        if found == sending.wanted:
            break
    return found


def _limits(volume: Resource, *, sending: Sending, url: str) -> Values:
    if uid_of(volume) not in sending.uids:
        raise AnswerError(url=url, why=f"another volume stands at {sending.place} by now")
    least, most = limits_of(volume)
    if least is None or most is None:
        raise NotSettableError(why="the array tells no limits of this volume, so none can be set")
    return {"min_iops": least, "max_iops": most}


def _reader(far_end: FarEnd) -> Any:  # Any: an asynchronous context of a reader
    return open_reader(
        far_end.address,
        user=far_end.user,
        password=far_end.password,
        back_off_seconds=far_end.back_off_seconds,
        trust=trust_of(far_end),
        timeout_seconds=far_end.timeout_seconds,
        is_guarded=far_end.is_guarded,
    )
