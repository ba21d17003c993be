"""Promises of a few VMs, most kept and some planted to be broken; and who is broken in all."""

from collections.abc import Iterator
from dataclasses import dataclass

from standins.compute import STOPPED_NIGHTLY, Cluster, Machine
from standins.estate import Estate

NIGHTLY, MARRAM_ONLY, KEPT_APART = "Nightly", "Marram-only", "Kept-apart"
BLOCK_KEPT, TWO_SIDED = "Block-kept", "Two-sided"
BLOCK_OF, BLOCK_FITTING = "kelp", 2  # VMs beside the one that lies where its policy cannot apply
VAULT = "vault-s0001"  # lies on the pool that lost a side
LABEL = "copy:ledger"  # disks that hold the same, and must not stand on one array
MARRAM, MARRAM_EVERY, MARRAM_AT = "dulse", 40, 9
STRAYED = ("kelp", 77)  # a VM that was moved to another site than it may run at
WORD, SLOT = "ledger", "vdb"
APART = (("kelp", 2), ("dulse", 1))  # how many of them each cluster has
FAILED_BACKUP_EVERY, FAILED_BACKUP_AT = 97, 11
LATE_COPY = 6  # which of the copies nothing came to for hours
TWICE_KEPT, ONE_SHORE, LONG_KEEP, SCRATCH = "Twice-kept", "One-shore", "Long-keep", "Scratch"
USUAL = (TWICE_KEPT, ONE_SHORE, LONG_KEEP, SCRATCH)
BACKED_UP = {TWICE_KEPT, ONE_SHORE, LONG_KEEP}


@dataclass(frozen=True, slots=True, kw_only=True)
class Promised:
    """What is promised to the VMs of an estate, and which disks bear the label."""

    policies: dict[str, str]  # by VM's uuid
    labelled: set[str]  # uids of disks


def promised(estate: Estate, *, copied: frozenset[str]) -> Promised:
    """Return what owners want; twice kept is only what can be."""
    policies: dict[str, str] = {}
    labelled: set[str] = set()
    for cluster in estate.clusters:
        apart, block = set(_apart(cluster)), set(_block(cluster))
        for at, machine in enumerate(cluster.machines):
            special = _special(cluster, machine, number=at + 1)
            if machine.uuid in block:
                special = BLOCK_KEPT
            if machine.uuid in apart:
                labelled.add(f"path.{machine.uuid}:{SLOT}")
                special = KEPT_APART
            policies[machine.uuid] = special or _usual(machine, at=at, copied=copied)
    return Promised(policies=policies, labelled=labelled)


def broken(estate: Estate, *, copied: dict[str, str]) -> dict[str, set[str]]:
    """Return the kinds of rules that are broken, by the name of the VM: these and no other.

    One-shore was revised just now: what is not kept of it settles.
    """
    told = promised(estate, copied=frozenset(copied))
    late = list(copied)[LATE_COPY] if len(copied) > LATE_COPY else ""
    found: dict[str, set[str]] = {}
    for cluster in estate.clusters:
        for at, machine in enumerate(cluster.machines):
            if machine.host == cluster.story.faulted_host:
                continue  # nobody tells of it
            policy = told.policies[machine.uuid]
            rules = set(_broken(cluster, machine, policy=policy, late=late, at=at))
            if rules:
                found[machine.name] = rules
        if cluster.story.shared_pool:
            found[VAULT] = {"survives"}
    return found


def _broken(
    cluster: Cluster, machine: Machine, *, policy: str, late: str, at: int
) -> Iterator[str]:
    if policy == TWICE_KEPT and late in {d.datastore.volume.naa for d in machine.disks}:
        yield "copy"
    if policy in BACKED_UP - {ONE_SHORE} and machine.is_on and has_failed_backup(at):
        yield "backup"
    if policy == NIGHTLY and at + 1 == STOPPED_NIGHTLY:
        yield "snapshots"
    if policy == MARRAM_ONLY and cluster.story.name != MARRAM:
        yield "sites"
    if policy == BLOCK_KEPT and _is_on_files(machine):
        yield "protocol"
    if policy == KEPT_APART and dict(APART)[cluster.story.name] > 1:
        yield "apart"


def has_failed_backup(at: int) -> bool:
    """Return whether the backups of a cluster's VM fail."""
    return at % FAILED_BACKUP_EVERY == FAILED_BACKUP_AT


def _special(cluster: Cluster, machine: Machine, *, number: int) -> str:
    if machine.snapshots and machine.snapshots[0][0] == "nightly":
        return NIGHTLY
    is_stray = (cluster.story.name, number) == STRAYED
    is_marram = cluster.story.name == MARRAM and number % MARRAM_EVERY == MARRAM_AT
    return MARRAM_ONLY if is_stray or is_marram else ""


def _apart(cluster: Cluster) -> list[str]:
    fitting = [
        machine.uuid
        for number, machine in enumerate(cluster.machines, start=1)
        if machine.name.startswith(WORD)
        and machine.is_on
        and len(machine.disks) > 1
        and not _special(cluster, machine, number=number)
    ]
    return fitting[: dict(APART).get(cluster.story.name, 0)]


def _block(cluster: Cluster) -> list[str]:
    """VMs that are to be reached as blocks: one that is not, and some that are."""
    if cluster.story.name != BLOCK_OF:
        return []
    fitting = [
        machine
        for number, machine in enumerate(cluster.machines, start=1)
        if machine.is_on and machine.disks and not _special(cluster, machine, number=number)
        and not machine.name.startswith(WORD)
    ]  # fmt: skip
    astray = [machine.uuid for machine in fitting if _is_on_files(machine)][:1]
    kept = [machine.uuid for machine in fitting if not _is_on_files(machine)][:BLOCK_FITTING]
    return astray + kept


def _is_on_files(machine: Machine) -> bool:
    return any(disk.datastore.is_nfs for disk in machine.disks)


def _usual(machine: Machine, *, at: int, copied: frozenset[str]) -> str:
    stands = {disk.datastore.volume.naa for disk in machine.disks}
    wanted = USUAL[at % len(USUAL)]
    return ONE_SHORE if wanted == TWICE_KEPT and not stands <= copied else wanted
