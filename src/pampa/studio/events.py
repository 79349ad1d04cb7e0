"""What has just happened, told to every page that listens."""

import asyncio
import contextlib
from collections.abc import AsyncIterator
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class Event:
    """kind: `revision`, `job`, `recordings`, `loudness`, `lining`, `checkups`, `mended`, `finds`, `larder`,
    `deliveries`, `published`, `straight`.
    """

    kind: str
    episode_id: int
    data: dict[str, Any] = field(default_factory=dict)


class Events:
    """A board that use cases post on from any thread, and pages read from in the event loop."""

    def __init__(self) -> None:
        self._listeners: dict[asyncio.Queue[Event | None], tuple[frozenset[int], asyncio.AbstractEventLoop]] = {}

    def post(self, event: Event) -> None:
        """Tell the pages that show this episode."""
        for queue, (episodes, loop) in list(self._listeners.items()):
            if event.episode_id in episodes:
                with contextlib.suppress(RuntimeError):  # the page's loop has just ended
                    loop.call_soon_threadsafe(queue.put_nowait, event)

    def close(self) -> None:
        """End every reader, so that the server can stop."""
        for queue, (_, loop) in list(self._listeners.items()):
            with contextlib.suppress(RuntimeError):
                loop.call_soon_threadsafe(queue.put_nowait, None)

    async def read(self, *episodes: int) -> AsyncIterator[Event | None]:
        """Events of these episodes as they come; None every 15 s without one, so that a lost page is noticed."""
        queue: asyncio.Queue[Event | None] = asyncio.Queue(1000)
        self._listeners[queue] = (frozenset(episodes), asyncio.get_running_loop())
        try:
            while True:
                try:
                    event = await asyncio.wait_for(queue.get(), 15)
                    if event is None:
                        return
                    yield event
                except TimeoutError:
                    yield None
        finally:
            del self._listeners[queue]
