"""Asynchronous work done from code that is not: in a thread with an event loop of its own."""

import asyncio
import threading
from collections.abc import Coroutine
from typing import Any, TypeVar

Given = TypeVar("Given")


class Loop:
    """An event loop in a thread. What is run in it is waited for; whoever made it closes it."""

    def __init__(self) -> None:
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._loop.run_forever, name="host", daemon=True)
        self._thread.start()

    def run(self, work: Coroutine[Any, Any, Given]) -> Given:
        """What the work gives, or the error that it ends with."""
        return asyncio.run_coroutine_threadsafe(work, self._loop).result()

    def close(self) -> None:
        """Let the thread end."""
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join()
        self._loop.close()
