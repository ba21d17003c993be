"""Reads single properties of a resource, of whatever shape an array sends it."""

from datetime import datetime
from math import isnan
from typing import Any, Final
from urllib.parse import urljoin, urlsplit

from keelmark.core.units import MAX_BYTES
from keelmark.estate.documents import ArrayDocument
from keelmark.estate.uids import safe_uid

Resource = dict[str, Any]  # Any: JSON of whatever shape the array sends
_PORTS: Final = {"https": 443, "http": 80}
FORMS = {
    "NAA": "naa", "EUI": "eui", "NGUID": "nguid", "UUID": "uuid", "FC_WWN": "wwn", "iQN": "iqn",
    "NQN": "iqn",
}  # fmt: skip


def path_of(resource: Resource) -> str:
    """Return the resource's own path."""
    return str(resource.get("@odata.id", ""))


def name_of(resource: Resource) -> str:
    """Return the name, or the id of a resource that was given none."""
    return str(resource.get("Name") or resource.get("Id") or path_of(resource))[:200]


def uid_of(resource: Resource) -> str | None:
    """Return the worldwide name in the best form given, or None."""
    identifiers = resource.get("Identifiers")
    for identifier in identifiers if isinstance(identifiers, list) else []:
        if not isinstance(identifier, dict):
            continue
        form = FORMS.get(str(identifier.get("DurableNameFormat")))
        durable = identifier.get("DurableName")
        if form and isinstance(durable, str) and durable:
            return f"{form}.{safe_name(durable.lower().removeprefix('0x'))}"
    return None


def link_of(resource: Resource, *names: str) -> str | None:
    """Return the path that a (nested) link property points to."""
    path = dig(resource, *names).get("@odata.id")
    return path if isinstance(path, str) else None


def links_in(told: object) -> list[str]:
    """Return the paths that a list of links, or a single one, leads to."""
    some = told if isinstance(told, list) else [told]
    paths = [one.get("@odata.id") for one in some if isinstance(one, dict)]
    return [path for path in paths if isinstance(path, str) and path]


def number_in(holder: Resource, *names: str, most: float) -> float | None:
    """Return the first number from 0 to the most under some names, None where there is none."""
    for name in names:
        told = holder.get(name)
        if isinstance(told, bool) or not isinstance(told, int | float):
            continue
        if 0 <= told <= most:
            return float(told)
    return None


def dig(resource: Resource, *names: str) -> Resource:
    """Return the object that nested names lead to, empty where they do not."""
    found: Any = resource  # Any: walks JSON
    for name in names:
        found = found.get(name) if isinstance(found, dict) else None
    return found if isinstance(found, dict) else {}


def amount_in(holder: Resource, name: str) -> tuple[int | None, str]:
    """Return (bytes, "") or (None, what is wrong); both empty where nothing is said."""
    told = holder.get(name)
    if told is None:
        return None, ""
    if isinstance(told, bool) or not isinstance(told, int | float) or isnan(told):
        return None, f"{name} is {told!r}, not a number"
    if not 0 <= told <= MAX_BYTES:
        return None, f"{name} is {told}, not between 0 and 2^63 − 1"
    return int(told), ""


def safe_name(text: str) -> str:
    """Return a text with only what a plain uid may hold."""
    return "".join(c if c.isascii() and (c.isalnum() or c in "._:-") else "-" for c in text)


def far_place(where: str, *, of: str) -> str:
    """Return the uid of what stands at an address, or at a path of the array at ``of``.

    Arrays know each other by address alone; only what is written alike is the same.
    """
    parts = urlsplit(urljoin(of.rstrip("/") + "/", where))
    port = parts.port or _PORTS.get(parts.scheme, 0)
    return f"path.{safe_uid(f'{parts.hostname or str()}:{port}{parts.path}'.rstrip('/'))}"


def targets_of(volume: Resource, *, url: str) -> list[str] | None:
    """Return the uids of the volumes that mirror a volume, by place; None where it does not say.

    What it tells and is no address is left out.
    """
    near, far = volume.get("ReplicaTargets"), volume.get("RemoteReplicaTargets")
    if not isinstance(near, list) and not isinstance(far, list):
        return None
    told = [path_of(one) for one in near or [] if isinstance(one, dict)]
    told += [one for one in far or [] if isinstance(one, str)]
    return sorted({place for one in told if one and (place := _place_or_none(one, url=url))})


def _place_or_none(where: str, *, url: str) -> str:
    try:
        return far_place(where, of=url)
    except ValueError:
        return ""


