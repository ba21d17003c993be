"""Sets what can be set of volumes: on the state that was seen, and read back until it is so.

Limits of a whole volume stand in its maker's own part of the resource, which is written where it
was read (Redfish DSP0266, PATCH with If-Match); size, name and who sees it are the volume's own.
"""

import asyncio
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from functools import partial

from keelmark.feeds.changes.allowed import Values
from keelmark.feeds.changes.writers import Outcome, Sending
from keelmark.feeds.errors import AnswerError, NotAsSeenError, NotSettableError
from keelmark.feeds.far_end import FarEnd
from keelmark.feeds.redfish.client import ROOT, RedfishReader, Resource
from keelmark.feeds.redfish.resource import (
    amount_in,
    dig,
    limits_of,
    link_of,
    maker_of_limits,
    path_of,
    uid_of,
)
from keelmark.feeds.redfish.session import followed, run, run_sending, session
from keelmark.feeds.redfish.walk import storages_of

FIELDS = {"min_iops": "MinimumIOPS", "max_iops": "MaximumIOPS"}
N_ROUNDS = 4  # the state may be another one by the time it is set
READ_AGAIN_SECONDS = (0.0, 0.2, 0.5, 1.0, 2.0, 4.0)
Ends = dict[str, str]  # worldwide names of the ports of hosts, by path


@dataclass(frozen=True, slots=True, kw_only=True)
class _Aspect:
    """What of a volume is set: how it is read, how it is told, and when it is as wanted."""

    read: Callable[[Resource, Ends], Values]
    body: Callable[[Resource, Values, Ends], Resource]
    is_so: Callable[[Values, Values], bool] = lambda found, wanted: found == wanted
    wants_ends: bool = False


def find_volumes(far_end: FarEnd, uids: Collection[str]) -> Mapping[str, str]:
    """Return where the volumes of these worldwide names stand; who is not found is left out."""
    return run(found_in(far_end, frozenset(uids), collection="Volumes"))


def set_limits(far_end: FarEnd, sending: Sending) -> Outcome:
    """Set the limits of one volume and return what is read back; raise a CollectError.

    NotAsSeenError where it is neither as it was seen nor as it is wanted: somebody else set it.
    """
    return run_sending(partial(_set, aspect=_LIMITS), far_end, sending)


def set_size(far_end: FarEnd, sending: Sending) -> Outcome:
    """Grow one volume, at least to what is wanted: arrays round up. As for limits."""
    return run_sending(partial(_set, aspect=_SIZE), far_end, sending)


def set_name(far_end: FarEnd, sending: Sending) -> Outcome:
    """Rename one volume. As for limits."""
    return run_sending(partial(_set, aspect=_NAME), far_end, sending)


def set_ends(far_end: FarEnd, sending: Sending) -> Outcome:
    """Have exactly these ports of hosts see one volume. As for limits."""
    return run_sending(partial(_set, aspect=_ENDS), far_end, sending)


async def found_in(far_end: FarEnd, uids: frozenset[str], *, collection: str) -> Mapping[str, str]:
    """Return where in a collection of each storage things of these worldwide names stand."""
    found: dict[str, str] = {}
    async with session(far_end) as reader:
        root = await reader.read(ROOT)
        for storage in await storages_of(reader, root=root):
            path = link_of(storage, collection)
            for one in await reader.members(path, is_expanding=True) if path else []:
                uid = uid_of(one)
                if uid in uids:
                    found[str(uid)] = path_of(one)
    return found


async def _set(far_end: FarEnd, sending: Sending, *, aspect: _Aspect) -> Outcome:
    if not sending.place:
        raise NotSettableError(why="the array does not know it any more")
    async with session(far_end) as reader:
        ends = await ends_of(reader) if aspect.wants_ends else {}
        if task := sending.progress.get("task"):
            return await _after_task(reader, sending, aspect, ends=ends, task=str(task))
        for n_left in reversed(range(N_ROUNDS)):
            volume, version = await reader.read_with_version(sending.place)
            found = aspect.read(own(volume, sending=sending, url=reader.base_url), ends)
            if aspect.is_so(found, sending.wanted):
                return Outcome(found=found, is_so=True, is_sent=False)
            if found != sending.was:
                raise NotAsSeenError(was=sending.was, found=found)
            # Some versions move with every counter. It was read as it was seen each time, a
            # moment ago: at last that has to do.
            answered = await reader.change(
                "PATCH", sending.place, body=aspect.body(volume, sending.wanted, ends),
                version=version if n_left else "",
            )  # fmt: skip
            if answered.is_task:
                sending.keep({"task": answered.place})
                return await _after_task(reader, sending, aspect, ends=ends, task=answered.place)
            if answered.is_of_version:
                return await _read_back(reader, sending, aspect, ends=ends)
        raise AnswerError(
            url=reader.base_url, why=f"its state was another one at each of {N_ROUNDS} tries"
        )


