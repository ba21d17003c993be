"""Sets to which volumes a volume is mirrored: begun and ended by its own actions (SNIA Swordfish).

Volume.AssignReplicaTarget and Volume.RemoveReplicaRelationship name the other volume by where it
stands, at this array or at another. What has come of it is read before anything is sent again.
"""

import asyncio
from collections.abc import Mapping
from typing import Final

from keelmark.feeds.changes.allowed import Values
from keelmark.feeds.changes.writers import Outcome, Sending
from keelmark.feeds.errors import BusyError, NotAsSeenError, NotSettableError, UnreachableError
from keelmark.feeds.far_end import FarEnd
from keelmark.feeds.redfish.client import RedfishReader, Resource
from keelmark.feeds.redfish.resource import dig, far_place, targets_of
from keelmark.feeds.redfish.session import followed, run_sending, session
from keelmark.feeds.redfish.setting import READ_AGAIN_SECONDS, own

ASSIGN, REMOVE = "AssignReplicaTarget", "RemoveReplicaRelationship"
# Both hold the same at any moment, as a mirror of a plan does.
MIRRORED: Final = {"ReplicaType": "Mirror", "ReplicaUpdateMode": "Synchronous"}


def set_mirrors(far_end: FarEnd, sending: Sending) -> Outcome:
    """Have a volume mirrored to exactly these volumes; return what is read back.

    Raise a CollectError: NotAsSeenError where it is mirrored neither as it was seen nor as is
    wanted, NotSettableError where the array lets nobody begin or end mirrors, or where it is not
    known at which place one of the volumes stands.
    """
    return run_sending(_set, far_end, sending)


async def _set(far_end: FarEnd, sending: Sending) -> Outcome:
    if not sending.place:
        raise NotSettableError(why="the array does not know it any more")
    async with session(far_end) as reader:
        if task := sending.progress.get("task"):
            return await _after_task(reader, sending, task=str(task))
        volume = await _own(reader, sending)
        found, wanted = _found(volume, sending, url=reader.base_url), _uids(sending.wanted)
        if found == wanted:
            return Outcome(found={"targets": sorted(found)}, is_so=True, is_sent=False)
        if found != _uids(sending.was):
            raise NotAsSeenError(was=sending.was, found={"targets": sorted(found)})
        for uid in sorted(wanted ^ found):
            action, body = _asked(uid, sending, is_begun=uid in wanted)
            try:
                answered = await reader.change(
                    "POST", _target(volume, action), body=body, is_repeatable=False
                )
            except (BusyError, UnreachableError):
                # It may have been done for all that.
                now = _found(await _own(reader, sending), sending, url=reader.base_url)
                if (uid in now) != (uid in wanted):
                    raise
                continue
            if answered.is_task:
                sending.keep({"task": answered.place})
                return await _after_task(reader, sending, task=answered.place)
        return await _read_back(reader, sending)


def _asked(uid: str, sending: Sending, *, is_begun: bool) -> tuple[str, Resource]:
    where = sending.elsewhere.get(uid)
    if where is None:
        raise NotSettableError(why=f"nobody knows where {uid} stands")
    if is_begun:
        return ASSIGN, {**MIRRORED, "TargetVolume": where}
    return REMOVE, {"TargetVolume": where, "DeleteTargetVolume": False}


async def _after_task(reader: RedfishReader, sending: Sending, *, task: str) -> Outcome:
    end = await followed(reader, task)
    if not end.is_ended:
        sending.keep({"task": task, "percent": end.percent})
        return Outcome(found={}, is_so=False, is_under_way=True)
    sending.keep({})
    return await _read_back(reader, sending, says=end.says)


async def _read_back(reader: RedfishReader, sending: Sending, *, says: str = "") -> Outcome:
    found: frozenset[str] = frozenset()
    for seconds in READ_AGAIN_SECONDS[: 1 if says else None]:
        await asyncio.sleep(seconds)
        volume = await _own(reader, sending)
        found = _found(volume, sending, url=reader.base_url)
        if found == _uids(sending.wanted):
            return Outcome(found={"targets": sorted(found)}, is_so=True)
    return Outcome(found={"targets": sorted(found)}, is_so=False, says=says)


async def _own(reader: RedfishReader, sending: Sending) -> Resource:
    return own(await reader.read(sending.place), sending=sending, url=reader.base_url)


def _found(volume: Resource, sending: Sending, *, url: str) -> frozenset[str]:
    """Return to whom it is mirrored: by worldwide name, or by place where that is not known."""
    names = _names(sending.elsewhere, url=url)
    return frozenset(names.get(place, place) for place in targets_of(volume, url=url) or ())


def _names(elsewhere: Mapping[str, str], *, url: str) -> dict[str, str]:
    return {far_place(where, of=url): uid for uid, where in elsewhere.items()}


def _target(volume: Resource, action: str) -> str:
    target = dig(volume, "Actions", f"#Volume.{action}").get("target")
    if not isinstance(target, str):
        raise NotSettableError(why="the array lets nobody begin or end mirrors of this volume")
    return target


def _uids(values: Values) -> frozenset[str]:
    told = values["targets"]
    return frozenset(told) if isinstance(told, list) else frozenset()
