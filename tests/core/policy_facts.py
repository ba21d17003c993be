"""Small estates for rules, and the same rules worked out subject by subject."""

import math

import numpy as np
from hypothesis import strategies as st

from keelmark.core.estate.columns import NOWHERE
from keelmark.core.policy.facts import (
    CopyFacts,
    DiskFacts,
    Facts,
    Media,
    PoolFacts,
    VmFacts,
    VolumeFacts,
)
from keelmark.core.policy.groups import grouped, paired
from keelmark.core.policy.rules import (
    Apart,
    BackedUp,
    Compressed,
    CopyElsewhere,
    Deduplicated,
    Encrypted,
    HasTier,
    Labelled,
    OnMedia,
    OvercommitCeiling,
    OverProtocol,
    Provisioning,
    RunwayFloor,
    Sites,
    SnapshotsEvery,
    SnapshotsKept,
    Survives,
    Together,
)

SITES = ("Skerry", "Marram", "Holmgate")
TIERS = ("Spring", "Neap")
PROTOCOLS = ("block", "file")
LABEL = "crew:night"
NOW = 29_000_000.0  # minutes


def made(
    seed: int, *, n_disks: int = 9, n_vms: int = 4, n_stores: int = 4, n_volumes: int = 6,
    n_pools: int = 3, share_unknown: float = 0.15, share_stale: float = 0.1,
) -> Facts:  # fmt: skip
    """Return facts drawn from a seed, with whatever is not known or too old."""
    rng = np.random.default_rng(seed)

    def rows(n: int, of: int) -> np.ndarray:
        told = rng.integers(0, max(of, 1), n)
        return np.where((rng.random(n) < share_unknown) | (of == 0), NOWHERE, told)

    def flags(n: int) -> np.ndarray:
        return np.where(rng.random(n) < share_unknown, -1, rng.integers(0, 2, n)).astype(np.int8)

    def numbers(n: int, low: float, high: float) -> np.ndarray:
        told = np.round(rng.uniform(low, high, n))
        return np.where(rng.random(n) < share_unknown, np.nan, told)

    def stale(n: int) -> np.ndarray:
        return rng.random(n) < share_stale

    store = rows(n_disks, n_stores)
    vm = rng.integers(0, n_vms, n_disks)
    extents = rng.random((n_stores, n_volumes)) < 1.5 / max(n_volumes, 1)
    copies = rng.integers(0, n_volumes, n_volumes)
    pool = rows(n_volumes, n_pools)
    losses = numbers(n_pools, 0, 3)
    return Facts(
        now=NOW,
        disks=DiskFacts(
            vm=vm, store=store, is_thick=flags(n_disks), tier=rows(n_disks, len(TIERS)),
            is_tier_told=rng.random(n_disks) < 0.5, is_stale=stale(n_disks),
        ),
        vms=VmFacts(
            host=rows(n_vms, 3), site=rows(n_vms, len(SITES)),
            backed_up_at=NOW - numbers(n_vms, 0, 3000), snapshot_at=NOW - numbers(n_vms, 0, 3000),
            first_snapshot_at=NOW - numbers(n_vms, 3000, 60000), is_stale=stale(n_vms),
            are_backups_told=rng.random(n_vms) < 0.5,
        ),
        volumes=VolumeFacts(
            pool=pool, array=rows(n_volumes, 3), site=rows(n_volumes, len(SITES)),
            protocol=rows(n_volumes, len(PROTOCOLS)), is_thick=flags(n_volumes),
            is_encrypted=flags(n_volumes), is_compressed=flags(n_volumes),
            is_deduplicated=flags(n_volumes), snapshot_at=NOW - numbers(n_volumes, 0, 3000),
            first_snapshot_at=NOW - numbers(n_volumes, 3000, 60000),
            are_snapshots_told=rng.random(n_volumes) < 0.8,
            are_copies_told=rng.random(n_volumes) < 0.8, is_stale=stale(n_volumes),
        ),
        copies=CopyFacts(
            volume=copies, site=rows(n_volumes, len(SITES)),
            copied_at=NOW - numbers(n_volumes, 0, 3000),
        ),
        pools=PoolFacts(
            array=rows(n_pools, 3), site=rows(n_pools, len(SITES)),
            media=rng.integers(0, 4, n_pools).astype(np.int8),
            device_losses=losses, most_device_losses=losses + rng.integers(0, 2, n_pools),
            host_losses=numbers(n_pools, 0, 2),
            overcommit_percent=numbers(n_pools, 50, 300), runway_days=numbers(n_pools, 0, 400),
            plannable_bytes=numbers(n_pools, 0, 1e12), is_stale=stale(n_pools),
        ),
        n_stores=n_stores,
        is_store_stale=stale(n_stores),
        extents=paired(*np.nonzero(extents), n=n_stores),
        disks_of=grouped(vm, n=n_vms),
        copies_of=grouped(copies, n=n_volumes),
        volumes_of=grouped(pool, n=n_pools),
        sites=SITES,
        tiers=TIERS,
        protocols=PROTOCOLS,
        labels={
            kind: {LABEL: rng.random(n) < 0.5}
            for kind, n in (("disk", n_disks), ("vm", n_vms), ("volume", n_volumes),
                            ("datastore", n_stores))
        },
    )  # fmt: skip


