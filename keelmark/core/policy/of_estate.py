"""The facts that rules judge by, out of the estate's columns."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Final

import numpy as np

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.estate.columns import NOWHERE, Amounts, Pairs, Table, Words
from keelmark.core.estate.reading import Reading, When
from keelmark.core.policy.facts import (
    NOT_TOLD,
    SUBJECTS,
    CopyFacts,
    DiskFacts,
    Facts,
    Flags,
    Media,
    PoolFacts,
    VmFacts,
    VolumeFacts,
)
from keelmark.core.policy.groups import Groups, grouped, paired
from keelmark.core.policy.nearest import PLANNED_SNAPSHOTS

ALLOWED_AGE_DAYS: Final = 1  # of what was read last, where nobody says otherwise
# Drives that may fail in one group, by the names of DMTF's RAIDType.
LOSSES_OF_RAID: Final = {
    "RAID0": 0, "RAID00": 0, "None": 0, "RAID1": 1, "RAID10": 1, "RAID01": 1, "RAID1E": 1,
    "RAID1Triple": 2, "RAID10Triple": 2, "RAID10E": 1, "RAID3": 1, "RAID4": 1, "RAID5": 1,
    "RAID50": 1, "RAID6": 2, "RAID60": 2, "RAID6TP": 3,
}  # fmt: skip
MOST_OF_RAID: Final = max(LOSSES_OF_RAID.values())
_RAID_NAME = re.compile(r"[^A-Za-z0-9]")


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Freshness:
    """How old what is known of things of a kind may be, (n_things,).

    ``allowed_days`` from the day of a reading on; ``is_silent`` where nobody who tells of a thing
    has been heard within the age that is allowed to them.
    """

    allowed_days: Int64s
    is_silent: Bools


def facts_of(
    reading: Reading, *, now: float, fresh: Mapping[str, Freshness] = MappingProxyType({})
) -> Facts:
    """Return what rules judge by.

    Parameters
    ----------
    reading : Reading
        The estate at a day. Runway and overcommit are of that day; what protects bytes is told
        of now alone.
    now : float
        Minutes since 1970, from which ages are counted.
    fresh : mapping of kind to Freshness, optional
        Kinds that it does not name are allowed a day.
    """
    pools = _pools(reading, fresh)
    disks, vms = reading.estate.table("disk"), reading.estate.table("vm")
    tiers = disks.columns["tier"]
    words = tiers.words if isinstance(tiers, Words) else ()
    codes = tiers.codes if isinstance(tiers, Words) else np.full(len(disks), NOWHERE)
    volumes = _volumes(reading, fresh, now=now)
    copies, copies_of = _copies(reading)
    n_stores = len(reading.estate.table("datastore"))
    extents = reading.estate.pairs.get("extents", _NO_PAIRS)
    return Facts(
        now=now,
        disks=DiskFacts(
            vm=reading.link("disk", "vm"),
            store=reading.store_of_disk,
            is_thick=_thick(disks),
            tier=codes.astype(np.int64),
            is_tier_told=np.full(len(disks), bool(words)),
            is_stale=_stale(reading, "disk", fresh),
        ),
        vms=_vms(reading, fresh),
        volumes=volumes,
        copies=copies,
        pools=pools,
        n_stores=n_stores,
        is_store_stale=_stale(reading, "datastore", fresh),
        extents=paired(extents.left, extents.right, n=n_stores),
        disks_of=grouped(_there(reading, "disk", "vm"), n=len(vms)),
        copies_of=copies_of,
        volumes_of=grouped(_there(reading, "volume", "pool"), n=len(pools.array)),
        sites=reading.estate.table("site").names,
        tiers=words,
        protocols=_protocols(reading.estate.table("volume")).words,
        labels={kind: _labels(reading.estate.table(kind)) for kind in SUBJECTS},
    )


_NO_PAIRS = Pairs(left=np.zeros(0, dtype=np.int64), right=np.zeros(0, dtype=np.int64))


def _labels(table: Table) -> dict[str, Bools]:
    """Which things bear each label; those of one stand in one text with spaces between."""
    told = table.columns.get("labels")
    if not isinstance(told, Words):
        return {}
    of_label: dict[str, list[int]] = {}
    for code, word in enumerate(told.words):
        for label in word.split():
            of_label.setdefault(label, []).append(code)
    return {label: np.isin(told.codes, codes) for label, codes in of_label.items()}


def _there(reading: Reading, kind: str, link: str) -> Int64s:
    """Where things lead that are there; what is gone is of nothing any more."""
    return np.where(reading.is_there[kind], reading.link(kind, link), NOWHERE)


def _stale(reading: Reading, kind: str, fresh: Mapping[str, Freshness]) -> Bools:
    """Of what nothing is judged: nobody read it, or too long ago."""
    read, told = reading.estate.table(kind).amounts("read"), fresh.get(kind)
    days = ALLOWED_AGE_DAYS if told is None else told.allowed_days
    is_old: Bools = ~read.is_known | (read.values < reading.estate.day - days)
    return is_old if told is None else is_old | told.is_silent


def _thick(table: Table) -> Flags:
    told = table.columns.get("thickness")
    if not isinstance(told, Words):
        return np.full(len(table), NOT_TOLD)
    return _one_of(told, yes="thick", no="thin")


def _one_of(told: Words, *, yes: str, no: str) -> Flags:
    flags = np.array(
        [*(np.int8({yes: 1, no: 0}.get(word, NOT_TOLD)) for word in told.words), NOT_TOLD],
        dtype=np.int8,
    )
    return flags[told.codes]


def _flag(table: Table, name: str) -> Flags:
    told = table.amounts(name)
    return np.where(told.is_known, told.values, NOT_TOLD).astype(np.int8)


def _moment(told: Amounts) -> Float64s:
    return np.where(told.is_known, told.values, np.nan).astype(np.float64)


def _protocols(volumes: Table) -> Words:
    told = volumes.columns.get("access")
    if isinstance(told, Words):
        return told
    return Words(codes=np.full(len(volumes), NOWHERE, dtype=np.int32), words=())


def _volumes(reading: Reading, fresh: Mapping[str, Freshness], *, now: float) -> VolumeFacts:
    table = reading.estate.table("volume")
    newest, oldest, any_told = _snapshots(reading, "volume")
    # What a plan takes snapshots of has one that is as old as may be.
    newest = np.fmax(newest, now - _planned_minutes(table))
    pairs = reading.estate.pairs.get("replicas", _NO_PAIRS)
    return VolumeFacts(
        pool=reading.link("volume", "pool"),
        array=_array_of(reading),
        site=reading.link("volume", "site"),
        protocol=_protocols(table).codes.astype(np.int64),
        is_thick=_thick(table),
        is_encrypted=_flag(table, "encrypted"),
        is_compressed=_flag(table, "compressed"),
        is_deduplicated=_flag(table, "deduplicated"),
        snapshot_at=newest,
        first_snapshot_at=oldest,
        are_snapshots_told=np.full(len(table), any_told),
        are_copies_told=np.full(len(table), len(pairs) > 0),
        is_stale=_stale(reading, "volume", fresh),
    )


def _planned_minutes(volumes: Table) -> Float64s:
    """Every how many minutes a plan takes snapshots of volumes, NaN where it takes none."""
    told = volumes.columns.get(PLANNED_SNAPSHOTS)
    if not isinstance(told, Words):
        return np.full(len(volumes), np.nan)
    return np.array([*(float(word) for word in told.words), np.nan])[told.codes]


def _array_of(reading: Reading) -> Int64s:
    """The array of a volume: that of its pool, else its own."""
    own, pool = reading.link("volume", "array"), reading.link("volume", "pool")
    of_pool = np.append(reading.link("pool", "array"), NOWHERE)[pool]
    return np.where(of_pool != NOWHERE, of_pool, own)


def _vms(reading: Reading, fresh: Mapping[str, Freshness]) -> VmFacts:
    table = reading.estate.table("vm")
    newest, oldest, _ = _snapshots(reading, "vm")
    return VmFacts(
        host=reading.link("vm", "host"),
        site=reading.link("vm", "site"),
        backed_up_at=_moment(table.amounts("backed_up_minute")),
        are_backups_told=table.amounts("backup_runs").values > 0,
        snapshot_at=newest,
        first_snapshot_at=oldest,
        is_stale=_stale(reading, "vm", fresh),
    )


def _snapshots(reading: Reading, of: str) -> tuple[Float64s, Float64s, bool]:
    """The newest and the oldest snapshot of each thing, and whether anybody tells of any."""
    table = reading.estate.table("snapshot")
    onto = _there(reading, "snapshot", of)
    groups = grouped(onto, n=len(reading.estate.table(of)))
    taken = _moment(table.amounts("taken_minute"))
    return groups.most_known(taken), -groups.most_known(-taken), bool(len(groups.parts))


def _copies(reading: Reading) -> tuple[CopyFacts, Groups]:
    pairs = reading.estate.pairs.get("replicas", _NO_PAIRS)
    table = reading.estate.table("volume")
    there = reading.is_there["volume"]
    is_kept = there[pairs.left] & there[pairs.right]
    volume, copy = pairs.left[is_kept], pairs.right[is_kept]
    copied = _moment(table.amounts("copied_minute"))
    facts = CopyFacts(
        volume=volume, site=reading.link("volume", "site")[copy], copied_at=copied[volume]
    )
    return facts, grouped(volume, n=len(table))


def _pools(reading: Reading, fresh: Mapping[str, Freshness]) -> PoolFacts:
    table = reading.estate.table("pool")
    books = reading.books["pool"]
    marks = reading.estate.marks["pool"]
    plannable = books.plannable(marks.limit_percent)
    media, device_losses = _own_media(reading), _own_losses(reading)
    media, device_losses, most_losses = _shared(reading, media=media, losses=device_losses)
    early = table.amounts("early")
    day = reading.day
    runway = np.where(early.is_known, early.values - day, np.inf).astype(np.float64)
    state = table.columns["state"]
    is_unread = np.zeros(len(table), dtype=np.bool_)
    if isinstance(state, Words) and "unread" in state.words:
        is_unread = state.codes == state.words.index("unread")
    if reading.when is When.PAST:
        is_unread |= True  # what was forecast then is not kept
    return PoolFacts(
        array=reading.link("pool", "array"),
        site=reading.link("pool", "site"),
        media=media,
        device_losses=device_losses,
        most_device_losses=most_losses,
        host_losses=_host_losses(reading),
        overcommit_percent=books.overcommit_percent,
        runway_days=np.where(is_unread, np.nan, runway),
        plannable_bytes=_moment(plannable),
        is_stale=_stale(reading, "pool", fresh),
    )


def _own_media(reading: Reading) -> np.ndarray[tuple[int], np.dtype[np.int8]]:
    drives = reading.estate.table("drive")
    told = np.zeros(len(reading.estate.table("pool")), dtype=np.int8)
    words = drives.columns.get("media")
    if not isinstance(words, Words):
        return told
    bits = np.array(
        [*(Media[one.upper()] if one.upper() in Media.__members__ else 0 for one in words.words), 0]
    )
    onto = _there(reading, "drive", "pool")
    is_in = onto != NOWHERE
    np.bitwise_or.at(told, onto[is_in], bits[words.codes[is_in]].astype(np.int8))
    return told


def _host_losses(reading: Reading) -> Float64s:
    """What no host carries loses nothing by the loss of any; of what hosts carry nobody tells."""
    onto = _there(reading, "drive", "pool")[reading.link("drive", "host") != NOWHERE]
    is_carried = reading.link("pool", "cluster") != NOWHERE
    is_carried[onto[onto != NOWHERE]] = True
    is_of_array = reading.link("pool", "array") != NOWHERE
    told: Float64s = np.where(is_of_array & ~is_carried, np.inf, np.nan)
    return told


def _own_losses(reading: Reading) -> Float64s:
    """What the RAID of a pool survives, less the drives of it that failed already."""
    table, drives = reading.estate.table("pool"), reading.estate.table("drive")
    raid = table.columns.get("raid")
    losses = np.full(len(table), np.nan)
    if isinstance(raid, Words):
        known = [LOSSES_OF_RAID.get(_RAID_NAME.sub("", one)) for one in raid.words]
        each = np.array([*(np.nan if one is None else float(one) for one in known), np.nan])
        losses = each[raid.codes]
    role = drives.columns.get("role")
    if isinstance(role, Words) and "failed" in role.words:
        onto = _there(reading, "drive", "pool")
        is_failed = (role.codes == role.words.index("failed")) & (onto != NOWHERE)
        losses = losses - np.bincount(onto[is_failed], minlength=len(table))
    left: Float64s = np.maximum(losses, 0)
    return left


def _shared(
    reading: Reading, *, media: np.ndarray[tuple[int], np.dtype[np.int8]], losses: Float64s
) -> tuple[np.ndarray[tuple[int], np.dtype[np.int8]], Float64s, Float64s]:
    """Pools over volumes of other pools: their media, what their sides surely survive, and at most.

    Each side that is whole takes one loss more than the weakest pool under it to go; the bytes
    are lost when the last one does. Where nobody tells what that survives, it is none or as many
    as any RAID does.
    """
    table = reading.estate.table("pool")
    pairs = reading.estate.pairs.get("backings", _NO_PAIRS)
    sides, lost = table.amounts("sides"), table.amounts("lost_sides")
    below = np.append(reading.link("volume", "pool"), NOWHERE)[pairs.right]
    groups = paired(pairs.left, below, n=len(table))
    media = media.copy()
    is_in = below != NOWHERE
    np.bitwise_or.at(media, pairs.left[is_in], media[below[is_in]])
    weakest = groups.least(losses)
    whole = sides.values - lost.values
    is_shared = sides.is_known & (sides.values > 0)
    least, most = (
        np.where(is_shared, np.maximum(whole * (np.nan_to_num(weakest, nan=n) + 1) - 1, 0), losses)
        for n in (0, MOST_OF_RAID)
    )
    return media, least, most
