"""Which steps of a work order are written at far ends from here, and what each waits for."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum
from typing import Any, Final

from keelmark.compliance.selectors.definitions import standing_policies
from keelmark.compliance.selectors.tiers import standing_tiers
from keelmark.core.scenario.steps import StepKind
from keelmark.estate.models import (
    Alias,
    Datastore,
    Entity,
    Host,
    Mapping,
    PoolBacking,
    Replica,
    Volume,
)
from keelmark.feeds.changes.allowed import (
    CLONES,
    DELETION,
    ENDS,
    LIMITS,
    MIRRORS,
    SETTABLE,
    SIZE,
    VOLUME,
    Values,
)
from keelmark.feeds.changes.reading import LIVE, setters_of
from keelmark.feeds.models import Change, ChangeState
from keelmark.scenarios.models import StepState, WorkStep
from keelmark.scenarios.selectors.named import copy_of, pool_of, subject_of, volume_of

PORT_FORMS: Final = ("wwn.", "iqn.", "nqn.", "eui.", "naa.")
MOST_TOLD: Final = 3
# What is set here, at no far end.
TIER, POLICY, ALLOTMENT, REVISION = "tier", "policy", "allotment", "revision"


@dataclass(frozen=True, slots=True, kw_only=True)
class Carriage:
    """What is written for a step, or why nothing is: then it is done by hand.

    ``confirms`` is what has to be typed before it is written, since something is lost by it.
    """

    what: str = ""
    entity_id: int = 0
    was: Values = field(default_factory=dict)
    wanted: Values = field(default_factory=dict)
    why: str = ""
    is_later: bool = False  # it will be, once what it is of is read
    confirms: str = ""


class WaitsFor(StrEnum):
    """What a work order that is carried out waits for."""

    FAR_END = "far end"
    READING = "reading"
    HAND = "hand"
    WORD = "word"  # that what is lost by it may be lost
    DAY = "day"
    NOTHING = "nothing"  # the next step may be written
    STOPPED = "stopped"


@dataclass(frozen=True, slots=True, kw_only=True)
class Wait:
    """The first step that is not through, and what it waits for."""

    step: WorkStep
    what: WaitsFor
    says: str
    carriage: Carriage | None = None


def carriage_of(step: WorkStep) -> Carriage:
    """Return what is written at a far end for a step, as things were read last."""
    found = _CARRIED.get(StepKind(step.kind))
    told = found(step) if found else Carriage(why="nothing of this is written from here")
    if told.what in SETTABLE and told.entity_id not in setters_of([told.entity_id], what=told.what):
        return Carriage(why="its array gave nobody an account that may change anything")
    return told


def has_back(step: WorkStep) -> bool:
    """Whether what was written for a step can be taken back."""
    change = step.change
    return (
        change is not None
        and change.state == ChangeState.SET
        and change.change_set.takes_back_id is None
        and SETTABLE[change.what].has_back
        and step.state != StepState.LEFT_OUT
    )


def wait_of(steps: Sequence[WorkStep], *, today: date) -> Wait | None:
    """Return what the first step that is not through waits for, None where all are."""
    for step in steps:
        if (change := step.change) is not None and change.state in LIVE:
            return Wait(step=step, what=WaitsFor.FAR_END, says=_told_of(change))
        if step.state in (StepState.VERIFIED, StepState.LEFT_OUT):
            continue
        return _wait_of(step, change, today=today)
    return None


def _wait_of(step: WorkStep, change: Change | None, *, today: date) -> Wait:
    def wait(what: WaitsFor, says: str, carriage: Carriage | None = None) -> Wait:
        return Wait(step=step, what=what, says=says, carriage=carriage)

    if step.state == StepState.OTHERWISE:
        return wait(WaitsFor.STOPPED, f"it reads otherwise than planned: {step.found}")
    if step.state == StepState.SETTLING:
        return wait(WaitsFor.READING, "it is done; the next reading proves it")
    if change is not None and change.state in (ChangeState.FAILED, ChangeState.OTHERWISE):
        return wait(WaitsFor.STOPPED, change.problem)
    carriage = carriage_of(step)
    what, says = _wait_of_open(step, carriage, today=today)
    return wait(what, says, carriage)


def _wait_of_open(step: WorkStep, carriage: Carriage, *, today: date) -> tuple[WaitsFor, str]:
    if carriage.is_later:
        return WaitsFor.READING, carriage.why
    if not carriage.what:
        return WaitsFor.HAND, f"it is done by hand: {carriage.why}"
    if step.on > today:
        return WaitsFor.DAY, f"its day is {step.on.isoformat()}"
    if carriage.confirms:
        return WaitsFor.WORD, "what is lost by it has to be confirmed"
    return WaitsFor.NOTHING, "it is next"


def _told_of(change: Change) -> str:
    if change.state != ChangeState.UNDER_WAY:
        return "it is being sent"
    percent = change.progress.get("percent")
    return "the array is at it" + (f", {percent} % done" if percent else "")


def _volume_made(step: WorkStep) -> Carriage:
    values, pool = step.values, pool_of(step)
    if pool is None:
        return Carriage(is_later=True, why=f"pool {values.get('pool', '')} is not read yet")
    return Carriage(
        what=VOLUME, entity_id=pool,
        wanted={
            "name": values["name"], "size_bytes": values["size_bytes"],
            "thickness": values.get("thickness", "thin"),
        },
    )  # fmt: skip


def _volume_grown(step: WorkStep) -> Carriage:
    volume = Volume.objects.filter(pk=subject_of(step), entity__retired_at=None).first()
    if volume is None and step.subject_id is None:
        return Carriage(is_later=True, why=f"volume {step.values['name']} is not read yet")
    if volume is None or volume.size_bytes is None:
        return Carriage(why="the volume is not known any more, or nobody tells its size")
    return Carriage(
        what=SIZE, entity_id=volume.pk, was={"size_bytes": volume.size_bytes},
        wanted={"size_bytes": step.values["size_bytes"]},
    )  # fmt: skip


def _cloned(step: WorkStep) -> Carriage:
    volume = Volume.objects.filter(pk=step.values["of_id"], entity__retired_at=None).first()
    if volume is None or volume.size_bytes is None:
        return Carriage(why="the volume is not known any more, or nobody tells its size")
    return Carriage(
        what=CLONES, entity_id=volume.pk, wanted={"names": step.values["names"]},
        was={"name": volume.entity.name, "size_bytes": volume.size_bytes},
    )  # fmt: skip


def _volume_mapped(step: WorkStep) -> Carriage:
    volume = volume_of(step)
    if volume is None:
        return Carriage(why="the volume has to be read first", is_later=True)
    hosts = {
        one.pk: one.entity.name
        for one in Host.objects.filter(
            cluster_id=step.values.get("cluster_id"), entity__retired_at=None
        ).select_related("entity")
    }
    ports = _ports_of(hosts, array_id=volume.pool.array_id if volume.pool else None)
    lacking = sorted(name for pk, name in hosts.items() if not ports.get(pk))
    if lacking or not hosts:
        names = ", ".join(lacking[:MOST_TOLD]) or "the cluster"
        return Carriage(why=f"nobody tells the ports of {names}")
    was = sorted(volume.mappings.values_list("wanted_uid", flat=True))
    wanted = sorted({*was, *(uid for some in ports.values() for uid in some)})
    return Carriage(what=ENDS, entity_id=volume.pk, was={"ends": was}, wanted={"ends": wanted})


def _ports_of(hosts: Any, *, array_id: int | None) -> dict[int, set[str]]:  # Any: ids by host
    """Ports of hosts as an array knows them by other volumes, else all that are told."""
    known: dict[int, set[str]] = {}
    seen = Mapping.objects.filter(volume__pool__array=array_id, target__in=hosts)
    for pk, uid in seen.values_list("target_id", "wanted_uid").distinct():
        known.setdefault(pk, set()).add(uid)
    others: dict[int, set[str]] = {}
    for pk, uid in Alias.objects.filter(entity__in=hosts).values_list("entity_id", "uid"):
        if uid.startswith(PORT_FORMS):
            others.setdefault(pk, set()).add(uid)
    return {**others, **known}


def _given(step: WorkStep) -> Carriage:
    """A tier or a policy, which is named here and nowhere else."""
    is_tier = step.kind == StepKind.NAME_TIER
    name = step.values["tier" if is_tier else "policy"]
    standing = standing_tiers() if is_tier else standing_policies()
    ids = [int(one) for one in step.values["ids"]]
    if standing.filter(name=name).first() is None:
        return Carriage(why=f"no {'tier' if is_tier else 'policy'} {name} stands any more")
    if Entity.objects.filter(pk__in=ids, retired_at=None).count() < len(ids):
        return Carriage(why="some of what it is for is not read, or not any more")
    return Carriage(what=TIER if is_tier else POLICY)


def _revised(step: WorkStep) -> Carriage:
    """A tier's limits, which are drawn up here and nowhere else."""
    if standing_tiers().filter(name=step.values["tier"]).first() is None:
        return Carriage(why=f"no tier {step.values['tier']} stands any more")
    return Carriage(what=REVISION)