async def _after_task(
    reader: RedfishReader, sending: Sending, aspect: _Aspect, *, ends: Ends, task: str
) -> Outcome:
    end = await followed(reader, task)
    if not end.is_ended:
        sending.keep({"task": task, "percent": end.percent})
        return Outcome(found={}, is_so=False, is_under_way=True)
    sending.keep({})
    return await _read_back(reader, sending, aspect, ends=ends, says=end.says)


async def _read_back(
    reader: RedfishReader, sending: Sending, aspect: _Aspect, *, ends: Ends, says: str = ""
) -> Outcome:
    """Return what it is once it is as wanted, or what it is after patience is at its end."""
    found: Values = {}
    for seconds in READ_AGAIN_SECONDS[: 1 if says else None]:
        await asyncio.sleep(seconds)
        volume = await reader.read(sending.place)
        found = aspect.read(own(volume, sending=sending, url=reader.base_url), ends)
        if aspect.is_so(found, sending.wanted):
            return Outcome(found=found, is_so=True)
    return Outcome(found=found, is_so=False, says=says)


async def ends_of(reader: RedfishReader) -> Ends:
    """Return the ports of hosts that an array knows: worldwide name by path."""
    fabrics = link_of(await reader.read(ROOT), "Fabrics")
    found: Ends = {}
    for fabric in await reader.members(fabrics, is_expanding=False) if fabrics else []:
        listed = link_of(fabric, "Endpoints")
        for end in await reader.members(listed, is_expanding=True) if listed else []:
            found[path_of(end)] = uid_of(end) or path_of(end)
    return found


def own(volume: Resource, *, sending: Sending, url: str) -> Resource:
    """Return a volume that is the one which is meant; raise AnswerError where it is another."""
    if uid_of(volume) not in sending.uids:
        raise AnswerError(url=url, why=f"another volume stands at {sending.place} by now")
    return volume


def size_of(volume: Resource) -> int:
    """Return the size of a volume; raise NotSettableError where it tells none."""
    size, _ = amount_in(volume, "CapacityBytes")
    if size is None:
        raise NotSettableError(why="the array tells no size of this volume")
    return size


def _limits(volume: Resource, _: Ends) -> Values:
    least, most = limits_of(volume)
    if least is None or most is None:
        raise NotSettableError(why="the array tells no limits of this volume, so none can be set")
    return {"min_iops": least, "max_iops": most}


def _limits_body(volume: Resource, wanted: Values, _: Ends) -> Resource:
    told = {FIELDS[name]: value for name, value in wanted.items()}
    return {"Oem": {maker_of_limits(volume): told}}


def _seen_by(volume: Resource, ends: Ends) -> Values:
    links = dig(volume, "Links").get("ClientEndpoints")
    paths = [path_of(one) for one in links or [] if isinstance(one, dict)]
    return {"ends": sorted(ends.get(path, path) for path in paths)}


def _ends_body(_: Resource, wanted: Values, ends: Ends) -> Resource:
    paths = {uid: path for path, uid in ends.items()}
    names = [str(one) for one in wanted["ends"]] if isinstance(wanted["ends"], list) else []
    unknown = [one for one in names if one not in paths]
    if unknown:
        raise NotSettableError(
            why=f"no host has come to the array from {', '.join(unknown[:3])}"
            f"{f' and {len(unknown) - 3} more' if len(unknown) > 3 else ''}"  # noqa: PLR2004
        )
    return {"Links": {"ClientEndpoints": [{"@odata.id": paths[one]} for one in names]}}


_LIMITS = _Aspect(read=_limits, body=_limits_body)
_SIZE = _Aspect(
    read=lambda volume, _: {"size_bytes": size_of(volume)},
    body=lambda _, wanted, __: {"CapacityBytes": wanted["size_bytes"]},
    is_so=lambda found, wanted: int(str(found["size_bytes"])) >= int(str(wanted["size_bytes"])),
)
_NAME = _Aspect(
    read=lambda volume, _: {"name": str(volume.get("Name") or "")},
    body=lambda _, wanted, __: {"Name": wanted["name"]},
)
_ENDS = _Aspect(
    read=_seen_by, body=_ends_body, wants_ends=True,
    is_so=lambda found, wanted: set(found["ends"]) == set(wanted["ends"]),  # type: ignore[arg-type]
)  # fmt: skip
