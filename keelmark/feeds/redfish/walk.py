"""Walks an array's resource tree, at the stand-alone place or the older one under Systems."""

import asyncio
import ssl
from datetime import UTC, datetime

import httpx

from keelmark.estate.documents import ArrayDocument, CompleteDocument
from keelmark.feeds.errors import AnswerError
from keelmark.feeds.far_end import (
    DEFAULT_TIMEOUT_SECONDS,
    Collection,
    FarEnd,
    Progress,
    trust_of,
)
from keelmark.feeds.redfish.client import (
    FIRST_BACK_OFF_SECONDS,
    ROOT,
    RedfishReader,
    Resource,
    open_reader,
)
from keelmark.feeds.redfish.facts import Facts
from keelmark.feeds.redfish.implied import add_implied_pools
from keelmark.feeds.redfish.resource import (
    dig,
    link_of,
    links_in,
    name_of,
    path_of,
    text_or_none,
    uid_of,
)
from keelmark.feeds.redfish.session import run

SHELF_TYPES = ("StorageEnclosure",)


def collect_array(far_end: FarEnd, progress: Progress) -> Collection:
    """Return everything of the array at a far end's address."""
    work = collect(
        far_end.address,
        user=far_end.user,
        password=far_end.password,
        progress=progress,
        back_off_seconds=far_end.back_off_seconds,
        trust=trust_of(far_end),
        timeout_seconds=far_end.timeout_seconds,
        is_guarded=far_end.is_guarded,
    )
    return run(work)


async def collect(
    url: str,
    *,
    user: str,
    password: str,
    progress: Progress,
    back_off_seconds: float = FIRST_BACK_OFF_SECONDS,
    trust: ssl.SSLContext | None = None,
    timeout_seconds: float = DEFAULT_TIMEOUT_SECONDS,
    is_guarded: bool = False,
    transport: httpx.AsyncBaseTransport | None = None,
) -> Collection:
    """Return everything of the array at a URL, or raise a CollectError; never a part."""
    async with open_reader(
        url,
        user=user,
        password=password,
        back_off_seconds=back_off_seconds,
        trust=trust,
        timeout_seconds=timeout_seconds,
        is_guarded=is_guarded,
        transport=transport,
    ) as reader:
        progress("service root", reader.n_read)
        root = await reader.read(ROOT)
        is_expanding = bool(dig(root, "ProtocolFeaturesSupported", "ExpandQuery").get("ExpandAll"))
        storages = await storages_of(reader, root=root)
        facts = Facts(
            url=reader.base_url,
            read_at=datetime.now(UTC),
            array=await _array(reader, storages=storages),
        )
        await _read_places(reader, root=root, facts=facts)
        for storage in storages:
            await _read_storage(
                reader, storage=storage, facts=facts, progress=progress, is_expanding=is_expanding
            )
    return Collection(
        documents=[
            *facts.documents,
            CompleteDocument(of_uid=facts.array.uid, read_at=facts.read_at),
        ],
        warnings=reader.warnings + facts.warnings,
    )


async def storages_of(reader: RedfishReader, *, root: Resource) -> list[Resource]:
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
    enclosures = links_in(dig(storage, "Links").get("Enclosures"))
    chassis = await reader.read(enclosures[0]) if enclosures else {}
    if not chassis:
        root = await reader.read(ROOT)
        listed = link_of(root, "Chassis")
        members = await reader.members(listed, is_expanding=False) if listed else []
        own = [one for one in members if one.get("ChassisType") not in SHELF_TYPES]
        chassis = own[0] if len(own) == 1 else {}
    serial = chassis.get("SerialNumber")
    durable = uid_of(storage)
    uid = f"serial.{serial}" if serial else durable
    if uid is None:
        raise AnswerError(
            url=reader.base_url + str(storage.get("@odata.id")),
            why="it has neither a serial number nor a durable name",
        )
    site = dig(chassis, "Location", "PostalAddress").get("Name")
    return ArrayDocument(
        uid=uid,
        also=[durable] if durable and durable != uid else [],
        name=name_of(storage),
        site=text_or_none(site),
        model=text_or_none(chassis.get("Model")),
        n_controllers=await _n_controllers(reader, storage=storage),
        read_at=datetime.now(UTC),
    )


