"""How many more VMs of a reference size there is room for, and what runs out first."""

from dataclasses import dataclass

from keelmark.core.errors import RangeError


@dataclass(frozen=True, slots=True, kw_only=True)
class ReferenceVm:
    """The size berths are counted in; 0 of a resource means that it does not count."""

    n_cpus: int
    memory_bytes: int
    disk_bytes: int

    def __post_init__(self) -> None:
        for name in ("n_cpus", "memory_bytes", "disk_bytes"):
            amount = getattr(self, name)
            if amount < 0:
                raise RangeError(argument=name, found=amount, wanted="0 or more")


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """What is free of one resource, in parts that cannot be joined (datastores, say).

    ``free`` is None where it is not known; a negative part is one that is past its line.
    """

    resource: str
    free: tuple[int, ...] | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Berths:
    """Berths free, and the resource that runs out first; None: not known, with why."""

    n_free: int | None
    limited_by: str | None
    by_resource: dict[str, int | None]


def berths_free(rooms: list[Room], *, reference: ReferenceVm) -> Berths:
    """Count how many reference VMs fit into every resource.

    Parameters
    ----------
    rooms : list of Room
        Resources by the name of the reference's field, ``n_cpus``, ``memory_bytes`` and
        ``disk_bytes``.
    reference : ReferenceVm
        What one berth takes.

    Returns
    -------
    Berths
        The least over the resources that count; a VM's disk lies in one part, so parts are
        counted each by itself. Of equals the first named limits. Where a resource that counts
        is not known, neither is the number.

    Raises
    ------
    RangeError
        If a room names no field of the reference.
    """
    by_resource: dict[str, int | None] = {}
    for room in rooms:
        if room.resource not in ReferenceVm.__slots__:
            raise RangeError(
                argument="resource", found=room.resource, wanted=", ".join(ReferenceVm.__slots__)
            )
        need = getattr(reference, room.resource)
        if need == 0:
            continue
        by_resource[room.resource] = (
            None if room.free is None else sum(max(0, part) // need for part in room.free)
        )
    known = {name: n for name, n in by_resource.items() if n is not None}
    if not by_resource or len(known) < len(by_resource):
        return Berths(n_free=None, limited_by=None, by_resource=by_resource)
    limited_by = min(known, key=lambda name: known[name])
    return Berths(n_free=known[limited_by], limited_by=limited_by, by_resource=by_resource)
