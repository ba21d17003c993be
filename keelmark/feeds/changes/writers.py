"""How each protocol sets something at its far end: one way in for all of them."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, replace

from keelmark.estate.models import Protocol
from keelmark.feeds.addresses import cleaned
from keelmark.feeds.changes.allowed import SETTABLE, Values
from keelmark.feeds.errors import NoWriterError
from keelmark.feeds.far_end import FarEnd, check_address


@dataclass(frozen=True, slots=True, kw_only=True)
class Sending:
    """One thing at a far end, what it was seen at and what it is to be set to."""

    place: str  # its path, as it was found by its worldwide name
    uids: frozenset[str]  # it must still bear one of them
    was: Values
    wanted: Values


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """What a far end tells when it is read again."""

    found: Values
    is_sent: bool  # False: it was as wanted before


@dataclass(frozen=True, slots=True, kw_only=True)
class Writer:
    """What a protocol can do: find things by their worldwide names, and set one."""

    find: Callable[[FarEnd, Collection[str]], Mapping[str, str]]  # place by uid
    send: Callable[[FarEnd, Sending], Outcome]


def writer_of(what: str) -> Writer:
    """Return who sets this; raise NoWriterError where nobody can."""
    settable = SETTABLE.get(what)
    if settable is not None and settable.protocol == Protocol.REDFISH:
        from keelmark.feeds.redfish.setting import find_volumes, set_limits

        return Writer(find=find_volumes, send=set_limits)
    raise NoWriterError(what=what)


def guarded(protocol: Protocol, far_end: FarEnd) -> FarEnd:
    """Return a far end at which nothing but its own addresses is reached, all allowed."""
    addresses = tuple(cleaned(protocol, address) for address in far_end.addresses)
    for address in addresses:
        check_address(address)
    return replace(far_end, addresses=addresses, is_guarded=True)
