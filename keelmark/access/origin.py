"""Where a request comes from, for the audit and for what is rationed by address."""

import ipaddress
from collections.abc import Callable
from contextvars import ContextVar

from django.conf import settings
from django.http import HttpRequest, HttpResponse

_address: ContextVar[str] = ContextVar("address", default="")
IPV6_PREFIX = 64  # one network has as many addresses as it likes


class OriginMiddleware:
    """Remembers the address of the request under way."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token = _address.set(address_of(request))
        try:
            return self.get_response(request)
        finally:
            _address.reset(token)


def current_address() -> str:
    """Return the address of the request under way; empty at the command line."""
    return _address.get()


def address_of(request: HttpRequest) -> str:
    """Return the peer's address, or what the configured proxies say of it.

    Each proxy appends whom it heard; what stands further left may be anybody's invention. So
    as many are counted from the right as there are proxies, and no more.
    """
    told = str(request.META.get("REMOTE_ADDR") or "")
    n_proxies = settings.N_PROXIES
    forwarded = str(request.META.get("HTTP_X_FORWARDED_FOR") or "")
    if n_proxies and forwarded:
        hops = [hop.strip() for hop in forwarded.split(",")]
        told = hops[-min(n_proxies, len(hops))]
    try:
        return str(ipaddress.ip_address(told.partition("%")[0]))
    except ValueError:
        return ""


def network_of(address: str) -> str:
    """Return what is rationed as one address: an IPv6 one's whole network."""
    try:
        known = ipaddress.ip_address(address)
    except ValueError:
        return "unknown"
    if isinstance(known, ipaddress.IPv4Address):
        return str(known)
    return str(ipaddress.ip_network((known, IPV6_PREFIX), strict=False))
