"""The outermost layer: how much may be sent, in what time, and which headers every answer has."""

import asyncio
import json
from collections.abc import Iterable

from asgiref.sync import sync_to_async
from django.conf import settings
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

SMALL_BODY_BYTES = 2 << 20
BODY_IDLE_SECONDS = 20.0  # between two pieces of a body
BODY_SECONDS = 900.0  # for all of it
# What may be large, by the end of its path; only for whom we know, since it is kept on disk.
LARGE_BODIES = {"/documents": 65 << 20, "/sheets": 1025 << 20}
STATIC_POLICY = "default-src 'none'; frame-ancestors 'none'"
HEADERS = {
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=(), payment=(), usb=()",
}


class Refused(Exception):  # noqa: N818  # it only carries an answer out of a receive
    """A body that is not taken, with the status that says why."""

    def __init__(self, status: int, *, kind: str, detail: str) -> None:
        self.status, self.kind, self.detail = status, kind, detail
        super().__init__(detail)


class Guard:
    """Bounds bodies in size and time, and puts the headers on that every answer has."""

    def __init__(self, app: ASGIApp, *, idle_seconds: float = BODY_IDLE_SECONDS) -> None:
        self.app, self.idle_seconds = app, idle_seconds

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        sender = _Sender(scope, send)
        try:
            body = await _Body.of(scope, receive, idle_seconds=self.idle_seconds)
            await self.app(scope, body.receive, sender.send)
        except Refused as refused:
            await sender.refuse(refused)


class _Sender:
    """Sends an answer with our headers; knows whether one has begun."""

    def __init__(self, scope: Scope, send: Send) -> None:
        self.scope, self._send, self.has_begun = scope, send, False

    async def send(self, message: Message) -> None:
        if message["type"] == "http.response.start":
            self.has_begun = True
            headers = MutableHeaders(scope=message)
            for name, told in _headers(str(self.scope["path"])):
                headers.setdefault(name, told)
        await self._send(message)

    async def refuse(self, refused: Refused) -> None:
        """Answer with a problem, unless an answer is on its way already."""
        if self.has_begun:
            raise refused
        body = json.dumps(
            {
                "type": f"/problems/{refused.kind}",
                "title": refused.kind.replace("-", " ").capitalize(),
                "status": refused.status,
                "detail": refused.detail,
                "instance": self.scope["path"],
            }
        ).encode()
        headers = [
            (b"content-type", b"application/problem+json"),
            (b"content-length", str(len(body)).encode()),
            (b"connection", b"close"),
        ]
        start = {"type": "http.response.start", "status": refused.status, "headers": headers}
        await self.send(start)
        await self.send({"type": "http.response.body", "body": body})


class _Body:
    """A request's body as it comes, counted and timed."""

    def __init__(self, receive: Receive, *, max_bytes: int, idle_seconds: float) -> None:
        self._receive, self.max_bytes, self.idle_seconds = receive, max_bytes, idle_seconds
        self.n_bytes, self.is_whole = 0, False
        self.until = asyncio.get_running_loop().time() + BODY_SECONDS

    @classmethod
    async def of(cls, scope: Scope, receive: Receive, *, idle_seconds: float) -> "_Body":
        """Return the body of a request; raise Refused where its length says it is too long."""
        max_bytes = SMALL_BODY_BYTES
        for ending, large in LARGE_BODIES.items():
            if scope["method"] == "POST" and str(scope["path"]).endswith(ending):
                max_bytes = large if await sync_to_async(_is_known)(scope) else max_bytes
        body = cls(receive, max_bytes=max_bytes, idle_seconds=idle_seconds)
        told = Headers(scope=scope).get("content-length", "0")
        if told.isascii() and told.isdigit() and int(told[:15]) > max_bytes:
            raise body.too_long()
        return body

    def too_long(self) -> Refused:
        """Return the refusal of a body over its limit."""
        told = f"Send at most {self.max_bytes >> 20} MiB at once."
        return Refused(413, kind="too-long", detail=told)

    async def receive(self) -> Message:
        """Return the next message, within its time and size."""
        if self.is_whole:  # from now on it only tells that who asked went away
            return await self._receive()
        left = min(self.idle_seconds, self.until - asyncio.get_running_loop().time())
        try:
            message = await asyncio.wait_for(self._receive(), timeout=max(left, 0))
        except TimeoutError as exc:
            told = "The rest of what was sent did not come in time."
            raise Refused(408, kind="too-slow", detail=told) from exc
        self.n_bytes += len(message.get("body", b""))
        self.is_whole = not message.get("more_body", False)
        if self.n_bytes > self.max_bytes:
            raise self.too_long()
        return message


def _is_known(scope: Scope) -> bool:
    """Whether a request comes with a session or token that is in force."""
    from django.db import connection

    try:
        return _lets_in(Headers(scope=scope))
    finally:
        connection.close()  # no request of Django's does it here


def _lets_in(headers: Headers) -> bool:
    from django.http.cookie import parse_cookie

    from keelmark.access.services.tokens import person_of_token
    from keelmark.access.sessions import SessionStore

    bearer, _, secret = headers.get("authorization", "").partition(" ")
    if bearer.lower() == "bearer":
        return person_of_token(secret) is not None
    key = parse_cookie(headers.get("cookie", "")).get(settings.SESSION_COOKIE_NAME)
    return bool(key) and SessionStore(key).exists(str(key))


def _headers(path: str) -> Iterable[tuple[str, str]]:
    yield from HEADERS.items()
    if path.startswith("/api/"):
        yield "Cache-Control", "no-store"
    if path.startswith(("/static/", "/_app/")):
        yield "Content-Security-Policy", STATIC_POLICY
    if settings.SECURE_HSTS_SECONDS:
        yield "Strict-Transport-Security", f"max-age={settings.SECURE_HSTS_SECONDS}"
