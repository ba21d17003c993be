"""Walks an array's resource tree, at the stand-alone place or the older one under Systems."""

import asyncio
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime

import httpx

from keelmark.estate.documents import AnyDocument, ArrayDocument, CompleteDocument
from keelmark.feeds.errors import AnswerError
from keelmark.feeds.redfish.client import (
    FIRST_BACK_OFF_SECONDS,
    ROOT,
    RedfishReader,
    Resource,
    open_reader,
)
from keelmark.feeds.redfish.facts import Facts, link_of, name_of, uid_of

Progress = Callable[[str, int], None]  # what is being read, how many resources so far


@dataclass(frozen=True, slots=True, kw_only=True)
class Collection:
    """One array's documents, complete, and what had to be left out."""

    documents: list[AnyDocument]
    warnings: list[str]


async def collect(
    url: str,
    *,
    user: str,
    password: str,
    progress: Progress,
    back_off_seconds: float = FIRST_BACK_OFF_SECONDS,
    transport: httpx.AsyncBaseTransport | None = None,
) -> Collection:
    """Return everything of the array at a URL, or raise a CollectError; never a part."""
    async with open_reader(
        url, user=user, password=password, back_off_seconds=back_off_seconds, transport=transport
    ) as reader:
        progress("service root", reader.n_read)
        root = await reader.read(ROOT)
        is_expanding = bool(
            (root.get("ProtocolFeaturesSupported") or {}).get("ExpandQuery", {}).get("ExpandAll")
        )
        storages = await _storages(reader, root=root)
        facts = Facts(
            url=reader.base_url,
            read_at=datetime.now(UTC),
            array=await _array(reader, storages=storages),
        )
        for storage in storages:
            await _read_storage(
                reader, storage=storage, facts=facts, progress=progress, is_expanding=is_expanding
            )
    return Collection(
        documents=[
            facts.array,
            *facts.pools.values(),
            *facts.volumes,
            *facts.drives,
            CompleteDocument(array_uid=facts.array.uid),
        ],
        warnings=reader.warnings + facts.warnings,
    )


async def _storages(reader: RedfishReader, *, root: Resource) -> list[Resource]:
    """Storage resources at the stand-alone place, else under each computer system."""
    standalone = link_of(root, "Storage")
    if standalone:
        return await reader.members(standalone, is_expanding=False)
    systems = link_of(root, "Systems")
    if systems is None:
        raise AnswerError(
            url=reader.base_url + ROOT, why="it links neither to Storage nor to Systems"
        )
    found: list[Resource] = []
    for system in await reader.members(systems, is_expanding=False):
        under = link_of(system, "Storage")
        if under:
            found += await reader.members(under, is_expanding=False)
    if not found:
        raise AnswerError(url=reader.base_url + systems, why="no system has a Storage resource")
    return found


async def _array(reader: RedfishReader, *, storages: list[Resource]) -> ArrayDocument:
    """Identity and place from the enclosure where one is linked, else from the storage."""
    if not storages:
        raise AnswerError(url=reader.base_url + ROOT, why="its Storage collection is empty")
    storage = storages[0]
    enclosures = (storage.get("Links") or {}).get("Enclosures") or []
    chassis = await reader.read(enclosures[0]["@odata.id"]) if enclosures else {}
    if not chassis:
        root = await reader.read(ROOT)
        listed = link_of(root, "Chassis")
        members = await reader.members(listed, is_expanding=False) if listed else []
        chassis = members[0] if len(members) == 1 else {}
    serial = chassis.get("SerialNumber")
    uid = f"serial.{serial}" if serial else uid_of(storage)
    if uid is None:
        raise AnswerError(
            url=reader.base_url + str(storage.get("@odata.id")),
            why="it has neither a serial number nor a durable name",
        )
    site = ((chassis.get("Location") or {}).get("PostalAddress") or {}).get("Name")
    return ArrayDocument(
        uid=uid,
        name=name_of(storage),
        site=site,
        model=chassis.get("Model"),
        n_ports=await _n_ports(reader, storage=storage),
        read_at=datetime.now(UTC),
    )


async def _n_ports(reader: RedfishReader, *, storage: Resource) -> int | None:
    path = link_of(storage, "Controllers")
    if path is None:
        return None
    controllers = await reader.members(path, is_expanding=False)
    ports = [link_of(controller, "Ports") for controller in controllers]
    pages = await asyncio.gather(*(reader.read(port) for port in ports if port))
    return sum(int(page.get("Members@odata.count", 0)) for page in pages)


async def _read_storage(
    reader: RedfishReader,
    *,
    storage: Resource,
    facts: Facts,
    progress: Progress,
    is_expanding: bool,
) -> None:
    pools_path = link_of(storage, "StoragePools")
    if pools_path is None:
        facts.warnings.append(f"{name_of(storage)} has no StoragePools.")
        return
    progress("pools", reader.n_read)
    for pool in await reader.members(pools_path, is_expanding=is_expanding):
        facts.add_pool(pool)
    progress("volumes", reader.n_read)
    volumes_path = link_of(storage, "Volumes")
    if volumes_path:
        volumes = await reader.members(volumes_path, is_expanding=is_expanding)
        providers = [_providing_pool(volume) for volume in volumes]
        owners = {} if all(providers) else await _owners(reader, facts=facts)
        for volume, provider in zip(volumes, providers, strict=True):
            owner = provider or owners.get(str(volume.get("@odata.id")))
            facts.add_volume(volume, pool_path=owner)
    progress("drives", reader.n_read)
    drives = storage.get("Drives") or []
    links = [drive["@odata.id"] for drive in drives if "@odata.id" in drive]
    for drive in await asyncio.gather(*(reader.read(link) for link in links)):
        facts.add_drive(drive)
    progress("done", reader.n_read)


def _providing_pool(volume: Resource) -> str | None:
    """Path of the pool that a volume names itself."""
    for source in volume.get("CapacitySources") or []:
        if not isinstance(source, dict):
            continue
        providing = source.get("ProvidingPools")
        one = providing[0] if isinstance(providing, list) and providing else providing
        if isinstance(one, dict) and isinstance(one.get("@odata.id"), str):
            return str(one["@odata.id"])
    return None


async def _owners(reader: RedfishReader, *, facts: Facts) -> dict[str, str]:
    """Which pool says it allocated which volume, for volumes that do not name their pool."""
    owners: dict[str, str] = {}
    for path in facts.pools:
        pool = await reader.read(path)
        allocated = link_of(pool, "AllocatedVolumes")
        page_path = allocated
        while page_path:
            page = await reader.read(page_path)
            for member in page.get("Members") or []:
                owners[str(member.get("@odata.id"))] = path
            page_path = page.get("Members@odata.nextLink")
    return owners