seeds = st.integers(0, 2**32 - 1)
facts = st.builds(
    made, seeds, n_disks=st.integers(0, 12), n_vms=st.integers(1, 4), n_stores=st.integers(1, 4),
    n_volumes=st.integers(1, 6), n_pools=st.integers(1, 3),
    share_unknown=st.sampled_from([0, 0.15, 0.6]), share_stale=st.sampled_from([0, 0.1]),
)  # fmt: skip

# A rule and one that asks for at least as much.
STRICTER = {
    "copy sooner": (CopyElsewhere(within_minutes=2000), CopyElsewhere(within_minutes=240)),
    "copy at one site": (
        CopyElsewhere(within_minutes=2000), CopyElsewhere(within_minutes=2000, site="Marram"),
    ),
    "more drives": (Survives(n_devices=1), Survives(n_devices=2)),
    "hosts too": (Survives(n_devices=1), Survives(n_devices=1, n_hosts=1)),
    "snapshots oftener": (SnapshotsEvery(every_minutes=1440), SnapshotsEvery(every_minutes=60)),
    "kept longer": (SnapshotsKept(for_days=7), SnapshotsKept(for_days=30)),
    "backup sooner": (BackedUp(within_minutes=2880), BackedUp(within_minutes=1440)),
    "fewer sites": (Sites(allowed=("Skerry", "Marram")), Sites(allowed=("Skerry",))),
    "one more forbidden": (
        Sites(forbidden=("Skerry",)), Sites(forbidden=("Skerry", "Marram")),
    ),
    "lower ceiling": (
        OvercommitCeiling(ceiling_percent=200), OvercommitCeiling(ceiling_percent=120),
    ),
    "higher floor": (RunwayFloor(least_days=30), RunwayFloor(least_days=180)),
}  # fmt: skip
ONE_EACH = (
    CopyElsewhere(within_minutes=1000), CopyElsewhere(within_minutes=1500, site="Marram"),
    Survives(n_devices=1), Survives(n_devices=1, n_hosts=1), Survives(n_hosts=1),
    SnapshotsEvery(every_minutes=1000), SnapshotsKept(for_days=14), BackedUp(within_minutes=1440),
    Encrypted(), Compressed(is_so=False),
    Deduplicated(), Sites(allowed=("Skerry", "Marram"), forbidden=("Marram",)),
    Apart(label=LABEL, of="array"), Apart(label=LABEL, of="host"), Apart(label=LABEL, of="pool"),
    Together(label=LABEL, of="pool"), Together(label=LABEL, of="host"), OnMedia(media="ssd"),
    Provisioning(form="thin"), OverProtocol(protocol="block"), Labelled(label=LABEL),
    HasTier(tier="Neap"), OvercommitCeiling(ceiling_percent=150), RunwayFloor(least_days=90),
)  # fmt: skip


