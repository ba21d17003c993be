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
from keelmark.feeds.addresses import TEST
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
    """Raise AddressError unless a feed may be pointed to the host of a cleaned address.

    Names are looked up, so that none of them leads to a place that its address may not name.
    """
    parts = urlsplit(url)
    if parts.scheme == TEST:
        return  # a file, which was looked at when the address was built
    host = parts.hostname
    if not host:
        raise AddressError(url=url, why="it names no host")
    for address in _addresses_of(host, url=url):
        if not is_allowed(address):
            raise AddressError(
                url=url, why=f"{address} lies outside the networks that feeds may reach"
            )


Address = ipaddress.IPv4Address | ipaddress.IPv6Address


def _addresses_of(host: str, *, url: str) -> list[Address]:
    try:
        return [ipaddress.ip_address(host)]
    except ValueError:
        pass
    try:
        found = socket.getaddrinfo(host, None, proto=socket.IPPROTO_TCP)
    except (OSError, UnicodeError) as exc:
        raise AddressError(url=url, why=f"the name {host} is not known") from exc
    return [ipaddress.ip_address(str(entry[4][0]).partition("%")[0]) for entry in found]


# What no feed needs unless the installation says so: this machine, its link and the services
# of a cloud on it, carriers' own, what stands for something else, and one's own IPv6 (RFC 4193).
_LEFT_OUT = tuple(
    ipaddress.ip_network(network)
    for network in (
        "0.0.0.0/8", "127.0.0.0/8", "169.254.0.0/16", "100.64.0.0/10", "192.0.0.0/24",
        "192.0.2.0/24", "192.88.99.0/24", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24",
        "224.0.0.0/4", "240.0.0.0/4", "168.63.129.16/32",
        "::/96", "::ffff:0:0/96", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/23",
        "2001:db8::/32", "2002::/16", "fc00::/7", "fe80::/10", "fec0::/10", "ff00::/8",
    )
)  # fmt: skip


def is_allowed(address: Address) -> bool:
    """Whether feeds may reach an address."""
    mapped = getattr(address, "ipv4_mapped", None)
    address = mapped or address
    networks = [ipaddress.ip_network(network) for network in settings.FEED_NETWORKS]
    if networks:
        return any(address in network for network in networks)
    return not any(address in network for network in _LEFT_OUT)


CERTIFICATE_WHY = "its certificate is not signed by an authority that this feed trusts"


def is_distrust(exc: Exception) -> bool:
    """Whether a connection failed because the far end's certificate is not trusted."""
    return "CERTIFICATE_VERIFY_FAILED" in str(exc)


def trust_of(far_end: FarEnd) -> ssl.SSLContext:
    """Return a context that verifies against the own authority, or the system's."""
    if not far_end.ca_certificate and all(one.startswith("http:") for one in far_end.addresses):
        return ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)  # trusts nobody: all it may meet is plain
    try:
        return ssl.create_default_context(cadata=far_end.ca_certificate or None)
    except ssl.SSLError as exc:
        raise CertificateError(why=str(exc.reason or exc)) from exc
    except (TypeError, ValueError) as exc:  # signs that no certificate in text has, or NUL
        raise CertificateError(why="it is no text of a certificate") from exc
