"""Turns resources into estate documents; says what it had to leave out."""

from dataclasses import dataclass, field
from datetime import datetime
from math import isnan
from typing import Any

from keelmark.core.units import MAX_BYTES, format_bytes
from keelmark.estate.documents import ArrayDocument, DriveDocument, PoolDocument, VolumeDocument
from keelmark.feeds.errors import AnswerError

Resource = dict[str, Any]  # Any: JSON of whatever shape the array sends
FORMS = {"NAA": "naa", "EUI": "eui", "NGUID": "nguid", "UUID": "uuid"}
MEDIA = {"SSD": "ssd", "HDD": "hdd"}


@dataclass(slots=True, kw_only=True)
class Facts:
    """Everything of one array, being put together."""

    url: str
    read_at: datetime
    array: ArrayDocument
    pools: dict[str, PoolDocument] = field(default_factory=dict)  # by resource path
    volumes: list[VolumeDocument] = field(default_factory=list)
    drives: list[DriveDocument] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)

    def add_pool(self, resource: Resource) -> None:
        """Take a pool; its own books must be right, or the last good state stands."""
        path, name = path_of(resource), name_of(resource)
        data = _dig(resource, "Capacity", "Data")
        amounts = {}
        for field_name in ("AllocatedBytes", "ConsumedBytes", "ProvisionedBytes"):
            amounts[field_name], fault = _amount(data, field_name)
            if fault:
                raise AnswerError(url=self.url + path, why=f"pool {name}, {fault}")
        usable, used = amounts["AllocatedBytes"], amounts["ConsumedBytes"]
        if usable is None or used is None:
            missing = "AllocatedBytes" if usable is None else "ConsumedBytes"
            self.warnings.append(f"Pool {name} left out: no Capacity.Data.{missing}.")
            return
        self.pools[path] = PoolDocument(
            uid=uid_of(resource) or f"serial.{_serial(self.array)}-{_safe(name)}",
            array_uid=self.array.uid,
            name=name,
            usable_bytes=usable,
            used_bytes=used,
            provisioned_bytes=amounts["ProvisionedBytes"],
            service_class=_class_of(resource),
            read_at=self.read_at,
        )

    def add_volume(self, resource: Resource, *, pool_path: str | None) -> None:
        """Take a volume; a figure that cannot be is left out with a warning."""
        name = name_of(resource)
        pool = self.pools.get(pool_path or "")
        if pool is None:
            self.warnings.append(f"Volume {name} left out: no known pool provides it.")
            return
        size, fault = _amount(resource, "CapacityBytes")
        if size is None and not fault:
            size, fault = _amount(_dig(resource, "Capacity", "Data"), "ProvisionedBytes")
        if size is None:
            self.warnings.append(f"Volume {name} left out: {fault or 'no CapacityBytes'}.")
            return
        self.volumes.append(
            VolumeDocument(
                uid=uid_of(resource) or f"serial.{_serial(self.array)}-{_safe(resource['Id'])}",
                pool_uid=pool.uid,
                name=name,
                size_bytes=size,
                written_bytes=self._written(resource, name=name, pool=pool),
                provisioning=_provisioning_of(resource),
                is_mapped=_is_mapped(resource),
                read_at=self.read_at,
            )
        )

    def _written(self, resource: Resource, *, name: str, pool: PoolDocument) -> int | None:
        written, fault = _amount(_dig(resource, "Capacity", "Data"), "ConsumedBytes")
        if fault:
            self.warnings.append(f"Volume {pool.name}/{name}: {fault}; its last good figure stays.")
            return None
        if written is not None and written > pool.usable_bytes:
            self.warnings.append(
                f"Volume {pool.name}/{name}: says {format_bytes(written)} written, its pool has "
                f"{format_bytes(pool.usable_bytes)}; its last good figure stays."
            )
            return None
        return written

    def add_drive(self, resource: Resource) -> None:
        """Take a drive and the role it plays."""
        name = name_of(resource)
        capacity, fault = _amount(resource, "CapacityBytes")
        if capacity is None:
            self.warnings.append(f"Drive {name} left out: {fault or 'no CapacityBytes'}.")
            return
        serial = resource.get("SerialNumber") or f"{_serial(self.array)}-{resource.get('Id', name)}"
        pools = _dig(resource, "Links").get("StoragePools") or []
        pool = self.pools.get(pools[0].get("@odata.id", "")) if pools else None
        self.drives.append(
            DriveDocument(
                uid=f"serial.{_safe(str(serial))}",
                array_uid=self.array.uid,
                name=name,
                capacity_bytes=capacity,
                role=_role_of(resource, is_pooled=pool is not None),
                media=MEDIA.get(str(resource.get("MediaType")).upper()),  # type: ignore[arg-type]  # checked by the map
                pool_uid=pool.uid if pool else None,
                read_at=self.read_at,
            )
        )


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
        form = FORMS.get(str(identifier.get("DurableNameFormat")))
        durable = identifier.get("DurableName")
        if form and isinstance(durable, str) and durable:
            return f"{form}.{_safe(durable.lower().removeprefix('0x'))}"
    return None


def link_of(resource: Resource, *names: str) -> str | None:
    """Return the path that a (nested) link property points to."""
    path = _dig(resource, *names).get("@odata.id")
    return path if isinstance(path, str) else None


def _dig(resource: Resource, *names: str) -> Resource:
    found: Any = resource  # Any: walks JSON
    for name in names:
        found = found.get(name) if isinstance(found, dict) else None
    return found if isinstance(found, dict) else {}


def _amount(holder: Resource, name: str) -> tuple[int | None, str]:
    """Return (bytes, "") or (None, what is wrong); both empty where nothing is said."""
    told = holder.get(name)
    if told is None:
        return None, ""
    if isinstance(told, bool) or not isinstance(told, int | float) or isnan(told):
        return None, f"{name} is {told!r}, not a number"
    if not 0 <= told <= MAX_BYTES:
        return None, f"{name} is {told}, not between 0 and 2^63 − 1"
    return int(told), ""


def _safe(text: str) -> str:
    return "".join(c if c.isascii() and (c.isalnum() or c in "._:-") else "-" for c in text)


def _serial(array: ArrayDocument) -> str:
    return array.uid.partition(".")[2]


def _class_of(resource: Resource) -> str | None:
    path = link_of(resource, "Links", "DefaultClassOfService")
    return path.rstrip("/").rsplit("/", 1)[-1] if path else None


def _provisioning_of(resource: Resource) -> Any:  # Any: the document's literal
    return {"Thin": "thin", "Fixed": "thick"}.get(str(resource.get("ProvisioningPolicy")))


def _is_mapped(resource: Resource) -> bool | None:
    endpoints = _dig(resource, "Links").get("ClientEndpoints")
    return bool(endpoints) if isinstance(endpoints, list) else None


def _role_of(resource: Resource, *, is_pooled: bool) -> Any:  # Any: the document's literal
    if _dig(resource, "Status").get("Health") == "Critical":
        return "failed"
    if is_pooled:
        return "pooled"
    if resource.get("HotspareType") not in (None, "None"):
        return "spare"
    oem = resource.get("Oem")
    told = [part.get("Role") for part in oem.values() if isinstance(part, dict)] if oem else []
    return "system" if "System" in told else "unpooled"
