"""Answers of far ends, read within bounds: so many bytes when unpacked, so many seconds in all."""

import asyncio
import time
from typing import Any

import httpx
from botocore.awsrequest import AWSPreparedRequest, AWSResponse
from botocore.httpsession import URLLib3Session
from urllib3.connection import HTTPConnection, HTTPSConnection
from urllib3.connectionpool import HTTPConnectionPool, HTTPSConnectionPool

from keelmark.feeds.errors import AnswerError, UnreachableError
from keelmark.feeds.peers import check_peer_name

ANSWER_SECONDS = 120.0  # for one answer in all, however it trickles
MAX_RESOURCE_BYTES = 32 << 20  # a Redfish resource or a page of a listing
_PIECE_BYTES = 64 << 10


def body_of(answer: httpx.Response, *, max_bytes: int) -> bytes:
    """Return the unpacked body of a streamed answer; raise once it is too long or too slow."""
    until = time.monotonic() + ANSWER_SECONDS
    pieces, n_bytes = [], 0
    for piece in answer.iter_bytes():
        n_bytes += len(piece)
        _check(str(answer.url), n_bytes=n_bytes, max_bytes=max_bytes, until=until)
        pieces.append(piece)
    return b"".join(pieces)


async def body_of_async(answer: httpx.Response, *, max_bytes: int) -> bytes:
    """Return the unpacked body of an answer that is streamed asynchronously."""
    pieces, n_bytes = [], 0
    async for piece in answer.aiter_bytes():
        n_bytes += len(piece)
        _check(str(answer.url), n_bytes=n_bytes, max_bytes=max_bytes, until=None)
        pieces.append(piece)
    return b"".join(pieces)


async def sent_within(
    http: httpx.AsyncClient, request: httpx.Request, *, auth: httpx.Auth | None
) -> httpx.Response:
    """Return an answer read whole within bounds; raise a CollectError or httpx's own error."""
    try:
        async with asyncio.timeout(ANSWER_SECONDS):
            answer = await http.send(request, stream=True, auth=auth)
            try:
                content = await body_of_async(answer, max_bytes=MAX_RESOURCE_BYTES)
            finally:
                await answer.aclose()
    except TimeoutError as exc:
        raise UnreachableError(
            url=str(request.url), why=f"no whole answer in {ANSWER_SECONDS:g} s"
        ) from exc
    bare = [(k, v) for k, v in answer.headers.items() if k not in ("content-encoding",)]
    return httpx.Response(answer.status_code, headers=bare, content=content, request=request)


def _check(url: str, *, n_bytes: int, max_bytes: int, until: float | None) -> None:
    if n_bytes > max_bytes:
        raise AnswerError(url=url, why=f"it is over {max_bytes >> 20} MiB")
    if until is not None and time.monotonic() > until:
        raise UnreachableError(url=url, why=f"no whole answer in {ANSWER_SECONDS:g} s")


class _GuardedConnection(HTTPConnection):
    def connect(self) -> None:
        super().connect()
        check_peer_name(self.sock.getpeername(), url=f"http://{self.host}:{self.port}")


class _GuardedTlsConnection(HTTPSConnection):
    def connect(self) -> None:
        super().connect()
        check_peer_name(self.sock.getpeername(), url=f"https://{self.host}:{self.port}")


class _GuardedPool(HTTPConnectionPool):
    ConnectionCls = _GuardedConnection


class _GuardedTlsPool(HTTPSConnectionPool):
    ConnectionCls = _GuardedTlsConnection


class BoundedSession(URLLib3Session):  # type: ignore[misc]  # botocore has no types
    """botocore's own way to send, but for whom it may reach and how much it reads."""

    def __init__(self, *, is_guarded: bool, **settings: Any) -> None:  # Any: botocore's own
        super().__init__(**settings)
        if is_guarded:
            self._manager.pool_classes_by_scheme = {
                "http": _GuardedPool, "https": _GuardedTlsPool,
            }  # fmt: skip

    def answer_to(self, request: AWSPreparedRequest, **_: Any) -> AWSResponse:  # Any: its event's
        """Send for a client: an answer given to its `before-send` event is taken as it is."""
        until = time.monotonic() + ANSWER_SECONDS
        request.stream_output = True
        answer = self.send(request)
        pieces, n_bytes = [], 0
        for piece in answer.raw.stream(_PIECE_BYTES, decode_content=True):
            n_bytes += len(piece)
            _check(request.url, n_bytes=n_bytes, max_bytes=MAX_RESOURCE_BYTES, until=until)
            pieces.append(piece)
        answer._content = b"".join(pieces)
        return answer


def is_of_host(url: str, *, base: str) -> bool:
    """Whether a link stays at the far end that gave it."""
    try:
        one, other = httpx.URL(url), httpx.URL(base)
    except httpx.InvalidURL:
        return False
    return (one.scheme, one.host, one.port) == (other.scheme, other.host, other.port)