class Plain:
    """One rule, one subject at a time, in words and loops."""

    def __init__(self, told: Facts) -> None:
        self.told = told
        e, d, c, v = told.extents, told.disks_of, told.copies_of, told.volumes_of
        self.volumes_of_store, self.disks_of_vm, self.copies_of_volume, self.volumes_of_pool = (
            _lists(one) for one in (e, d, c, v)
        )

    def state(self, rule, kind: str, row: int) -> str:
        if kind == "vm":
            return self.of_vm(rule, row)
        if kind == "disk":
            return self.of_disk(rule, row)
        if rule.kind in ("backup", "tier", "apart", "together"):
            return "exempt"
        if rule.kind == "label":
            return "met" if self.told.labels[kind][LABEL][row] else "broken"
        return self.of_volume(rule, row) if kind == "volume" else self.of_store(rule, row)

    def of_vm(self, rule, vm: int) -> str:
        told, disks = self.told, self.disks_of_vm[vm]
        if rule.kind == "label":
            return "met" if told.labels["vm"][LABEL][vm] else "broken"
        if rule.kind == "backup":
            return self.by_vm(rule, vm)
        below = worst([self.alone(rule, disk) for disk in disks], none="exempt")
        if rule.kind in ("snapshots", "kept"):
            return best(below, self.by_vm(rule, vm))
        if rule.kind == "sites":
            return worst([below, self.by_vm(rule, vm)])
        return below

    def of_disk(self, rule, disk: int) -> str:
        told, vm = self.told, self.told.disks.vm[disk]
        if rule.kind == "label":
            bears = told.labels["disk"][LABEL][disk] or told.labels["vm"][LABEL][vm]
            return "met" if bears else "broken"
        if rule.kind == "backup":
            return self.by_vm(rule, vm)
        below = self.alone(rule, disk)
        if rule.kind in ("snapshots", "kept"):
            return best(below, self.by_vm(rule, vm))
        return worst([below, self.by_vm(rule, vm)]) if rule.kind == "sites" else below

    def alone(self, rule, disk: int) -> str:
        """A disk without what its VM brings along."""
        told = self.told
        if rule.kind == "provisioning":
            state = truth(told.disks.is_thick[disk], want=rule.form == "thick")
        elif rule.kind == "tier":
            name = told.disks.tier[disk]
            if name == NOWHERE:
                state = "broken" if told.disks.is_tier_told[disk] else "unproven"
            else:
                state = "met" if TIERS[name] == rule.tier else "broken"
        elif rule.kind in ("apart", "together"):
            state = self.among(rule, disk)
        else:
            store = told.disks.store[disk]
            below = "unproven" if store == NOWHERE else self.of_store(rule, store)
            return below if below == "exempt" or not told.disks.is_stale[disk] else "unproven"
        return state if state == "exempt" or not told.disks.is_stale[disk] else "unproven"

    def of_store(self, rule, store: int) -> str:
        state = worst(
            [self.of_volume(rule, v) for v in self.volumes_of_store[store]], none="unproven"
        )
        return "unproven" if self.told.is_store_stale[store] else state

    def of_volume(self, rule, volume: int) -> str:
        told = self.told
        if told.volumes.is_stale[volume]:
            return "unproven"
        if rule.kind in ("media", "survives", "overcommit", "runway"):
            pool = told.volumes.pool[volume]
            return "unproven" if pool == NOWHERE else self.by_pool(rule, pool)
        return str(getattr(self, f"_{rule.kind}")(rule, volume))

    def by_pool(self, rule, pool: int) -> str:
        pools = self.told.pools
        if pools.is_stale[pool]:
            return "unproven"
        if rule.kind == "media":
            media = pools.media[pool]
            return "unproven" if media == 0 else said(media == Media[rule.media.upper()])
        if rule.kind == "survives":
            least, most = pools.device_losses[pool], pools.most_device_losses[pool]
            hosts = pools.host_losses[pool]
            asked = [(least, most, rule.n_devices), (hosts, hosts, rule.n_hosts)]
            return worst(
                [
                    "met" if low >= wants else "broken" if high < wants else "unproven"
                    for low, high, wants in asked
                    if wants
                ]
            )
        if rule.kind == "overcommit":
            has = pools.overcommit_percent[pool]
            return "unproven" if math.isnan(has) else said(has <= rule.ceiling_percent)
        has = pools.runway_days[pool]
        return "unproven" if math.isnan(has) else said(has >= rule.least_days)

    def by_vm(self, rule, vm: int) -> str:
        vms = self.told.vms
        if rule.kind == "sites":
            state = "exempt" if vms.site[vm] == NOWHERE else may(rule, SITES[vms.site[vm]])
        elif rule.kind == "backup":
            age = NOW - vms.backed_up_at[vm]
            none = "broken" if vms.are_backups_told[vm] else "unproven"
            state = none if math.isnan(age) else said(age <= rule.within_minutes)
        elif rule.kind == "snapshots":
            age = NOW - vms.snapshot_at[vm]
            state = "exempt" if math.isnan(age) else said(age <= 1.5 * rule.every_minutes)
        else:
            age = (NOW - vms.first_snapshot_at[vm]) / 1440
            state = "exempt" if math.isnan(age) else said(age >= rule.for_days - 1)
        return state if state == "exempt" or not vms.is_stale[vm] else "unproven"

    def among(self, rule, disk: int) -> str:
        members = [one for one in range(len(self.told.disks.vm)) if self.bears(one)]
        if disk not in members:
            return "exempt"
        places = {one: self.places(one, rule.of) for one in members}
        if not places[disk]:
            return "unproven"
        n_at: dict[int, int] = {}
        for at in places.values():
            for place in at:
                n_at[place] = n_at.get(place, 0) + 1
        if rule.kind == "apart":
            return said(all(n_at[place] == 1 for place in places[disk]))
        most = min(n_at, key=lambda place: (-n_at[place], place))
        return said(most in places[disk])

    def bears(self, disk: int) -> bool:
        labels = self.told.labels
        return bool(labels["disk"][LABEL][disk] or labels["vm"][LABEL][self.told.disks.vm[disk]])

    def places(self, disk: int, of: str) -> set[int]:
        told = self.told
        if of == "host":
            found = {told.vms.host[told.disks.vm[disk]]}
        elif told.disks.store[disk] == NOWHERE:
            return set()
        else:
            at = told.volumes.pool if of == "pool" else told.volumes.array
            found = {at[v] for v in self.volumes_of_store[told.disks.store[disk]]}
        return {int(one) for one in found if one != NOWHERE}

    def _copy(self, rule, volume: int) -> str:
        told = self.told
        own, copies = told.volumes.site[volume], self.copies_of_volume[volume]
        where = {one: told.copies.site[one] for one in copies}
        open_ones = [one for one, at in where.items() if NOWHERE in (at, own)]
        good = [one for one, at in where.items() if one not in open_ones and at != own]
        if rule.site:
            good = [one for one in good if SITES[where[one]] == rule.site]
        age_of = {one: NOW - told.copies.copied_at[one] for one in copies}
        if any(age_of[one] <= rule.within_minutes for one in good):
            return "met"
        may_be = [one for one in open_ones if not age_of[one] > rule.within_minutes]
        may_be += [one for one in good if math.isnan(age_of[one])]
        is_open = may_be or not told.volumes.are_copies_told[volume]
        return "unproven" if is_open else "broken"

    def _snapshots(self, rule, volume: int) -> str:
        age = NOW - self.told.volumes.snapshot_at[volume]
        if math.isnan(age):
            return "broken" if self.told.volumes.are_snapshots_told[volume] else "unproven"
        return said(age <= 1.5 * rule.every_minutes)

    def _kept(self, rule, volume: int) -> str:
        days = (NOW - self.told.volumes.first_snapshot_at[volume]) / 1440
        if math.isnan(days):
            return "broken" if self.told.volumes.are_snapshots_told[volume] else "unproven"
        return said(days >= rule.for_days - 1)

    def _sites(self, rule, volume: int) -> str:
        site = self.told.volumes.site[volume]
        return "unproven" if site == NOWHERE else may(rule, SITES[site])

    def _protocol(self, rule, volume: int) -> str:
        one = self.told.volumes.protocol[volume]
        return "unproven" if one == NOWHERE else said(PROTOCOLS[one] == rule.protocol)

    def _provisioning(self, rule, volume: int) -> str:
        return truth(self.told.volumes.is_thick[volume], want=rule.form == "thick")

    def _encrypted(self, rule, volume: int) -> str:
        return truth(self.told.volumes.is_encrypted[volume], want=rule.is_so)

    def _compressed(self, rule, volume: int) -> str:
        return truth(self.told.volumes.is_compressed[volume], want=rule.is_so)

    def _deduplicated(self, rule, volume: int) -> str:
        return truth(self.told.volumes.is_deduplicated[volume], want=rule.is_so)


ORDER = ["exempt", "met", "settling", "unproven", "broken"]


def worst(states: list[str], *, none: str = "exempt") -> str:
    return max(states, key=ORDER.index) if states else none


def best(one: str, other: str) -> str:
    bearing = [state for state in (one, other) if state != "exempt"]
    return min(bearing, key=ORDER.index) if bearing else "exempt"


def said(is_kept: bool) -> str:
    return "met" if is_kept else "broken"


def truth(flag: int, *, want: bool) -> str:
    return "unproven" if flag == -1 else said(bool(flag) == want)


def may(rule, site: str) -> str:
    return said((not rule.allowed or site in rule.allowed) and site not in rule.forbidden)


def _lists(groups) -> list[list[int]]:
    told: list[list[int]] = [[] for _ in range(groups.n_wholes)]
    ends = [*groups.begins.tolist()[1:], len(groups.parts)]
    for whole, begin, end in zip(
        groups.wholes.tolist(), groups.begins.tolist(), ends, strict=False
    ):
        told[whole] = groups.parts[begin:end].tolist()
    return told
