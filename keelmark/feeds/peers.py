"""Looks at whom a connection reached before a word is said to them.

A name may lead elsewhere when it is connected to than it did when it was checked.
"""

import ipaddress
from typing import Any

import httpcore
import httpx

from keelmark.feeds.errors import AddressError
from keelmark.feeds.far_end import is_allowed

CONNECTED = "connection.connect_tcp.complete"
Told = dict[str, Any]  # Any: what httpcore tells of an event


def check_peer(request: httpx.Request) -> None:
    """Have a request of a client look at its peer; for the client's hooks."""

    def trace(event: str, info: Told) -> None:
        if event == CONNECTED:
            stream: httpcore.NetworkStream = info["return_value"]
            fault = _fault(stream.get_extra_info("server_addr"), request=request)
            if fault is not None:
                stream.close()
                raise fault

    request.extensions = {**request.extensions, "trace": trace}


async def check_peer_async(request: httpx.Request) -> None:
    """Have a request of an asynchronous client look at its peer; for the client's hooks."""

    async def trace(event: str, info: Told) -> None:
        if event == CONNECTED:
            stream: httpcore.AsyncNetworkStream = info["return_value"]
            fault = _fault(stream.get_extra_info("server_addr"), request=request)
            if fault is not None:
                await stream.aclose()
                raise fault

    request.extensions = {**request.extensions, "trace": trace}


def check_peer_name(peer: tuple[str, int], *, url: str) -> None:
    """Raise AddressError unless a connection reached whom feeds may reach."""
    fault = _fault_at(peer, url=url)
    if fault is not None:
        raise fault


def _fault(peer: tuple[str, int], *, request: httpx.Request) -> AddressError | None:
    return _fault_at(peer, url=str(request.url))


def _fault_at(peer: tuple[str, int], *, url: str) -> AddressError | None:
    address = ipaddress.ip_address(peer[0].partition("%")[0])
    if is_allowed(address):
        return None
    why = f"its name led to {address}, outside the networks that feeds may reach"
    return AddressError(url=url, why=why)
