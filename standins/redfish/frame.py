"""Resources of what stands in the rack: enclosures, drives, controllers, ports, the service."""

from standins.arrays import DRIVE_BYTES
from standins.redfish.ground import Ground
from standins.redfish.shapes import MAKER, OK, ROOT, Resource, durable, io_statistics, link, typed

PORT_SHARES = {"0": 5, "1": 4, "2": 3}
N_CONTROLLERS = 2


def service_root(ground: Ground) -> Resource:
    """Return the root, which says where everything is."""
    root = typed(
        "ServiceRoot.v1_16_0",
        path=f"{ROOT}/",
        name=f"{ground.array.name} service",
        identifier="RootService",
        RedfishVersion="1.18.0",
        UUID=ground.array.uuid,
        SessionService=link(f"{ROOT}/SessionService"),
        Tasks=link(f"{ROOT}/TaskService"),
        StorageServices=link(f"{ROOT}/StorageServices"),
        Chassis=link(f"{ROOT}/Chassis"),
        Fabrics=link(f"{ROOT}/Fabrics"),
        Links={"Sessions": link(f"{ROOT}/SessionService/Sessions")},
        ProtocolFeaturesSupported={
            "ExpandQuery": {"ExpandAll": True, "Levels": True, "MaxLevels": 1},
            "TopSkipQuery": True,
        },
    )
    place = "Systems" if ground.array.story.location == "systems" else "Storage"
    root[place] = link(f"{ROOT}/{place}")
    return root


def session_service(ground: Ground) -> Resource:
    """Return the service of sessions."""
    return typed(
        "SessionService.v1_1_9",
        path=f"{ROOT}/SessionService",
        name="Sessions",
        ServiceEnabled=True,
        SessionTimeout=1800,
        Sessions=link(f"{ROOT}/SessionService/Sessions"),
    )


def system(ground: Ground) -> Resource:
    """Return the computer system that holds the storage."""
    path = f"{ROOT}/Systems/{ground.array.name}"
    return typed(
        "ComputerSystem.v1_22_0",
        path=path,
        name=ground.array.name,
        SerialNumber=ground.array.serial,
        HostName=f"{ground.array.name}.{ground.array.story.site.lower()}.test",
        Storage=link(f"{path}/Storage"),
        Status=OK,
    )


def chassis(ground: Ground) -> Resource:
    """Return the array as an enclosure."""
    path = f"{ROOT}/Chassis/{ground.array.name}"
    return typed(
        "Chassis.v1_25_0",
        path=path,
        name=ground.array.name,
        ChassisType="Enclosure",
        SerialNumber=ground.array.serial,
        Model="Shore",
        Location={"PostalAddress": {"Name": ground.array.story.site}},
        Drives=link(f"{path}/Drives"),
        Status=OK,
    )


def shelf(ground: Ground, name: str, *, path: str) -> Resource:
    """Return a shelf of drives."""
    return typed(
        "Chassis.v1_25_0",
        path=path,
        name=name,
        ChassisType="StorageEnclosure",
        SerialNumber=f"{ground.array.serial}-{name.rsplit('-', 1)[-1]}",
        Model="Ledge",
        Drives=link(f"{path}/Drives"),
        Status=OK,
    )


def fabric(ground: Ground) -> Resource:
    """Return the fabric at the front."""
    path = f"{ROOT}/Fabrics/front"
    return typed(
        "Fabric.v1_3_2",
        path=path,
        name="front",
        FabricType="FC",
        Endpoints=link(f"{path}/Endpoints"),
        Status=OK,
    )


def endpoint(ground: Ground, port: str, *, path: str) -> Resource:
    """Return an initiator that sees volumes."""
    return typed(
        "Endpoint.v1_8_1",
        path=path,
        name=f"initiator {port}",
        EndpointProtocol="FC",
        Identifiers=[durable("FC_WWN", port)],
        Status=OK,
    )


def drive(ground: Ground, number: str, *, path: str) -> Resource:
    """Return a drive with its role."""
    role, pool = ground.drives[number]
    links: Resource = {}
    if pool is not None:
        links["StoragePools"] = [link(f"{ground.storage}/StoragePools/{pool.name}")]
    return typed(
        "Drive.v1_20_0",
        path=path,
        name=f"drive-{number}",
        SerialNumber=f"{ground.array.serial}-D{number}",
        CapacityBytes=DRIVE_BYTES,
        MediaType="SSD",
        HotspareType="Global" if role == "spare" else "None",
        Links=links,
        Status=OK,
        Oem={MAKER: {"Role": "System"}} if role == "system" else {},
    )


def controller(ground: Ground, side: str, *, path: str) -> Resource:
    """Return a controller."""
    return typed(
        "StorageController.v1_8_0",
        path=path,
        name=f"controller {side}",
        Ports=link(f"{path}/Ports"),
        FirmwareVersion="3.2",
        Status=OK,
    )


def logged_in(ground: Ground, number: str) -> int:
    """How many initiators a port serves: none without a link, and none yet on a second array."""
    is_spare = number == "2" and not ground.array.name.endswith("-1")
    return 0 if number == "3" or is_spare else 12 + 2 * int(number)


def port(ground: Ground, number: str, *, path: str) -> Resource:
    """Return a front-end port."""
    return typed(
        "Port.v1_12_0",
        path=path,
        name=f"port {number}",
        CurrentSpeedGbps=32,
        MaxSpeedGbps=32,
        LinkStatus="LinkUp" if number != "3" else "NoLink",
        PortProtocol="FC",
        FibreChannel={"NumberDiscoveredRemotePorts": logged_in(ground, number)},
        Metrics=link(f"{path}/Metrics"),
        Status=OK,
    )


def _share_of(ground: Ground, *, number: str) -> float:
    """What a port carries of its array; both controllers have the same ports."""
    used = [n for n in PORT_SHARES if logged_in(ground, n)]
    whole = sum(PORT_SHARES[n] for n in used) * N_CONTROLLERS
    return PORT_SHARES[number] / whole if number in used else 0.0


def port_metrics(ground: Ground, *, path: str, day: float) -> Resource:
    """What went through a port: its share of what its array reads and writes."""
    number = path.split("/")[-2]
    whole = ground.counted([v for _, v in ground.volumes.values()], day=day)
    told = io_statistics(whole * _share_of(ground, number=number))
    return typed(
        "PortMetrics.v1_6_0",
        path=path,
        name="traffic",
        TXBytes=told["ReadIOKiBytes"] * 1024,
        RXBytes=told["WriteIOKiBytes"] * 1024,
    )
