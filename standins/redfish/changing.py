"""Volumes of one array made, grown, renamed, mapped and deleted, at once or as tasks."""

import hashlib
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from standins.arrays import EXTENT_BYTES, Pool, Volume
from standins.redfish.ground import Ground
from standins.redfish.shapes import ROOT, Resource, link, typed

TASKS = f"{ROOT}/TaskService/Tasks"
MOST_NAME = 64
MOST_BYTES = 2**60
CREATABLE = ("Name", "CapacityBytes", "CapacitySources")
CHANGEABLE = ("Name", "CapacityBytes", "Links")


class RefusalError(Exception):
    """What the array will not do: with the status, the code and the words of its answer."""

    def __init__(self, status: int, *, code: str, text: str) -> None:
        self.status, self.code, self.text = status, code, text
        super().__init__(text)


@dataclass(slots=True, kw_only=True)
class Task:
    """Something that goes on: it is done once its time has come, or fails half way."""

    number: int
    name: str
    ends_at: float
    do: Callable[[], str]  # the path of what it made or changed
    fails: str = ""
    state: str = "Running"
    path: str = ""


class Changes:
    """What may be changed of the volumes of an array, each change whole or not at all."""

    def __init__(self, ground: Ground) -> None:
        """Change the volumes of one array."""
        self.ground = ground
        self.tasks: dict[int, Task] = {}
        self._n_made = 0

    # What is asked for

    def created(self, told: Any, *, share: float = 1.0) -> str:  # Any: JSON
        """Make a volume of a body; return its path."""
        pool, name, size, is_thin, of = self._wanted(told)
        self._n_made += 1
        key = f"{pool.name}-made-{self._n_made}"
        whole = f"{self.ground.array.uuid}/{key}/{name}/{time.time_ns()}"
        volume = Volume(
            name=name, naa="3" + hashlib.sha256(whole.encode()).hexdigest()[:15],
            size_bytes=_whole_extents(int(size * share)), is_thin=is_thin, is_mapped=False,
            curve_bytes=np.zeros(1, dtype=np.int64), clone_of=of.naa if of else "",
        )  # fmt: skip
        pool.volumes.append(volume)
        self.ground.take_in(key, pool, volume)
        return self.ground.path_of(volume)

    def check_creation(self, told: Any) -> None:  # Any: JSON
        """Refuse a body of which no volume can be made."""
        self._wanted(told)

    def changed(self, volume: Volume, told: Any, *, share: float = 1.0) -> None:  # Any: JSON
        """Grow, rename or map a volume as a body says, all of it or nothing."""
        name, size, ports = self._change_wanted(volume, told)
        volume.name = name
        volume.size_bytes = max(
            volume.size_bytes, _whole_extents(int(volume.size_bytes * (1 - share) + size * share))
        )
        if ports is not None:
            volume.seen_by = ports[: max(1, int(len(ports) * share))] if ports else []
            volume.is_mapped = bool(volume.seen_by)
            self.ground.ports_seen = sorted({*self.ground.ports_seen, *volume.seen_by})

    def deleted(self, volume: Volume) -> None:
        """Delete a volume that nobody sees any more."""
        if volume.mirrors or volume.mirror_of is not None:
            raise RefusalError(
                409, code="ResourceInUse", text=f"{volume.name} is mirrored; end that first."
            )
        if volume.seen_by or volume.is_mapped:
            raise RefusalError(
                409, code="ResourceInUse", text=f"{volume.name} is mapped; take that back first."
            )
        pool = self.ground.leave_out(volume)
        pool.volumes.remove(volume)

    # Tasks

    def begin(self, name: str, *, seconds: float, do: Callable[[], str], fails: str = "") -> Task:
        """Begin a task that takes a while."""
        task = Task(
            number=len(self.tasks) + 1, name=name, ends_at=time.monotonic() + seconds, do=do,
            fails=fails,
        )  # fmt: skip
        self.tasks[task.number] = task
        return task

    def go_on(self) -> None:
        """Carry out what has come to its time."""
        for task in self.tasks.values():
            if task.state == "Running" and time.monotonic() >= task.ends_at:
                try:
                    task.path = task.do()
                    task.state = "Exception" if task.fails else "Completed"
                except RefusalError as exc:
                    task.state, task.fails = "Exception", exc.text

    def task_service(self) -> Resource:
        """Return the service of tasks."""
        return typed(
            "TaskService.v1_2_1", path=f"{ROOT}/TaskService", name="Tasks", ServiceEnabled=True,
            Tasks=link(TASKS),
        )  # fmt: skip

    def task_told(self, number: int) -> Resource | None:
        """Return a task as it stands."""
        task = self.tasks.get(number)
        if task is None:
            return None
        facts: Resource = {
            "TaskState": task.state,
            "TaskStatus": "Critical" if task.state == "Exception" else "OK",
            "PercentComplete": 0 if task.state == "Running" else 100,
            "Messages": [{"Message": task.fails}] if task.fails and task.state != "Running" else [],
        }
        if task.path:
            facts["Links"] = {"CreatedResources": [link(task.path)]}
        return typed("Task.v1_7_4", path=f"{TASKS}/{number}", name=task.name, **facts)

    # What a body says

    def _wanted(self, told: Any) -> tuple[Pool, str, int, bool, Volume | None]:  # Any: JSON
        if isinstance(told, dict) and "ReplicaInfo" in told:
            return self._clone_wanted(told)
        if not isinstance(told, dict) or not set(CREATABLE) <= set(told):
            raise RefusalError(
                400, code="PropertyMissing", text=f"A volume wants {', '.join(CREATABLE)}."
            )
        pool = self._pool(told["CapacitySources"])
        name = self._name(told["Name"], pool=pool)
        size = _size(told["CapacityBytes"])
        policy = told.get("ProvisioningPolicy", "Thin")
        if policy not in ("Thin", "Fixed"):
            raise RefusalError(
                400, code="PropertyValueNotInList", text="ProvisioningPolicy: Thin or Fixed."
            )
        if policy == "Fixed" and size > pool.usable_bytes:
            raise RefusalError(
                409, code="InsufficientStorage", text=f"{pool.name} has no room for it."
            )
        return pool, name, size, policy == "Thin", None

    def _clone_wanted(
        self, told: dict[str, Any]
    ) -> tuple[Pool, str, int, bool, Volume]:  # Any: JSON
        """A clone is as large as its source, on its pool, and holds what it changes alone."""
        info = told["ReplicaInfo"]
        info = info if isinstance(info, dict) else {}
        of = self.ground.volume_at(str((info.get("Replica") or {}).get("@odata.id", "")))
        if info.get("ReplicaType") != "Clone" or of is None:
            raise RefusalError(
                400, code="PropertyValueNotInList",
                text="ReplicaInfo: a Clone, and the Replica that it is of.",
            )  # fmt: skip
        pool = self.ground.pool_of(of)
        return pool, self._name(told.get("Name"), pool=pool), of.size_bytes, True, of

    def _change_wanted(
        self, volume: Volume, told: Any
    ) -> tuple[str, int, list[str] | None]:  # Any: JSON
        if not isinstance(told, dict) or not told or not set(told) <= set(CHANGEABLE):
            raise RefusalError(
                400, code="PropertyNotWritable", text=f"Of a volume {', '.join(CHANGEABLE)} can be "
                "set.",
            )  # fmt: skip
        pool = self.ground.pool_of(volume)
        name = volume.name if "Name" not in told else self._name(told["Name"], pool=pool)
        size = volume.size_bytes if "CapacityBytes" not in told else _size(told["CapacityBytes"])
        if size < volume.size_bytes:
            raise RefusalError(
                400, code="PropertyValueOutOfRange", text="A volume grows; it does not shrink."
            )
        return name, size, self._ports(told.get("Links"))

    def _ports(self, told: Any) -> list[str] | None:  # Any: JSON
        if told is None:
            return None
        ends = told.get("ClientEndpoints") if isinstance(told, dict) else None
        if not isinstance(ends, list):
            raise RefusalError(
                400, code="PropertyValueTypeError", text="Links.ClientEndpoints: a list of links."
            )
        ports = [str((one or {}).get("@odata.id", "")).rsplit("/", 1)[-1] for one in ends]
        unknown = [port for port in ports if port not in self.ground.ports_known]
        if unknown:
            raise RefusalError(
                400, code="ResourceMissingAtURI", text=f"There is no endpoint {unknown[0]}."
            )
        return ports

    def _pool(self, told: Any) -> Pool:  # Any: JSON
        try:
            providing = told[0]["ProvidingPools"]
            one = providing[0] if isinstance(providing, list) else providing
            place, _, name = str(one["@odata.id"]).rpartition("/")
        except (KeyError, IndexError, TypeError):
            place, name = "", ""
        if place != f"{self.ground.storage}/StoragePools" or name not in self.ground.pools:
            raise RefusalError(
                400, code="ResourceMissingAtURI", text="CapacitySources name no pool of this array."
            )
        return self.ground.pools[name]

    def _name(self, told: Any, *, pool: Pool) -> str:  # Any: JSON
        if not isinstance(told, str) or not 0 < len(told) <= MOST_NAME:
            raise RefusalError(
                400, code="PropertyValueFormatError", text=f"Name: 1 to {MOST_NAME} characters."
            )
        if any(volume.name == told for volume in pool.volumes):
            raise RefusalError(
                409, code="ResourceAlreadyExists", text=f"{pool.name} has a volume {told}."
            )
        return told


def _size(told: Any) -> int:  # Any: JSON
    if not isinstance(told, int) or isinstance(told, bool) or not 0 < told <= MOST_BYTES:
        raise RefusalError(
            400, code="PropertyValueOutOfRange", text=f"CapacityBytes: 1 to {MOST_BYTES}."
        )
    return _whole_extents(told)


def _whole_extents(amount: int) -> int:
    """At least what was asked for: arrays hand out whole extents."""
    return -(-amount // EXTENT_BYTES) * EXTENT_BYTES
