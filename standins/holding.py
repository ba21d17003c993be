"""What the files of a datastore hold of its volume."""

from collections.abc import Iterator

from standins.arrays import HISTORY_DAYS, Pool, written_bytes
from standins.compute import Datastore, Disk

MIB = 1024**2
PAGE_BYTES = 4096


def held_bytes(disk: Disk, *, written: int) -> int:
    """Return what a disk takes of its volume, in whole pages."""
    return min(int(disk.share * written) // PAGE_BYTES * PAGE_BYTES, disk.size_bytes)


def other_files(store: Datastore, *, written: int) -> Iterator[tuple[str, int, int]]:
    """Yield path, size and held bytes of the files that are no VM's disk."""
    for path, share in store.orphans:
        held = int(share * written) // PAGE_BYTES * PAGE_BYTES
        yield path, held, held
    yield f"{store.path}/install.iso", 780 * MIB, 780 * MIB
    yield f"{store.path}/heartbeat.log", 12 * MIB, 12 * MIB


def held_on(store: Datastore, *, day: float) -> int:
    """Return what all files of a datastore hold at a day."""
    written = written_bytes(store.volume, day=day)
    disks = sum(held_bytes(disk, written=written) for disk in store.disks)
    return disks + sum(held for *_, held in other_files(store, written=written))


def snapshot_bytes(pool: Pool, *, day: float) -> int:
    """Return what the snapshots of a pool hold at a day, growing straight on."""
    share, growth = pool.story.snapshot_share, pool.story.snapshot_growth
    today = sum(written_bytes(volume, day=HISTORY_DAYS - 1) for volume in pool.volumes) * share
    grown = 1 + growth * (day - (HISTORY_DAYS - 1)) / 365
    return max(0, int(today * grown)) // PAGE_BYTES * PAGE_BYTES
