"""Server-sent events that say when something moved, so that screens need not ask again and again.

What moved is told, not what it is by now: that is read where it always is, by who may see it.
"""

import asyncio
import hashlib
import time
from collections.abc import AsyncIterator, Callable
from typing import Final

from asgiref.sync import sync_to_async
from django.db import DatabaseError, connection
from django.http import StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.renderers import JSONRenderer
from rest_framework.request import Request
from rest_framework.views import APIView

from keelmark.access.api.base import Problem
from keelmark.access.errors import TooOftenError
from keelmark.compliance.selectors.moved import moved

LOOK_SECONDS: Final = 2.0
QUIET_SECONDS: Final = 15.0  # after which a listener is told that nothing moved
LISTEN_SECONDS: Final = 300.0  # then it asks anew, and is looked at anew
MOST_LISTENERS: Final = 150  # of one process; who comes then asks now and then instead
Look = Callable[[], dict[str, str]]


class Pulse:
    """Looks once for all who listen in this process."""

    def __init__(self, look: Look, *, every_seconds: float = LOOK_SECONDS) -> None:
        self.look, self.every_seconds = look, every_seconds
        self.n_listeners = 0
        self._seen: dict[str, str] = {}
        self._looked_at = float("-inf")
        self._is_looking = False

    async def beats(self, *, for_seconds: float = LISTEN_SECONDS) -> AsyncIterator[bytes]:
        """Yield an event for each part that moved, and a sign of life where none does."""
        begun = told_at = time.monotonic()
        self.n_listeners += 1
        try:
            before = await self._now()
            yield b"retry: 2000\n: listening\n\n"
            while time.monotonic() - begun < for_seconds:
                await asyncio.sleep(self.every_seconds)
                now = await self._now()
                for part in sorted(part for part in now if now[part] != before.get(part)):
                    told_at = time.monotonic()
                    yield f"event: moved\ndata: {part}\n\n".encode()
                before = now
                if time.monotonic() - told_at > QUIET_SECONDS:
                    told_at = time.monotonic()
                    yield b": nothing moved\n\n"
        finally:
            self.n_listeners -= 1

    async def _now(self) -> dict[str, str]:
        """What there is, not older than a look; one listener looks, the others take that."""
        if time.monotonic() - self._looked_at < self.every_seconds or self._is_looking:
            return self._seen
        self._is_looking = True
        try:
            self._seen = await sync_to_async(_looked, thread_sensitive=False)(self.look)
            self._looked_at = time.monotonic()
        except DatabaseError:
            pass  # what was seen stands; whoever reads is told of the outage
        finally:
            self._is_looking = False
        return self._seen


def _looked(look: Look) -> dict[str, str]:
    try:
        return {
            part: hashlib.sha256(told.encode()).hexdigest()[:16] for part, told in look().items()
        }
    finally:
        connection.close()  # no request of Django's does it here


PULSE = Pulse(moved)


class Events(JSONRenderer):
    """So that who asks for events is not told that there are none; refusals are JSON."""

    media_type = "text/event-stream"
    format = "events"


class PulseView(APIView):
    """Says when lanes, offers or changes moved: `event: moved`, `data: lanes`."""

    renderer_classes = [*APIView.renderer_classes, Events]

    @extend_schema(
        operation_id="pulse", responses={(200, "text/event-stream"): OpenApiTypes.STR, 429: Problem}
    )
    def get(self, request: Request) -> StreamingHttpResponse:
        if PULSE.n_listeners >= MOST_LISTENERS:
            raise TooOftenError(wait_seconds=LISTEN_SECONDS)
        # Compressed, small events would wait in the compressor.
        headers = {"Content-Encoding": "identity", "X-Accel-Buffering": "no"}
        return StreamingHttpResponse(
            PULSE.beats(), content_type="text/event-stream", headers=headers
        )