async def _n_controllers(reader: RedfishReader, *, storage: Resource) -> int | None:
    path = link_of(storage, "Controllers")
    if path is None:
        return None
    page = await reader.read(path)
    told = page.get("Members@odata.count")
    return told if isinstance(told, int) else len(page.get("Members") or [])


async def _read_places(reader: RedfishReader, *, root: Resource, facts: Facts) -> None:
    """Shelves, and the initiators of every fabric: what drives sit in, who volumes go to."""
    chassis = link_of(root, "Chassis")
    for one in await reader.members(chassis, is_expanding=False) if chassis else []:
        if one.get("ChassisType") in SHELF_TYPES and link_of(one, "Drives"):
            facts.add_shelf(one)
    fabrics = link_of(root, "Fabrics")
    for fabric in await reader.members(fabrics, is_expanding=False) if fabrics else []:
        endpoints = link_of(fabric, "Endpoints")
        for endpoint in await reader.members(endpoints, is_expanding=False) if endpoints else []:
            facts.add_endpoint(endpoint)


async def _read_ports(reader: RedfishReader, *, storage: Resource, facts: Facts) -> None:
    path = link_of(storage, "Controllers")
    for controller in await reader.members(path, is_expanding=False) if path else []:
        ports = link_of(controller, "Ports")
        for port in await reader.members(ports, is_expanding=False) if ports else []:
            told = facts.add_port(port, controller=name_of(controller))
            metrics = link_of(port, "Metrics")
            if metrics:
                facts.count_port(told, await reader.read(metrics))
    facts.array.n_ports = len(facts.ports) or None


async def _read_exports(reader: RedfishReader, *, storage: Resource, facts: Facts) -> None:
    path = link_of(storage, "FileSystems")
    for system in await reader.members(path, is_expanding=False) if path else []:
        shares = link_of(system, "ExportedShares")
        found = await reader.members(shares, is_expanding=False) if shares else []
        facts.add_file_system(system, shares=found)


async def _read_storage(
    reader: RedfishReader,
    *,
    storage: Resource,
    facts: Facts,
    progress: Progress,
    is_expanding: bool,
) -> None:
    pools_path = link_of(storage, "StoragePools")
    progress("ports", reader.n_read)
    await _read_ports(reader, storage=storage, facts=facts)
    await _read_exports(reader, storage=storage, facts=facts)
    progress("pools", reader.n_read)
    for pool in await reader.members(pools_path, is_expanding=is_expanding) if pools_path else []:
        facts.add_pool(pool)
    progress("volumes", reader.n_read)
    volumes_path = link_of(storage, "Volumes")
    volumes = await reader.members(volumes_path, is_expanding=is_expanding) if volumes_path else []
    progress("drives", reader.n_read)
    links = links_in(storage.get("Drives"))
    drives = await asyncio.gather(*(reader.read(link) for link in links))
    providers = [_providing_pool(volume) for volume in volumes]
    if pools_path is None:
        owners = add_implied_pools(facts, volumes=volumes, drives=drives)
    else:
        owners = {} if all(providers) else await _owners(reader, facts=facts)
    for volume, provider in zip(volumes, providers, strict=True):
        facts.add_volume(
            volume,
            pool_path=provider or owners.get(path_of(volume)),
            may_lack_pool=pools_path is None,
        )
    for drive in drives:
        facts.add_drive(drive)
    progress("done", reader.n_read)


def _providing_pool(volume: Resource) -> str | None:
    """Path of the pool that a volume names itself."""
    sources = volume.get("CapacitySources")
    for source in sources if isinstance(sources, list) else []:
        paths = links_in(source.get("ProvidingPools")) if isinstance(source, dict) else []
        if paths:
            return paths[0]
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
            owners |= dict.fromkeys(links_in(page.get("Members")), path)
            page_path = page.get("Members@odata.nextLink")
    return owners
