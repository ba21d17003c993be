"""Pools that an array does not tell of: drives that volumes are laid on directly.

An older service has volumes with a RAID type and member drives, and no pools. What those drives
hold together follows from both; where they do not say enough, nothing is made up.
"""

from collections import defaultdict
from collections.abc import Sequence

from keelmark.estate.documents import PoolDocument
from keelmark.feeds.redfish.facts import Facts
from keelmark.feeds.redfish.resource import Resource, amount_in, dig, name_of, path_of

# the type of volumes before they told a RAID type
OLDER_TYPES = {
    "NonRedundant": "RAID0",
    "RawDevice": "RAID0",
    "Mirrored": "RAID1",
    "StripedWithParity": "RAID5",
    "SpannedMirrors": "RAID10",
}
# drives' worth of parity in each span
PARITY = {"RAID3": 1, "RAID4": 1, "RAID5": 1, "RAID6": 2, "RAID6TP": 3, "RAID50": 1, "RAID60": 2}
SPANNED = {"RAID50", "RAID60"}
MIRRORED = {"RAID10", "RAID01", "RAID1E"}
PAIR = 2


class _OpenError(Exception):
    """What was told leaves the pool open; says why."""


def add_implied_pools(
    facts: Facts, *, volumes: Sequence[Resource], drives: Sequence[Resource]
) -> dict[str, str]:
    """Add a pool for every set of drives that volumes say enough of; return volume → pool.

    Both by resource path. What is not said enough is told as a warning, once a set of drives.
    """
    known = {path_of(drive): drive for drive in drives}
    laid: dict[tuple[str, ...], list[Resource]] = defaultdict(list)
    for volume in volumes:
        laid[_members(volume)].append(volume)
    n_sets: dict[str, int] = defaultdict(int)
    for members in laid:
        for member in members:
            n_sets[member] += 1
    owners: dict[str, str] = {}
    for members, on_them in laid.items():
        names = ", ".join(name_of(volume) for volume in on_them[:3])
        try:
            if any(n_sets[member] > 1 for member in members):
                raise _OpenError("its drives bear volumes of other drives too")
            usable = _usable(members, on_them, known=known)
        except _OpenError as exc:
            facts.warnings.append(f"No pool could be told for {names}: {exc}.")
            continue
        pool = _pool(facts, members, on_them, known=known, usable_bytes=usable)
        path = f"{members[0]}/pool"
        facts.pools[path] = pool
        facts.pool_of_drive.update(dict.fromkeys(members, path))
        owners |= {path_of(volume): path for volume in on_them}
    return owners


def usable_drives(raid: str, *, n_drives: int, n_spans: int | None = None) -> float | None:
    """Return how many drives' worth of space a RAID type leaves, or None where that is open."""
    if raid in {"RAID0", "None"}:
        return n_drives if n_drives > 0 else None
    if raid == "RAID1":
        return 1 if n_drives == PAIR else None  # of more it is not said how many copies
    if raid in MIRRORED:
        return n_drives / PAIR if n_drives > PAIR and n_drives % PAIR == 0 else None
    parity = PARITY.get(raid)
    if parity is None:
        return None
    spans = n_spans if raid in SPANNED else 1
    if not spans or n_drives % spans:
        return None
    left = n_drives - parity * spans
    return left if left >= PAIR * spans else None


def _usable(
    members: tuple[str, ...], volumes: list[Resource], *, known: dict[str, Resource]
) -> int:
    """Bytes that a set of drives holds for the volumes on it."""
    if not members:
        raise _OpenError("its drives are not told")
    least = min(_drive_bytes(member, known=known) for member in members)
    raids = {raid_of(volume) for volume in volumes}
    if len(raids) > 1 or None in raids:
        raise _OpenError("the RAID type is not told" if None in raids else "RAID types differ")
    raid, spans = str(raids.pop()), volumes[0].get("MediaSpanCount")
    worth = usable_drives(
        raid, n_drives=len(members), n_spans=spans if isinstance(spans, int) else None
    )
    if worth is None:
        raise _OpenError(f"what {raid} of {len(members)} drives leaves is open")
    usable = int(worth * least)
    if _size(volumes) > usable:
        raise _OpenError(f"volumes are larger than {raid} of {len(members)} drives leaves")
    return usable


def _drive_bytes(path: str, *, known: dict[str, Resource]) -> int:
    if path not in known:
        raise _OpenError(f"drive {path} is not among the drives")
    size, _ = amount_in(known[path], "CapacityBytes")
    if size is None:
        raise _OpenError(f"drive {name_of(known[path])} has no size")
    return size


def _pool(
    facts: Facts,
    members: tuple[str, ...],
    volumes: list[Resource],
    *,
    known: dict[str, Resource],
    usable_bytes: int,
) -> PoolDocument:
    raid = str(raid_of(volumes[0]))
    size = _size(volumes)  # laid on drives directly, a volume takes all of its size at once
    return PoolDocument(
        uid=facts.place(f"{members[0]}/pool"),
        array_uid=facts.array.uid,
        name=f"{raid} of {len(members)} from {name_of(known[members[0]])}"[:200],
        usable_bytes=usable_bytes,
        used_bytes=size,
        provisioned_bytes=size,
        backing="raid",
        raid=raid,
        read_at=facts.read_at,
    )


def raid_of(volume: Resource) -> str | None:
    """Return the RAID type of a volume, also as older versions told it."""
    told = volume.get("RAIDType") or OLDER_TYPES.get(str(volume.get("VolumeType")))
    return told if isinstance(told, str) else None


def _members(volume: Resource) -> tuple[str, ...]:
    links = dig(volume, "Links").get("Drives")
    told = links if isinstance(links, list) else []
    return tuple(sorted({str(link["@odata.id"]) for link in told if _is_link(link)}))


def _is_link(link: object) -> bool:
    return isinstance(link, dict) and isinstance(link.get("@odata.id"), str)


def _size(volumes: list[Resource]) -> int:
    return sum(amount_in(volume, "CapacityBytes")[0] or 0 for volume in volumes)
