"""What joining the layers shows over the whole estate, looked for anew after a delivery."""

from collections import defaultdict
from datetime import datetime

from django.db import connection, transaction

from keelmark.estate import sql
from keelmark.estate.models import (
    Extent,
    Finding,
    FindingKind,
    HostDevice,
    Link,
    LooseEnd,
    Mapping,
    PoolBacking,
    Replica,
    Volume,
)
from keelmark.estate.services.conflicts import keep

Wanted = dict[tuple[FindingKind, int, str], tuple[str, list[int]]]
OF_ESTATE = (
    FindingKind.LOOSE_END,
    FindingKind.NO_POOL,
    FindingKind.UNMANAGED_HOST,
    FindingKind.TWO_NAMES,
    FindingKind.FREE_BUT_OWNED,
    FindingKind.MIRROR_SIDE_LOST,
)


@transaction.atomic
def look_for_findings(*, at: datetime) -> int:
    """Open what is found, end what is no longer so; return how many stand open."""
    with connection.cursor() as cursor:
        cursor.execute(sql.TAKE_TURN_FINDING)
    wanted = (
        _loose_ends() | _loose_links() | _without_pool() | _unmanaged_hosts() | _devices()
        | _lost_mirror_sides()
    )  # fmt: skip
    keep(wanted, standing=Finding.objects.filter(kind__in=OF_ESTATE, ended_at=None), at=at)
    return len(wanted)


def _loose_ends() -> Wanted:
    ends = LooseEnd.objects.filter(entity__retired_at=None)
    return {
        (FindingKind.LOOSE_END, pk, column): (
            f"points to {uid} as its {column.removesuffix('_id')}, which no feed tells of",
            [],
        )
        for pk, column, uid in ends.values_list("entity_id", "column", "wanted_uid")
    }


def _loose_links() -> Wanted:
    wanted: Wanted = {}
    links: tuple[tuple[type[Link], str], ...] = (
        (Extent, "lies on volume {}, which no feed tells of"),
        (PoolBacking, "is carried by volume {}, which no feed tells of"),
        (Replica, "is replicated to {}, which no feed tells of"),
    )
    for link, words in links:
        loose = link._default_manager.filter(
            target=None, **{f"{link.OWNER}__entity__retired_at": None}
        )
        for pk, uid in loose.values_list(f"{link.OWNER}_id", "wanted_uid"):
            wanted[FindingKind.LOOSE_END, pk, uid] = (words.format(uid), [])
    return wanted


def _without_pool() -> Wanted:
    bare = Volume.objects.filter(pool=None, entity__retired_at=None)
    return {
        (FindingKind.NO_POOL, pk, "pool"): (
            f"lies straight on {array}: its bytes are in no pool's books",
            [array_id] if array_id else [],
        )
        for pk, array_id, array in bare.values_list("pk", "array_id", "array__entity__name")
    }


def _unmanaged_hosts() -> Wanted:
    unmanaged = Mapping.objects.filter(target=None, volume__entity__retired_at=None)
    return {
        (FindingKind.UNMANAGED_HOST, pk, uid): (
            f"is mapped to {uid}, a host that no feed manages: what it writes there is not "
            "explained by any VM",
            [],
        )
        for pk, uid in unmanaged.values_list("volume_id", "wanted_uid")
    }


def _devices() -> Wanted:
    """Volumes under different names, and volumes one host calls free while another owns them."""
    seen: dict[int, list[tuple[int, str, str, int, str]]] = defaultdict(list)
    devices = HostDevice.objects.filter(
        entity__retired_at=None, host__entity__retired_at=None, volume__entity__retired_at=None
    ).exclude(volume=None)
    for volume, pk, name, host, host_id, use in devices.values_list(
        "volume_id", "pk", "entity__name", "host__entity__name", "host_id", "use"
    ).order_by("host__entity__name", "pk"):
        seen[volume or 0].append((pk, name, host, host_id, use))
    owners = _owners()
    wanted: Wanted = {}
    for volume, views in seen.items():
        if len({name for _, name, *_ in views}) > 1:
            told = ", ".join(f"{name} on {host}" for _, name, host, *_ in views)
            hosts = [host_id for *_, host_id, _ in views]
            wanted[FindingKind.TWO_NAMES, volume, "device"] = (f"is {told}", hosts)
        wanted |= _free_but_owned(volume, views=views, owner=owners.get(volume))
    return wanted


def _owners() -> dict[int, tuple[int, str]]:
    """What lies on a volume: a datastore or a shared pool."""
    owners: dict[int, tuple[int, str]] = {}
    links: tuple[type[Link], ...] = (Extent, PoolBacking)
    for link in links:
        rows = link._default_manager.filter(
            target__isnull=False, **{f"{link.OWNER}__entity__retired_at": None}
        ).values_list("target_id", f"{link.OWNER}_id", f"{link.OWNER}__entity__name")
        owners |= {target: (pk, f"{link.OWNER} {name}") for target, pk, name in rows}
    return owners


def _free_but_owned(
    volume: int, *, views: list[tuple[int, str, str, int, str]], owner: tuple[int, str] | None
) -> Wanted:
    free = [view for view in views if view[4] == "free"]
    using = [view for view in views if view[4] == "in-use"]
    if not free or (owner is None and not using):
        return {}
    taken = owner[1] if owner else f"{using[0][2]}, which uses it as {using[0][1]}"
    others = [owner[0]] if owner else [using[0][3]]
    hosts = ", ".join(f"{host} (as {name})" for _, name, host, *_ in free)
    told = f"looks free to {hosts}, but it belongs to {taken}: do not give it away"
    return {(FindingKind.FREE_BUT_OWNED, volume, "use"): (told, others)}


def _lost_mirror_sides() -> Wanted:
    sides: dict[tuple[int, str], list[tuple[str, bool]]] = defaultdict(list)
    backings = PoolBacking.objects.filter(pool__entity__retired_at=None).exclude(mirror_side="")
    for pool, side, uid, retired_at, target in backings.values_list(
        "pool_id", "mirror_side", "wanted_uid", "target__retired_at", "target_id"
    ):
        sides[pool, side].append((uid, target is None or retired_at is not None))
    return {
        (FindingKind.MIRROR_SIDE_LOST, pool, side): (
            f"mirror side {side} has lost {sum(lost for _, lost in members)} of its "
            f"{len(members)} volumes: the other side is the only copy",
            [],
        )
        for (pool, side), members in sides.items()
        if any(lost for _, lost in members)
    }
