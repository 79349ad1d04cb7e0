"""What a mooring can be told to do wrong, so that whoever publishes to it can be tried."""

import asyncio
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime
from typing import Any

from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from pampa.mooring.berths import Berths


@dataclass(frozen=True)
class Mood:
    """slow_s : before each answer. fails : how many of the next requests fail with 500. cut_at : the share of a file
    at which the connection is cut, once. expired : tokens are taken no more. full : there is no room. clock_s : by how
    much its clock is wrong.
    """

    slow_s: float = 0.0
    fails: int = 0
    cut_at: float = 0.0
    expired: bool = False
    full: bool = False
    clock_s: float = 0.0


class Moody:
    """The mooring's interface in some mood. It goes before the interface itself; listeners are not harmed."""

    def __init__(self, app: ASGIApp, berths: Berths) -> None:
        self._app, self._berths = app, berths
        self.mood = Mood()

    def change(self, **changes: Any) -> Mood:
        self.mood = replace(self.mood, **changes)
        return self.mood

    def now(self) -> datetime:
        return datetime.now(UTC) + timedelta(seconds=self.mood.clock_s)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not scope["path"].startswith("/api/shows"):
            return await self._app(scope, receive, self._dated(send) if scope["type"] == "http" else send)
        mood = self.mood
        if mood.slow_s:
            await asyncio.sleep(mood.slow_s)
        if mood.fails > 0:
            self.change(fails=mood.fails - 1)
            return await _answer(500, "It went wrong here.", scope, receive, send)
        if mood.expired:
            return await _answer(401, "That token has run out.", scope, receive, send)
        if mood.full and scope["method"] in ("POST", "PATCH", "PUT"):
            return await _answer(507, "There is no room.", scope, receive, send)
        if mood.cut_at and scope["method"] == "PATCH" and self._is_due(scope):
            self.change(cut_at=0.0)
            return await _cut(send)
        await self._app(scope, receive, self._dated(send))

    def _is_due(self, scope: Scope) -> bool:
        _, _, show, _, name = scope["path"].removeprefix("/").split("/", 4)
        coming = self._berths.coming(show, name)
        return coming is not None and coming.there >= self.mood.cut_at * coming.size

    def _dated(self, send: Send) -> Send:
        """Answers carry the time by the mooring's clock."""

        async def sending(message: Message) -> None:
            if message["type"] == "http.response.start":
                date = format_datetime(self.now(), usegmt=True).encode()
                message["headers"] = [*message["headers"], (b"date", date)]
            await send(message)

        return sending

    def told(self) -> dict[str, Any]:
        return asdict(self.mood)


async def _answer(status: int, why: str, scope: Scope, receive: Receive, send: Send) -> None:
    await JSONResponse({"detail": why}, status)(scope, receive, send)


async def _cut(send: Send) -> None:
    """Begin an answer that never ends: the server closes the connection."""
    await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"9")]})
