"""How each protocol writes something at its far end: one way in for all of them."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from keelmark.estate.models import Protocol
from keelmark.feeds.addresses import cleaned
from keelmark.feeds.changes.allowed import (
    CLONES,
    DELETION,
    ENDS,
    LIMITS,
    MIRRORS,
    NAME,
    SETTABLE,
    SIZE,
    VOLUME,
    Values,
)
from keelmark.feeds.errors import NoWriterError
from keelmark.feeds.far_end import FarEnd, check_address

Progress = dict[str, Any]  # Any: JSON, what a writer has to find again after a crash


def _forget(_: Progress) -> None:
    """Keep nothing: nobody goes on with it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Sending:
    """One thing at a far end, what it was seen at and what it is to be set to.

    ``progress`` is what earlier tries have kept; ``keep`` writes it down at once, before anything
    is sent that must not be sent twice. ``elsewhere`` tells by worldwide name where the other
    things stand that the values name: a path of the same far end, or an address at another.
    """

    place: str  # its path, as it was found by its worldwide name; empty where it was not
    uids: frozenset[str]  # it must still bear one of them
    was: Values
    wanted: Values
    elsewhere: Mapping[str, str] = field(default_factory=dict)
    progress: Progress = field(default_factory=dict)
    keep: Callable[[Progress], None] = _forget


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """What a far end tells when it is read again."""

    found: Values
    is_so: bool  # as it was wanted
    is_sent: bool = True  # False: it was as wanted before
    is_under_way: bool = False  # a task of the far end, to be looked at again
    says: str = ""  # in the far end's words


@dataclass(frozen=True, slots=True, kw_only=True)
class Writer:
    """What a protocol can do: find things by their worldwide names, and write of one."""

    find: Callable[[FarEnd, Collection[str]], Mapping[str, str]]  # place by uid
    send: Callable[[FarEnd, Sending], Outcome]


def writer_of(what: str) -> Writer:
    """Return who writes this; raise NoWriterError where nobody can."""
    settable = SETTABLE.get(what)
    if settable is None or settable.protocol != Protocol.REDFISH:
        raise NoWriterError(what=what)
    from keelmark.feeds.redfish import cloning, making, mirroring, setting

    sends = {
        LIMITS: setting.set_limits, SIZE: setting.set_size, NAME: setting.set_name,
        ENDS: setting.set_ends, VOLUME: making.make_volume, DELETION: making.delete_volume,
        CLONES: cloning.make_clones, MIRRORS: mirroring.set_mirrors,
    }  # fmt: skip
    find = making.find_pools if settable.kind == "pool" else setting.find_volumes
    return Writer(find=find, send=sends[what])


def guarded(protocol: Protocol, far_end: FarEnd) -> FarEnd:
    """Return a far end at which nothing but its own addresses is reached, all allowed."""
    addresses = tuple(cleaned(protocol, address) for address in far_end.addresses)
    for address in addresses:
        check_address(address)
    return replace(far_end, addresses=addresses, is_guarded=True)
