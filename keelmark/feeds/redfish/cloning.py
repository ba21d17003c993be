"""Makes space-sharing clones of a volume: each once, however often it is begun anew.

A clone is a volume that is made with what it is a replica of (SNIA Swordfish, Volume.ReplicaInfo).
As nothing tells a POST that was done from one that was lost, each name is written down before it
is sent, and looked for before it is sent again.
"""

from keelmark.feeds.changes.allowed import Values
from keelmark.feeds.changes.writers import Outcome, Sending
from keelmark.feeds.errors import NotAsSeenError, NotSettableError
from keelmark.feeds.far_end import FarEnd
from keelmark.feeds.redfish.client import RedfishReader, Resource
from keelmark.feeds.redfish.making import volumes_of
from keelmark.feeds.redfish.resource import link_of, uid_of
from keelmark.feeds.redfish.session import followed, run_sending, running_task, session
from keelmark.feeds.redfish.setting import own, size_of


def make_clones(far_end: FarEnd, sending: Sending) -> Outcome:
    """Make clones of one volume by their names; raise a CollectError.

    NotAsSeenError where the volume is another one than was seen, NotSettableError where a volume
    of such a name stood there before it was asked for.
    """
    return run_sending(_clone, far_end, sending)


async def _clone(far_end: FarEnd, sending: Sending) -> Outcome:
    if not sending.place:
        raise NotSettableError(why="the array does not know the volume any more")
    names = [str(one) for one in _list(sending.wanted["names"])]
    async with session(far_end) as reader:
        source = own(await reader.read(sending.place), sending=sending, url=reader.base_url)
        seen: Values = {"name": str(source.get("Name") or ""), "size_bytes": size_of(source)}
        if seen != sending.was:
            raise NotAsSeenError(was=sending.was, found=seen)
        pool = _pool_of(source)
        making = _Making(reader, sending, pool=pool, volumes=await volumes_of(reader, pool))
        says = ""
        for name in names:
            says = await making.made(name) or says
            if making.is_under_way:
                return Outcome(found={}, is_so=False, is_under_way=True)
        standing = await making.standing()
        found: Values = {
            "names": [one for one in names if one in standing],
            "uids": [uid_of(standing[one]) or "" for one in names if one in standing],
        }
        return Outcome(found=found, is_so=found["names"] == names, says=says)


class _Making:
    """Clones as they are made, one after the other."""

    def __init__(self, reader: RedfishReader, sending: Sending, *, pool: str, volumes: str) -> None:
        self.reader, self.sending = reader, sending
        self.pool, self.volumes = pool, volumes
        self.progress = dict(sending.progress)
        self.is_under_way = False

    @property
    def sent(self) -> list[str]:
        """The names that were sent, done or not."""
        return [str(one) for one in _list(self.progress.get("sent", []))]

    async def standing(self) -> dict[str, Resource]:
        """Return the volumes of the pool by name."""
        listed = link_of(await self.reader.read(self.pool), "AllocatedVolumes")
        members = await self.reader.members(listed, is_expanding=True) if listed else []
        return {str(one.get("Name")): one for one in members}

    async def made(self, name: str) -> str:
        """Make one unless it stands there of ours; return what the array says of it."""
        if task := self.progress.pop("task", None):
            if says := await self._after(str(task)):
                return says
            if self.is_under_way:
                return ""
        if name in await self.standing():
            if name not in self.sent:
                raise NotSettableError(why=f"a volume {name} stands on the pool already")
            return ""
        if name in self.sent and (task := await running_task(self.reader, name=name)):
            return await self._after(task)
        if name not in self.sent:
            self._keep(sent=[*self.sent, name])
        answered = await self.reader.change(
            "POST", self.volumes, is_repeatable=False,
            body={
                "Name": name,
                "ReplicaInfo": {
                    "ReplicaType": "Clone", "Replica": {"@odata.id": self.sending.place},
                },
            },
        )  # fmt: skip
        return await self._after(answered.place) if answered.is_task else ""

    async def _after(self, task: str) -> str:
        end = await followed(self.reader, task)
        if not end.is_ended:
            self.is_under_way = True
            self._keep(task=task, percent=end.percent)
            return ""
        return end.says

    def _keep(self, **told: object) -> None:
        self.progress |= told
        self.sending.keep(dict(self.progress))


def _pool_of(volume: Resource) -> str:
    """The path of the pool that a volume is cut from."""
    for one in _list(volume.get("CapacitySources")):
        pools = one.get("ProvidingPools") if isinstance(one, dict) else None
        first = pools[0] if isinstance(pools, list) and pools else pools
        path = first.get("@odata.id") if isinstance(first, dict) else None
        if isinstance(path, str):
            return path
    raise NotSettableError(why="the array does not tell from which pool the volume is cut")


def _list(told: object) -> list[object]:
    return told if isinstance(told, list) else []
