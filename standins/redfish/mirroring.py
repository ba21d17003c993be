"""Mirrors of volumes, here or at another array: begun and ended by the actions of a volume."""

from typing import Any
from urllib.parse import urlsplit

import numpy as np

from standins.arrays import Volume, written_bytes
from standins.redfish.changing import RefusalError
from standins.redfish.ground import Ground
from standins.redfish.shapes import Resource, link

ASSIGN, REMOVE = "Volume.AssignReplicaTarget", "Volume.RemoveReplicaRelationship"
MODES = ("Active", "Synchronous", "Asynchronous", "Adaptive")
Partners = dict[str, Ground]  # other arrays that an array trusts, by host and port


def actions_of(path: str) -> Resource:
    """Return where mirrors of the volume at a path are begun and ended."""
    return {f"#{one}": {"target": f"{path}/Actions/{one}"} for one in (ASSIGN, REMOVE)}


def told_of(volume: Volume) -> Resource:
    """Return what a volume tells of its mirrors; nothing where it never had any."""
    told: Resource = {}
    if volume.mirrors is not None:
        told["ReplicaTargets"] = [link(one) for one in volume.mirrors if one.startswith("/")]
        told["RemoteReplicaTargets"] = [one for one in volume.mirrors if not one.startswith("/")]
    if volume.mirror_of is not None:
        source = volume.mirror_source
        of = (
            {"Replica": link(source)} if source.startswith("/") else {"RemoteSourceReplica": source}
        )
        told["ReplicaInfo"] = {
            "ReplicaType": "Mirror", "ReplicaRole": "Target", "ReplicaState": "Synchronized",
            "ReplicaUpdateMode": "Synchronous", **of,
        }  # fmt: skip
    return told


class Mirroring:
    """Begins and ends mirrors of one array's volumes, each whole or not at all."""

    def __init__(self, ground: Ground, partners: Partners) -> None:
        """Mirror volumes of one array to its own and to those of arrays it trusts."""
        self.ground, self.partners = ground, partners

    def check(self, volume: Volume, action: str, told: Any) -> None:  # Any: JSON
        """Refuse what cannot be begun or ended."""
        target = self._target(told)
        place = str(told["TargetVolume"])
        if action == REMOVE:
            if place not in (volume.mirrors or []):
                raise RefusalError(
                    409, code="ResourceNotFound", text=f"{volume.name} has no mirror there."
                )
            return
        if told.get("ReplicaType") != "Mirror" or told.get("ReplicaUpdateMode") not in MODES:
            raise RefusalError(
                400, code="PropertyValueNotInList",
                text=f"ReplicaType: Mirror; ReplicaUpdateMode: {', '.join(MODES)}.",
            )  # fmt: skip
        if target is volume or target.mirror_of is not None or target.is_mapped:
            raise RefusalError(
                409,
                code="ResourceInUse",
                text=f"{target.name} is in use; nothing is mirrored to it.",
            )
        if target.size_bytes < volume.size_bytes:
            raise RefusalError(
                400,
                code="PropertyValueOutOfRange",
                text=f"{target.name} is smaller than its source.",
            )

    def do(self, volume: Volume, action: str, told: Any, *, source: str, day: float) -> None:
        """Begin or end a mirror; ``source`` is where the other array finds the volume."""
        self.check(volume, action, told)
        target, place = self._target(told), str(told["TargetVolume"])
        kept = volume.mirrors or []
        if action == ASSIGN:
            volume.mirrors = sorted({*kept, place})
            target.mirror_of = volume
            target.mirror_source = self.ground.path_of(volume) if place.startswith("/") else source
            return
        volume.mirrors = [one for one in kept if one != place]
        held = written_bytes(target, day=day)
        target.mirror_of, target.mirror_source = None, ""
        target.curve_bytes, target.injected_bytes = np.array([held], dtype=np.int64), 0

    def _target(self, told: Any) -> Volume:  # Any: JSON
        place = told.get("TargetVolume") if isinstance(told, dict) else None
        if not isinstance(place, str):
            raise RefusalError(400, code="ActionParameterMissing", text="TargetVolume is missing.")
        parts = urlsplit(place)
        ground = self.partners.get(parts.netloc) if parts.netloc else self.ground
        found = ground.volume_at(parts.path) if ground else None
        if found is None:
            raise RefusalError(
                400, code="ResourceMissingAtURI", text=f"There is no volume at {place}."
            )
        return found
