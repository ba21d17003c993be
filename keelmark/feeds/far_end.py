"""What every collector is given and what it gives back; which addresses it may go to."""

import ipaddress
import socket
import ssl
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings

from keelmark.estate.documents import AnyDocument
from keelmark.feeds.errors import AddressError, CertificateError

Progress = Callable[[str, int], None]  # what is being read, how much so far
DEFAULT_TIMEOUT_SECONDS = 30.0


@dataclass(frozen=True, slots=True, kw_only=True)
class FarEnd:
    """Where to collect from and how."""

    addresses: tuple[str, ...]
    user: str = ""
    password: str = ""
    ca_certificate: str = ""
    options: Mapping[str, Any] = field(default_factory=dict)  # Any: the protocol's own
    timeout_seconds: float = DEFAULT_TIMEOUT_SECONDS
    back_off_seconds: float = 0.5
    last_good_at: datetime | None = None
    is_guarded: bool = False  # it may go only where feeds may: nobody sits at the keyboard

    @property
    def address(self) -> str:
        """The first or only address."""
        return self.addresses[0]


@dataclass(slots=True, kw_only=True)
class Collection:
    """What one collection brought, and what it had to leave out."""

    documents: list[AnyDocument]
    warnings: list[str] = field(default_factory=list)
    bookmark: Mapping[str, Any] | None = None  # Any: where the next one goes on


def check_address(url: str) -> None:
    """Raise AddressError unless a feed may be pointed there.

    Names are looked up, so that none of them leads to a place that its address may not name.
    """
    parts = urlsplit(url)
    host = parts.hostname
    if parts.scheme == "test" and not host:
        _check_test_file(url, path=parts.path)
        return
    if not host:
        raise AddressError(url=url, why="it names no host")
    for address in _addresses_of(host, url=url):
        if not is_allowed(address):
            raise AddressError(
                url=url, why=f"{address} lies outside the networks that feeds may reach"
            )


def _check_test_file(url: str, *, path: str) -> None:
    folder = settings.FEED_TEST_FILES
    if not folder or not path.startswith(f"{folder}/") or ".." in path:
        raise AddressError(url=url, why="test files are read in the demo alone")


def _addresses_of(host: str, *, url: str) -> list[ipaddress.IPv4Address | ipaddress.IPv6Address]:
    try:
        return [ipaddress.ip_address(host)]
    except ValueError:
        pass
    try:
        found = socket.getaddrinfo(host, None, proto=socket.IPPROTO_TCP)
    except OSError as exc:
        raise AddressError(url=url, why=f"the name {host} is not known") from exc
    return [ipaddress.ip_address(str(entry[4][0]).partition("%")[0]) for entry in found]


def is_allowed(address: ipaddress.IPv4Address | ipaddress.IPv6Address) -> bool:
    """Whether feeds may reach an address."""
    mapped = getattr(address, "ipv4_mapped", None)
    address = mapped or address
    networks = [ipaddress.ip_network(network) for network in settings.FEED_NETWORKS]
    if networks:
        return any(address in network for network in networks)
    return not (
        address.is_loopback
        or address.is_link_local
        or address.is_multicast
        or address.is_unspecified
        or address.is_reserved
    )


CERTIFICATE_WHY = "its certificate is not signed by an authority that this feed trusts"


def is_distrust(exc: Exception) -> bool:
    """Whether a connection failed because the far end's certificate is not trusted."""
    return "CERTIFICATE_VERIFY_FAILED" in str(exc)


def trust_of(far_end: FarEnd) -> ssl.SSLContext:
    """Return a context that verifies against the own authority, or the system's."""
    try:
        return ssl.create_default_context(cadata=far_end.ca_certificate or None)
    except ssl.SSLError as exc:
        raise CertificateError(why=str(exc.reason or exc)) from exc
