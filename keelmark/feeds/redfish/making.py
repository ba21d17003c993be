"""Makes volumes and deletes them: once, however often it is begun anew.

Nothing tells a POST that was done from one that was lost (Redfish DSP0266), so it is written down
before it is sent, and looked for by name and by its task before it is sent again.
"""

import asyncio
from collections.abc import Collection, Mapping

from keelmark.access.clock import now
from keelmark.feeds.changes.allowed import Values
from keelmark.feeds.changes.writers import Outcome, Sending
from keelmark.feeds.errors import (
    BusyError,
    MissingError,
    NotAsSeenError,
    NotSettableError,
    RefusedError,
    UnreachableError,
)
from keelmark.feeds.far_end import FarEnd
from keelmark.feeds.redfish.client import ROOT, RedfishReader, Resource
from keelmark.feeds.redfish.resource import dig, link_of, path_of, uid_of
from keelmark.feeds.redfish.session import followed, run, run_sending, running_task, session
from keelmark.feeds.redfish.setting import found_in, own, size_of
from keelmark.feeds.redfish.walk import storages_of

POLICIES = {"thin": "Thin", "thick": "Fixed"}
LOOK_AGAIN_SECONDS = (0.0, 0.5, 1.5)


def find_pools(far_end: FarEnd, uids: Collection[str]) -> Mapping[str, str]:
    """Return where the pools of these worldwide names stand; who is not found is left out."""
    return run(found_in(far_end, frozenset(uids), collection="StoragePools"))


def make_volume(far_end: FarEnd, sending: Sending) -> Outcome:
    """Make one volume on a pool and return what is read of it; raise a CollectError.

    NotSettableError where one of that name stood there before it was asked for.
    """
    return run_sending(_make, far_end, sending)


def delete_volume(far_end: FarEnd, sending: Sending) -> Outcome:
    """Take a volume from all who see it, and delete it; one that is gone already is as wanted.

    NotAsSeenError where its name or size is another one than was seen.
    """
    return run_sending(_delete, far_end, sending)


async def _make(far_end: FarEnd, sending: Sending) -> Outcome:
    if not sending.place:
        raise NotSettableError(why="the array does not know the pool any more")
    progress = dict(sending.progress)
    name = str(sending.wanted["name"])
    async with session(far_end) as reader:
        if task := progress.get("task"):
            return await _after_task(reader, sending, progress=progress, task=str(task))
        standing = await _named(reader, sending.place, name=name)
        if standing is not None:
            if "sent_at" not in progress:
                raise NotSettableError(why=f"a volume {name} stands on the pool already")
            return await _completed(reader, sending, standing=standing, progress=progress)
        if "sent_at" in progress and (task := await running_task(reader, name=name)):
            return await _after_task(reader, sending, progress=progress, task=task)
        return await _posted(reader, sending, name=name)


async def _posted(reader: RedfishReader, sending: Sending, *, name: str) -> Outcome:
    """Send it, once that is written down."""
    progress = dict(sending.progress)
    progress["sent_at"] = now().isoformat()
    sending.keep(progress)
    try:
        answered = await reader.change(
            "POST", await volumes_of(reader, sending.place), is_repeatable=False,
            body={
                "Name": name, "CapacityBytes": sending.wanted["size_bytes"],
                "ProvisioningPolicy": POLICIES[str(sending.wanted["thickness"])],
                "CapacitySources": [{"ProvidingPools": [{"@odata.id": sending.place}]}],
            },
        )  # fmt: skip
    except (BusyError, UnreachableError):
        # It may have been done for all that.
        standing = await _named(reader, sending.place, name=name)
        if standing is None:
            raise
        return _made(standing, sending)
    except RefusedError:
        if "sent_at" not in sending.progress:  # else an earlier one may have been done
            sending.keep({})
        raise
    if answered.is_task:
        progress["task"] = answered.place
        sending.keep(progress)
        return await _after_task(reader, sending, progress=progress, task=answered.place)
    return await _looked_for(reader, sending, says="")


async def _completed(
    reader: RedfishReader, sending: Sending, *, standing: Resource, progress: dict[str, object]
) -> Outcome:
    """Grow what an earlier try has left half made."""
    told = _made(standing, sending)
    if told.is_so:
        return told
    body = {"CapacityBytes": sending.wanted["size_bytes"]}
    answered = await reader.change("PATCH", path_of(standing), body=body)
    if answered.is_task:
        sending.keep({**progress, "task": answered.place})
        return await _after_task(reader, sending, progress=progress, task=answered.place)
    return await _looked_for(reader, sending, says="")