def _limited(step: WorkStep) -> Carriage:
    volume = Volume.objects.filter(pk=step.subject_id, entity__retired_at=None).first()
    if volume is None or volume.qos_min_iops is None or volume.qos_max_iops is None:
        return Carriage(why="the volume is not known any more, or nobody tells its limits")
    names = ("min_iops", "max_iops")
    return Carriage(
        what=LIMITS, entity_id=volume.pk, wanted={name: step.values[name] for name in names},
        was={"min_iops": volume.qos_min_iops, "max_iops": volume.qos_max_iops},
    )  # fmt: skip


def _mirrored(step: WorkStep) -> Carriage:
    """A volume that is mirrored to one more, or to one less."""
    volume = Volume.objects.filter(pk=step.subject_id, entity__retired_at=None).first()
    if volume is None:
        return Carriage(why="the volume is not known any more")
    copy, is_begun = copy_of(step), step.kind == StepKind.START_MIRROR
    if copy is None:
        says = "the volume that is to mirror it has to be read first"
        return Carriage(why=says, is_later=is_begun)
    replicas = Replica.objects.filter(volume=volume)
    if replicas.filter(target=None).exists():
        return Carriage(why="it is mirrored to a volume that no feed tells of")
    was = set(replicas.values_list("target__uid", flat=True))
    one = {copy.entity.uid}
    wanted = was | one if is_begun else was - one
    return Carriage(
        what=MIRRORS, entity_id=volume.pk, was={"targets": sorted(was)},
        wanted={"targets": sorted(wanted)},
    )  # fmt: skip


