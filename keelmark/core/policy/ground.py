"""From where something was found to who stands on it."""

import numpy as np

from keelmark.core.arrays import Bools
from keelmark.core.policy.facts import Facts
from keelmark.core.policy.states import EXEMPT, UNPROVEN, Found, exempt


def silenced(of: Found, *, is_stale: Bools) -> Found:
    """Return what was found with what is too old to judge by unproven, never met."""
    return Found(
        states=np.where(is_stale & (of.states != EXEMPT), UNPROVEN, of.states),
        amounts=of.amounts,
        places=of.places,
    )


def from_volumes(of: Found, *, facts: Facts, kind: str, is_least_worst: bool = False) -> Found:
    """Return for subjects what was found of the volumes that they lie on, the worst of each."""
    told = silenced(of, is_stale=facts.volumes.is_stale)
    if kind == "volume":
        return told
    stores = facts.extents.worst(told, is_least_worst=is_least_worst)
    stores = silenced(stores, is_stale=facts.is_store_stale)
    if kind == "datastore":
        return stores
    disks = stores.of_rows(facts.disks.store)
    return from_disks(disks, facts=facts, kind=kind, is_least_worst=is_least_worst)


def from_pools(of: Found, *, facts: Facts, kind: str, is_least_worst: bool = False) -> Found:
    """Return for subjects what was found of the pools that they lie on."""
    told = silenced(of, is_stale=facts.pools.is_stale).of_rows(facts.volumes.pool)
    return from_volumes(told, facts=facts, kind=kind, is_least_worst=is_least_worst)


def from_disks(of: Found, *, facts: Facts, kind: str, is_least_worst: bool = False) -> Found:
    """Return for disks, or for VMs by their worst disk, what was found of disks."""
    if kind not in ("disk", "vm"):
        return exempt(facts.n_of(kind))
    told = silenced(of, is_stale=facts.disks.is_stale)
    if kind == "disk":
        return told
    none = exempt(facts.n_of("vm"))
    return facts.disks_of.worst(told, missing=none, is_least_worst=is_least_worst)


def from_vms(of: Found, *, facts: Facts, kind: str) -> Found:
    """Return for VMs and their disks what was found of VMs."""
    if kind not in ("disk", "vm"):
        return exempt(facts.n_of(kind))
    told = silenced(of, is_stale=facts.vms.is_stale)
    return told if kind == "vm" else told.of_rows(facts.disks.vm)


def labelled_disks(facts: Facts, label: str) -> Bools:
    """Return which disks bear a label, themselves or by their VM."""
    by_vm = np.append(facts.labelled("vm", label), False)  # the last stands for nowhere
    told: Bools = facts.labelled("disk", label) | by_vm[facts.disks.vm]
    return told
