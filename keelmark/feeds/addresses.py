"""Addresses of far ends: taken apart and built anew from what each protocol may name.

A library that opens an address reads more out of it than where to go: a program to run, a file
to take keys from, another host behind the first. So an address is never handed on as it was
typed: what is allowed is named here, and nothing else is in what is built.
"""

import ipaddress
import os
import re
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import parse_qsl, quote, urlencode, urlsplit

from django.conf import settings

from keelmark.estate.models import Protocol
from keelmark.feeds.errors import AddressError

_LABELS = re.compile(r"^[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?$")
_PATH = re.compile(r"^(/[A-Za-z0-9._~-]+)*/?$")
_VALUE = re.compile(r"^[A-Za-z0-9_.:/-]{1,100}$")
USER = re.compile(r"^[A-Za-z0-9_][A-Za-z0-9_.@-]{0,63}$")
MAX_PORT = 65_535
MAX_ADDRESS = 500
MAX_VALUES = 20
TEST = "test"


@dataclass(frozen=True, slots=True, kw_only=True)
class Form:
    """What the addresses of a protocol may be made of."""

    schemes: tuple[str, ...]
    paths: tuple[str, ...] = ()  # empty: any plain path
    parameters: tuple[str, ...] = field(default=())  # harmless ones, by name


FORMS: dict[Protocol, Form] = {
    Protocol.REDFISH: Form(schemes=("https", "http")),
    # Which collectors of an exporter are asked: it chooses what is told, not where it goes.
    Protocol.OPENMETRICS: Form(
        schemes=("https", "http"), parameters=("collect[]", "exclude[]", "name[]", "module")
    ),
    Protocol.S3: Form(schemes=("https", "http")),
    Protocol.LIBVIRT: Form(
        schemes=("qemu+tls", "qemu+ssh", "qemu+libssh2", "qemu+tcp"), paths=("/system", "/session")
    ),
}


def cleaned(protocol: Protocol, address: str) -> str:
    """Return an address built anew from its allowed parts; raise AddressError where it has more."""
    form = FORMS[protocol]
    shown = "".join(letter for letter in address if letter.isprintable())[:MAX_ADDRESS]
    if len(address) > MAX_ADDRESS or shown != address or not address.isascii():
        raise AddressError(url=shown, why="it holds characters that no address needs")
    try:
        parts = urlsplit(address)
        port = parts.port
        host = parts.hostname or ""
    except ValueError as exc:
        raise AddressError(url=shown, why=f"it cannot be taken apart: {exc}") from exc
    if protocol == Protocol.LIBVIRT and parts.scheme == TEST:
        return _test_file(shown, path=parts.path, has_more=bool(host or parts.query))
    if parts.scheme not in form.schemes:
        raise AddressError(url=shown, why=f"it begins with none of {', '.join(form.schemes)}")
    if parts.username is not None or parts.password is not None:
        raise AddressError(url=shown, why="name and password have fields of their own")
    if parts.fragment:
        raise AddressError(url=shown, why="nothing may follow a #")
    path = _path(shown, path=parts.path, form=form)
    at = _host(shown, host=host) + (f":{_port(shown, port=port)}" if port is not None else "")
    query = _query(shown, query=parts.query, form=form)
    return f"{parts.scheme}://{at}{path}{query}"


def with_user(address: str, *, user: str) -> str:
    """Return a cleaned address with the name that a shell's transport wants in it."""
    scheme, _, rest = address.partition("://")
    if not user or scheme not in ("qemu+ssh", "qemu+libssh2"):
        return address
    if not USER.match(user):
        raise AddressError(url=address, why="the name to sign in with is none of a system's user")
    return f"{scheme}://{quote(user, safe='')}@{rest}"


def _host(address: str, *, host: str) -> str:
    if not host:
        raise AddressError(url=address, why="it names no host")
    try:
        known = ipaddress.ip_address(host)
    except ValueError:
        pass
    else:
        if "%" in host:
            raise AddressError(url=address, why="it names an interface of ours")
        return f"[{known}]" if ":" in str(known) else str(known)
    if not all(_LABELS.match(label) for label in host.split(".")) or len(host) > 253:  # noqa: PLR2004  # RFC 1035
        raise AddressError(url=address, why=f"{host} is no name of a host")
    if host.replace(".", "").isdigit() or host.startswith("0x"):
        raise AddressError(url=address, why=f"{host} is an address in a form that hides it")
    return host.lower()


def _port(address: str, *, port: int) -> int:
    if not 1 <= port <= MAX_PORT:
        raise AddressError(url=address, why=f"{port} is no port")
    return port


def _path(address: str, *, path: str, form: Form) -> str:
    if form.paths:
        if path not in form.paths:
            raise AddressError(url=address, why=f"it ends with none of {', '.join(form.paths)}")
        return path
    if not _PATH.match(path) or any(set(part) == {"."} for part in path.split("/") if part):
        raise AddressError(url=address, why="its path holds more than plain words")
    return path


def _query(address: str, *, query: str, form: Form) -> str:
    if not query:
        return ""
    try:
        pairs = parse_qsl(query, keep_blank_values=True, max_num_fields=MAX_VALUES)
    except ValueError as exc:
        raise AddressError(url=address, why=f"it names more than {MAX_VALUES} values") from exc
    for name, told in pairs:
        if name not in form.parameters:
            allowed = ", ".join(form.parameters) or "none"
            raise AddressError(url=address, why=f"it may have no {name} ({allowed} are taken)")
        if not _VALUE.match(told):
            raise AddressError(url=address, why=f"{name} holds more than plain words")
    return f"?{urlencode(pairs, safe='[]:/')}"


def _test_file(address: str, *, path: str, has_more: bool) -> str:
    """Return the address of a host that is a file, in the demo's own folder alone."""
    folder = settings.FEED_TEST_FILES
    if not folder:
        raise AddressError(url=address, why="test files are read in the demo alone")
    root = Path(os.path.realpath(folder))
    file = Path(os.path.realpath(path))
    is_plain = bool(re.match(r"^[A-Za-z0-9._/-]+$", path))
    if has_more or not is_plain or file.parent != root or file.suffix != ".xml":
        raise AddressError(url=address, why="test files are read from the demo's own folder alone")
    return f"{TEST}://{file}"
