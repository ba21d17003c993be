"""Reads one host through libvirt and prints it as JSON; a process of its own.

The library's calls block for as long as the far end pleases and may take the process with
them, so whoever wants a host read starts this, waits with a time-out and ends it.
"""

import json
import sys
from collections.abc import Callable
from typing import Any

import libvirt

Raw = dict[str, Any]  # Any: what the library tells, before it is made sense of


def read_host(uri: str, *, user: str, password: str) -> Raw:
    """Return everything of a host."""
    connection = _opened(uri, user=user, password=password)
    try:
        model, memory_mib, n_cpus, mhz, *_ = connection.getInfo()
        return {
            "hostname": connection.getHostname(),
            "model": model,
            "memory_mib": memory_mib,
            "n_cpus": n_cpus,
            "mhz": mhz,
            "domains": [_domain(d) for d in connection.listAllDomains()],
            "pools": [_pool(p) for p in connection.listAllStoragePools() if p.isActive()],
            "devices": [_known(d.XMLDesc) for d in connection.listAllDevices()],
        }
    finally:
        connection.close()


def _opened(uri: str, *, user: str, password: str) -> "libvirt.virConnect":
    if not user:
        return libvirt.openReadOnly(uri)

    def answer(credentials: list[list[Any]], _: object) -> int:  # Any: libvirt's own lists
        for credential in credentials:
            is_name = credential[0] in (libvirt.VIR_CRED_AUTHNAME, libvirt.VIR_CRED_USERNAME)
            credential[4] = user if is_name else password
        return 0

    kinds = [
        libvirt.VIR_CRED_AUTHNAME, libvirt.VIR_CRED_USERNAME, libvirt.VIR_CRED_PASSPHRASE,
        libvirt.VIR_CRED_NOECHOPROMPT,
    ]  # fmt: skip
    return libvirt.openAuth(uri, [kinds, answer, None], libvirt.VIR_CONNECT_RO)


def _domain(domain: "libvirt.virDomain") -> Raw:
    return {
        "uuid": domain.UUIDString(),
        "name": domain.name(),
        "state": domain.state()[0],
        "xml": _known(domain.XMLDesc),
        "snapshots": [_known(s.getXMLDesc) for s in domain.listAllSnapshots()],
    }


def _pool(pool: "libvirt.virStoragePool") -> Raw:
    _, capacity, allocation, _ = pool.info()
    return {
        "uuid": pool.UUIDString(),
        "name": pool.name(),
        "capacity_bytes": capacity,
        "allocation_bytes": allocation,
        "xml": _known(pool.XMLDesc),
        "volumes": [_volume(v) for v in pool.listAllVolumes()],
    }


def _volume(volume: "libvirt.virStorageVol") -> Raw:
    _, capacity, allocation = volume.info()
    return {
        "name": volume.name(),
        "path": volume.path(),
        "capacity_bytes": capacity,
        "allocation_bytes": allocation,
    }


def _known(describe: Callable[[], str]) -> str:
    """A thing may be gone between the list and its description."""
    try:
        return describe()
    except libvirt.libvirtError:
        return ""


def main() -> None:
    """Read the request from standard input, so that no secret shows in the process list."""
    request = json.load(sys.stdin)
    libvirt.registerErrorHandler(lambda *_: None, None)
    try:
        told = read_host(request["uri"], user=request["user"], password=request["password"])
    except libvirt.libvirtError as exc:
        json.dump({"error": exc.get_error_message() or str(exc)}, sys.stdout)
        return
    json.dump(told, sys.stdout)


if __name__ == "__main__":
    main()
