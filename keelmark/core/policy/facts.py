"""What rules judge by: what lies on what, and what is known of each."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import IntFlag
from typing import Final

import numpy as np
from numpy.typing import NDArray

from keelmark.core.arrays import Bools, Float64s, Int64s
from keelmark.core.policy.groups import Groups

SUBJECTS: Final = ("disk", "vm", "volume", "datastore")
Flags = NDArray[np.int8]  # 1 so, 0 not so, −1 nobody told
NOT_TOLD: Final = np.int8(-1)


class Media(IntFlag):
    """Of what drives are; a pool may stand on both."""

    SSD = 1
    HDD = 2


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class DiskFacts:
    """Virtual disks, (n_disks,) each; links are rows, −1 nowhere."""

    vm: Int64s
    store: Int64s
    is_thick: Flags
    tier: Int64s  # into Facts.tiers, −1 none
    is_tier_told: Bools  # somebody tells of tiers here, and be it none
    is_stale: Bools


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class VmFacts:
    """VMs, (n_vms,) each; moments in minutes since 1970, NaN where nobody told."""

    host: Int64s
    site: Int64s
    backed_up_at: Float64s
    are_backups_told: Bools  # of a run at least, and be it one that failed
    snapshot_at: Float64s  # the newest
    first_snapshot_at: Float64s  # the oldest that is kept
    is_stale: Bools


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class VolumeFacts:
    """Volumes, (n_volumes,) each; moments in minutes since 1970, NaN where nobody told."""

    pool: Int64s
    array: Int64s
    site: Int64s
    protocol: Int64s  # into Facts.protocols, −1 not told
    is_thick: Flags
    is_encrypted: Flags
    is_compressed: Flags
    is_deduplicated: Flags
    snapshot_at: Float64s
    first_snapshot_at: Float64s
    are_snapshots_told: Bools  # somebody tells of snapshots here, and be it none
    are_copies_told: Bools
    is_stale: Bools


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class CopyFacts:
    """Copies of volumes, (n_copies,) each."""

    volume: Int64s
    site: Int64s  # of the copy
    copied_at: Float64s


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class PoolFacts:
    """Pools, (n_pools,) each, shared ones with what their members give together."""

    array: Int64s
    site: Int64s
    media: NDArray[np.int8]  # of Media, 0 not told
    device_losses: Float64s  # that it surely survives now, NaN not told
    most_device_losses: Float64s  # that it survives at most, the same where all is told
    host_losses: Float64s  # inf where no host carries it, NaN not told
    overcommit_percent: Float64s
    runway_days: Float64s  # early, to the limit mark; inf beyond the horizon, NaN unread
    plannable_bytes: Float64s
    is_stale: Bools


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Facts:
    """The estate as rules see it at one moment.

    ``now`` is in minutes since 1970. ``extents`` groups volumes by datastore, ``disks_of``
    disks by VM, ``copies_of`` copies by volume, ``volumes_of`` volumes by pool. ``labels``
    holds by kind and label, such as ``crew:night``, which things bear it.
    """

    now: float
    disks: DiskFacts
    vms: VmFacts
    volumes: VolumeFacts
    copies: CopyFacts
    pools: PoolFacts
    n_stores: int
    is_store_stale: Bools
    extents: Groups
    disks_of: Groups
    copies_of: Groups
    volumes_of: Groups
    sites: tuple[str, ...]
    tiers: tuple[str, ...]
    protocols: tuple[str, ...]
    labels: Mapping[str, Mapping[str, Bools]] = field(default_factory=dict)

    def n_of(self, kind: str) -> int:
        """Return how many subjects of a kind there are."""
        return {
            "disk": len(self.disks.vm),
            "vm": len(self.vms.host),
            "volume": len(self.volumes.pool),
            "datastore": self.n_stores,
        }[kind]

    def labelled(self, kind: str, label: str) -> Bools:
        """Return which of a kind bear a label themselves."""
        told = self.labels.get(kind, {}).get(label)
        return np.zeros(self.n_of(kind), dtype=np.bool_) if told is None else told
