"""What may be written to far ends, and in what bounds: nothing else ever is."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from keelmark.estate.models import Protocol

Values = dict[str, int]
MOST_IOPS: Final = 100_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Settable:
    """One sort of thing that can be set, by whom it is told and what of it."""

    kind: str
    protocol: Protocol
    fields: tuple[str, ...]
    word: str


LIMITS: Final = "limits"
SETTABLE: Final[dict[str, Settable]] = {
    LIMITS: Settable(
        kind="volume", protocol=Protocol.REDFISH, fields=("min_iops", "max_iops"),
        word="limits of volumes",
    ),
}  # fmt: skip


def fault_of(what: str, values: Mapping[str, int]) -> str:
    """Return why something cannot be set to these values, empty where it can."""
    settable = SETTABLE.get(what)
    if settable is None:
        return f"{what} cannot be set from here."
    if set(values) != set(settable.fields):
        return f"Give {' and '.join(settable.fields)}."
    least, most = (values[name] for name in settable.fields)
    if not 0 <= least <= most:
        return "The least is between 0 and the most."
    if not 1 <= most <= MOST_IOPS:
        return f"The most is between 1 and {MOST_IOPS:,} operations a second."
    return ""
