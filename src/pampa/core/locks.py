"""A lock for each of many things, so that of several who want the same one makes it and the others find it made."""

import threading
from collections.abc import Hashable, Iterator
from contextlib import contextmanager
from weakref import WeakValueDictionary


class Locks:
    """Locks by name. One is there for as long as somebody holds it or waits for it."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._locks: WeakValueDictionary[Hashable, threading.Lock] = WeakValueDictionary()

    @contextmanager
    def of(self, name: Hashable) -> Iterator[None]:
        """Alone with what this name stands for."""
        with self._guard:
            lock = self._locks.get(name)
            if lock is None:
                lock = self._locks[name] = threading.Lock()
        with lock:
            yield