async def _after_task(
    reader: RedfishReader, sending: Sending, *, progress: dict[str, object], task: str
) -> Outcome:
    end = await followed(reader, task)
    if not end.is_ended:
        sending.keep({**progress, "task": task, "percent": end.percent})
        return Outcome(found={}, is_so=False, is_under_way=True)
    sending.keep({name: told for name, told in progress.items() if name == "sent_at"})
    return await _looked_for(reader, sending, says=end.says)


async def _looked_for(reader: RedfishReader, sending: Sending, *, says: str) -> Outcome:
    """Return what is read of the volume; it stands in the list of its pool a moment later."""
    for seconds in LOOK_AGAIN_SECONDS:
        await asyncio.sleep(seconds)
        standing = await _named(reader, sending.place, name=str(sending.wanted["name"]))
        if standing is not None:
            return _made(standing, sending, says=says)
    return Outcome(found={}, is_so=False, says=says or "no volume of this name stands on the pool")


def _made(volume: Resource, sending: Sending, *, says: str = "") -> Outcome:
    size = size_of(volume)
    found: Values = {
        "name": str(volume.get("Name") or ""), "size_bytes": size, "uid": uid_of(volume) or "",
    }  # fmt: skip
    is_so = size >= int(str(sending.wanted["size_bytes"]))
    return Outcome(found=found, is_so=is_so, says="" if is_so else says)


async def _named(reader: RedfishReader, pool_path: str, *, name: str) -> Resource | None:
    """Return the volume of a name on a pool."""
    listed = link_of(await reader.read(pool_path), "AllocatedVolumes")
    volumes = await reader.members(listed, is_expanding=True) if listed else []
    return next((one for one in volumes if one.get("Name") == name), None)


async def volumes_of(reader: RedfishReader, pool_path: str) -> str:
    """Return where volumes of a pool are made: the collection of the storage that it is of.

    Raise NotSettableError where the array tells of none.
    """
    for storage in await storages_of(reader, root=await reader.read(ROOT)):
        pools, volumes = link_of(storage, "StoragePools"), link_of(storage, "Volumes")
        if pools and volumes and pool_path.startswith(f"{pools.rstrip('/')}/"):
            return volumes
    raise NotSettableError(why="the array tells no place where volumes of this pool are made")


async def _delete(far_end: FarEnd, sending: Sending) -> Outcome:
    gone = Outcome(found={}, is_so=True)
    if not sending.place:
        if "sent_at" in sending.progress:
            return gone
        raise NotSettableError(why="the array does not know it any more")
    async with session(far_end) as reader:
        if task := sending.progress.get("task"):
            return await _after_deletion(reader, sending, task=str(task))
        try:
            volume = own(await reader.read(sending.place), sending=sending, url=reader.base_url)
        except MissingError:
            return gone
        found: Values = {"name": str(volume.get("Name") or ""), "size_bytes": size_of(volume)}
        if found != sending.was:
            raise NotAsSeenError(was=sending.was, found=found)
        sending.keep({"sent_at": now().isoformat()})
        if dig(volume, "Links").get("ClientEndpoints"):
            nobody: Resource = {"Links": {"ClientEndpoints": []}}
            await reader.change("PATCH", sending.place, body=nobody)
        try:
            answered = await reader.change("DELETE", sending.place)
        except RefusedError as exc:
            if exc.status not in (404, 410):  # it went with the lost answer
                raise
            return gone
        if answered.is_task:
            sending.keep({"sent_at": now().isoformat(), "task": answered.place})
            return await _after_deletion(reader, sending, task=answered.place)
        return await _after_deletion(reader, sending, task="")


async def _after_deletion(reader: RedfishReader, sending: Sending, *, task: str) -> Outcome:
    says = ""
    if task:
        end = await followed(reader, task)
        if not end.is_ended:
            sending.keep({**sending.progress, "task": task, "percent": end.percent})
            return Outcome(found={}, is_so=False, is_under_way=True)
        says = end.says
        sending.keep({"sent_at": now().isoformat()})
    try:
        volume = await reader.read(sending.place)
    except MissingError:
        return Outcome(found={}, is_so=True)
    if uid_of(volume) not in sending.uids:
        return Outcome(found={}, is_so=True)
    found: Values = {"name": str(volume.get("Name") or ""), "size_bytes": size_of(volume)}
    return Outcome(found=found, is_so=False, says=says or "it stands there still")