def _allotted(step: WorkStep) -> Carriage:
    """An allotment, which is made here and nowhere else."""
    places = [step.subject_id or 0, int(step.values["tenant_id"])]
    if Entity.objects.filter(pk__in=places, retired_at=None).count() < len(places):
        return Carriage(why="its pool or its tenant is not read, or not any more")
    return Carriage(what=ALLOTMENT)


def _removed(step: WorkStep) -> Carriage:
    if step.subject_kind != "volume":
        return Carriage(why="volumes alone are deleted from here")
    volume = Volume.objects.filter(pk=step.subject_id, entity__retired_at=None).first()
    if volume is None or volume.size_bytes is None:
        return Carriage(why="the volume is not known any more, or nobody tells its size")
    if used := users_of(volume):
        return Carriage(why=f"{used} still")
    name = volume.entity.name
    return Carriage(
        what=DELETION, entity_id=volume.pk, was={"name": name, "size_bytes": volume.size_bytes},
        confirms=name,
    )  # fmt: skip


def users_of(volume: Volume) -> str:
    """Return what is known to need a volume, in words; empty where nothing is."""
    store = Datastore.objects.filter(extents__target=volume.entity, entity__retired_at=None).first()
    if store is not None:
        return f"datastore {store.entity.name} lies on it"
    if PoolBacking.objects.filter(target=volume.entity).exists():
        return "a shared pool lies on it"
    if Replica.objects.filter(volume=volume).exists():
        return "it is replicated"
    return ""


_CARRIED: Final[dict[StepKind, Callable[[WorkStep], Carriage]]] = {
    StepKind.CREATE_VOLUME: _volume_made,
    StepKind.CLONE_VOLUME: _cloned,
    StepKind.EXTEND_VOLUME: _volume_grown,
    StepKind.MAP_VOLUME: _volume_mapped,
    StepKind.ALLOT: _allotted,
    StepKind.REVISE_TIER: _revised,
    StepKind.SET_LIMITS: _limited,
    StepKind.START_MIRROR: _mirrored,
    StepKind.END_MIRROR: _mirrored,
    StepKind.NAME_TIER: _given,
    StepKind.PROMISE_POLICY: _given,
    StepKind.REMOVE: _removed,
}
