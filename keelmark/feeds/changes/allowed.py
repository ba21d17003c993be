"""What may be written to far ends, and in what bounds: nothing else ever is."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final, TypeGuard

from keelmark.core.units import MAX_BYTES
from keelmark.estate.models import Protocol

Value = int | str | list[str]
Values = dict[str, Value]
MOST_IOPS: Final = 100_000_000
MOST_NAME: Final = 64
MOST_ENDS: Final = 4_096


@dataclass(frozen=True, slots=True, kw_only=True)
class Settable:
    """One sort of change: of what kind of thing, by whom it is told, of what to what.

    ``seen`` names what has to be told as it was seen, ``wanted`` as it is to be. ``has_back``
    tells whether there is a way back.
    """

    kind: str
    protocol: Protocol
    seen: tuple[str, ...]
    wanted: tuple[str, ...]
    word: str
    fault: Callable[[Mapping[str, Value]], str] = lambda _: ""
    has_back: bool = True


LIMITS: Final = "limits"
VOLUME: Final = "volume"  # one is made on a pool
SIZE: Final = "size"
NAME: Final = "name"
ENDS: Final = "ends"  # the ports of hosts that see a volume
DELETION: Final = "deletion"
MIRRORS: Final = "mirrors"  # the volumes that hold what a volume holds
CLONES: Final = "clones"  # of a volume, that share its space
MOST_CLONES: Final = 500
MOST_MIRRORS: Final = 16


def fault_of(what: str, values: Mapping[str, Value]) -> str:
    """Return why something cannot be set to these values, empty where it can."""
    settable = SETTABLE.get(what)
    if settable is None:
        return f"{what} cannot be set from here."
    if set(values) != set(settable.wanted):
        return f"Give {' and '.join(settable.wanted) or 'nothing'}."
    return settable.fault(values)


def _fault_of_limits(values: Mapping[str, Value]) -> str:
    least, most = values["min_iops"], values["max_iops"]
    if not _is_whole(least) or not _is_whole(most) or not 0 <= least <= most:
        return "The least is between 0 and the most."
    if not 1 <= most <= MOST_IOPS:
        return f"The most is between 1 and {MOST_IOPS:,} operations a second."
    return ""


def _fault_of_size(values: Mapping[str, Value]) -> str:
    size = values["size_bytes"]
    return "" if _is_whole(size) and 0 < size <= MAX_BYTES else "The size is above 0 bytes."


def _fault_of_name(values: Mapping[str, Value]) -> str:
    name = values["name"]
    if not isinstance(name, str) or not 0 < len(name) <= MOST_NAME or not name.isprintable():
        return f"A volume's name has 1 to {MOST_NAME} characters that can be printed."
    return ""


def _fault_of_volume(values: Mapping[str, Value]) -> str:
    if values["thickness"] not in ("thin", "thick"):
        return "A volume is thin or thick."
    return _fault_of_name(values) or _fault_of_size(values)


def _fault_of_ends(values: Mapping[str, Value]) -> str:
    ends = values["ends"]
    if not isinstance(ends, list) or len(ends) > MOST_ENDS:
        return f"Name at most {MOST_ENDS:,} ports of hosts."
    is_good = all(isinstance(one, str) and one for one in ends) and len(set(ends)) == len(ends)
    return "" if is_good else "Each port is named once, by its worldwide name."


def _fault_of_clones(values: Mapping[str, Value]) -> str:
    names = values["names"]
    if not isinstance(names, list) or not 0 < len(names) <= MOST_CLONES:
        return f"Name 1 to {MOST_CLONES} clones."
    if len(set(names)) < len(names):
        return "Each clone has a name of its own."
    return next((fault for one in names if (fault := _fault_of_name({"name": one}))), "")


def _fault_of_mirrors(values: Mapping[str, Value]) -> str:
    targets = values["targets"]
    if not isinstance(targets, list) or len(targets) > MOST_MIRRORS:
        return f"Name at most {MOST_MIRRORS} volumes that mirror it."
    is_good = all(isinstance(one, str) and one for one in targets)
    is_good = is_good and len(set(targets)) == len(targets)
    return "" if is_good else "Each volume is named once, by its worldwide name."


def _is_whole(value: Value) -> TypeGuard[int]:
    return isinstance(value, int) and not isinstance(value, bool)


SETTABLE: Final[dict[str, Settable]] = {
    LIMITS: Settable(
        kind="volume", protocol=Protocol.REDFISH, seen=("min_iops", "max_iops"),
        wanted=("min_iops", "max_iops"), word="limits of volumes", fault=_fault_of_limits,
    ),
    VOLUME: Settable(
        kind="pool", protocol=Protocol.REDFISH, seen=(), wanted=("name", "size_bytes", "thickness"),
        word="volumes", fault=_fault_of_volume,
    ),
    SIZE: Settable(
        kind="volume", protocol=Protocol.REDFISH, seen=("size_bytes",), wanted=("size_bytes",),
        word="sizes of volumes", fault=_fault_of_size, has_back=False,
    ),
    NAME: Settable(
        kind="volume", protocol=Protocol.REDFISH, seen=("name",), wanted=("name",),
        word="names of volumes", fault=_fault_of_name,
    ),
    ENDS: Settable(
        kind="volume", protocol=Protocol.REDFISH, seen=("ends",), wanted=("ends",),
        word="who sees volumes", fault=_fault_of_ends,
    ),
    DELETION: Settable(
        kind="volume", protocol=Protocol.REDFISH, seen=("name", "size_bytes"), wanted=(),
        word="volumes", has_back=False,
    ),
    MIRRORS: Settable(
        kind="volume", protocol=Protocol.REDFISH, seen=("targets",), wanted=("targets",),
        word="mirrors of volumes", fault=_fault_of_mirrors,
    ),
    CLONES: Settable(
        kind="volume", protocol=Protocol.REDFISH, seen=("name", "size_bytes"), wanted=("names",),
        word="clones of volumes", fault=_fault_of_clones, has_back=False,
    ),
}  # fmt: skip
