"""Connections that come to nothing are ended: one that sends no request, or a body that stops half-way."""

import asyncio
import os
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEADERS_S = float(os.environ.get("PAMPA_PATIENCE_S", 20.0))
BODY_S = 3 * HEADERS_S
"""How long a request's head may take in all, and how long nothing may come of its body."""


class Patience(HttpToolsProtocol):
    """uvicorn's protocol with an end to its patience; what is being answered is not touched."""

    _until: asyncio.TimerHandle | None = None
    _in_body = False

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._wait(HEADERS_S)

    def data_received(self, data: bytes) -> None:
        if self._in_body:
            self._wait(BODY_S)
        super().data_received(data)

    def on_message_begin(self) -> None:
        super().on_message_begin()
        if self._until is None:
            self._wait(HEADERS_S)

    def on_headers_complete(self) -> None:
        super().on_headers_complete()
        self._in_body = True
        self._wait(BODY_S)

    def on_message_complete(self) -> None:
        super().on_message_complete()
        self._in_body = False
        self._wait(None)

    def connection_lost(self, exc: Exception | None) -> None:
        self._wait(None)
        super().connection_lost(exc)

    def _wait(self, seconds: float | None) -> None:
        if self._until is not None:
            self._until.cancel()
        self._until = None if seconds is None else self.loop.call_later(seconds, self._end)

    def _end(self) -> None:
        self._until = None
        self.transport.close()
