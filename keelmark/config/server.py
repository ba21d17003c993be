"""The HTTP protocol of the web server: a connection that does not come to the point is closed."""

import asyncio
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEADER_SECONDS = 15.0  # from the first byte, or the connection, to the end of the headers
MAX_HEADER_BYTES = 64 << 10
MAX_CONNECTIONS = 400  # of one process; those that come then are closed at once


class PatientProtocol(HttpToolsProtocol):
    """uvicorn's own, but it does not wait for headers for ever."""

    n_open = 0

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]  # theirs
        super().connection_made(transport)
        type(self).n_open += 1
        if self.n_open > MAX_CONNECTIONS:
            transport.abort()
        self._wait_for_headers()

    def connection_lost(self, exc: Exception | None) -> None:
        type(self).n_open -= 1
        self._stop_waiting()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        if self._headers_due is not None:
            self._n_header_bytes += len(data)
            # A body may begin in the same piece; the headers before it are short then.
            if self._n_header_bytes > MAX_HEADER_BYTES + len(data):
                self._give_up()
                return
        super().data_received(data)

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self._wait_for_headers()

    def on_headers_complete(self) -> None:
        self._stop_waiting()
        super().on_headers_complete()

    _headers_due: Any = None  # Any: a handle of the loop
    _n_header_bytes = 0

    def _wait_for_headers(self) -> None:
        self._stop_waiting()
        self._n_header_bytes = 0
        self._headers_due = self.loop.call_later(HEADER_SECONDS, self._give_up)

    def _stop_waiting(self) -> None:
        if self._headers_due is not None:
            self._headers_due.cancel()
            self._headers_due = None

    def _give_up(self) -> None:
        if self.transport is not None and not self.transport.is_closing():
            self.transport.abort()