def is_mirror(volume: Resource) -> bool:
    """Whether another volume, here or at another array, is mirrored to it."""
    info = dig(volume, "ReplicaInfo")
    return info.get("ReplicaType") == "Mirror" or bool(info.get("RemoteSourceReplica"))


def mirrored_at(volume: Resource, *, read_at: datetime) -> datetime | None:
    """Return when a mirror last held what its volume held; None where it does not say.

    One that is kept up at every write, and is so far, holds it now.
    """
    info = dig(volume, "ReplicaInfo")
    if not is_mirror(volume) or info.get("ReplicaRole") not in (None, "Target"):
        return None
    try:
        told = datetime.fromisoformat(str(info.get("WhenSynced") or ""))
    except ValueError:
        is_kept_up = info.get("ReplicaUpdateMode") in ("Active", "Synchronous")
        return read_at if is_kept_up and info.get("ReplicaState") == "Synchronized" else None
    return min(told, read_at) if told.tzinfo else None


def source_place(volume: Resource, *, url: str) -> tuple[str, str]:
    """Return of which volume a mirror is: its path at the same array, its place at another."""
    info = dig(volume, "ReplicaInfo")
    near, far = dig(info, "Replica").get("@odata.id"), info.get("RemoteSourceReplica")
    if isinstance(near, str) and near:
        return near, ""
    return "", _place_or_none(far, url=url) if isinstance(far, str) and far else ""


def serial_of(array: ArrayDocument) -> str:
    """Return the serial that an array is known by."""
    return array.uid.partition(".")[2]


def class_of(resource: Resource) -> str | None:
    """Return the class of service that a pool offers by default."""
    path = link_of(resource, "Links", "DefaultClassOfService")
    return path.rstrip("/").rsplit("/", 1)[-1] if path else None


def provisioning_of(resource: Resource) -> Any:  # Any: the document's literal
    """Return thin or thick, or None."""
    return {"Thin": "thin", "Fixed": "thick"}.get(str(resource.get("ProvisioningPolicy")))


def truth_in(resource: Resource, name: str) -> bool | None:
    """Return a yes or no, None where the resource does not say."""
    told = resource.get(name)
    return told if isinstance(told, bool) else None


def snapshot_bytes_of(resource: Resource) -> int | None:
    """Return what snapshots hold."""
    held, _ = amount_in(dig(resource, "Capacity", "Snapshot"), "ConsumedBytes")
    return held


def first_text_in(told: object) -> str | None:
    """Return the first of a list as text."""
    return str(told[0])[:200] if isinstance(told, list) and told else None


def text_or_none(told: object) -> str | None:
    """Return a text that is one, None of anything else."""
    return told[:200] if isinstance(told, str) and told else None


def backing_of(resource: Resource) -> Any:  # Any: the document's literal
    """Return what a pool is made of, as far as it says."""
    types = resource.get("PoolType")
    is_block = isinstance(types, list) and "Block" in types
    return "raid" if is_block or resource.get("SupportedRAIDTypes") else None


LIMITS = ("MinimumIOPS", "MaximumIOPS")


def limits_of(resource: Resource) -> tuple[int | None, int | None]:
    """Return to how many operations a second a volume is set, least and most.

    The published schema knows limits a terabyte alone, so makers tell theirs in their own part.
    """
    parts = _makers_parts(resource).values()
    told: list[int | None] = []
    for name in LIMITS:
        known = [one for part in parts if (one := amount_in(part, name)[0]) is not None]
        told.append(known[0] if known else None)
    return told[0], told[1]


def maker_of_limits(resource: Resource) -> str:
    """Return whose own part of a volume tells its limits, empty where nobody's does."""
    parts = _makers_parts(resource).items()
    return next((maker for maker, part in parts if any(name in part for name in LIMITS)), "")


def _makers_parts(resource: Resource) -> dict[str, Resource]:
    parts = resource.get("Oem")
    told = parts if isinstance(parts, dict) else {}
    return {str(maker): part for maker, part in told.items() if isinstance(part, dict)}


def role_of(resource: Resource, *, is_pooled: bool) -> Any:  # Any: the document's literal
    """Return the role of a drive."""
    if dig(resource, "Status").get("Health") == "Critical":
        return "failed"
    if is_pooled:
        return "pooled"
    if resource.get("HotspareType") not in (None, "None"):
        return "spare"
    told = [part.get("Role") for part in _makers_parts(resource).values()]
    return "system" if "System" in told else "unpooled"
