"""The seam between a pass and whatever runs it: a map over segments, in order, on one thread or several."""

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from itertools import islice
from typing import Protocol, TypeVar

Item = TypeVar("Item")
Result = TypeVar("Result")


class Executor(Protocol):
    """Maps a pure function over items. Results come in the order of the items, whoever computed them."""

    def map(self, function: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]: ...


class Inline:
    """Everything in the calling thread, one after another."""

    def map(self, function: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
        return map(function, items)


class Threads:
    """A pool of threads: the compiled loops release the interpreter, so two threads fill two cores.

    Only a few results are held at a time, so memory stays flat however long the sound is.
    """

    def __init__(self, workers: int) -> None:
        self.workers = workers

    def map(self, function: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
        queue = iter(items)
        with ThreadPoolExecutor(self.workers) as pool:
            pending = [pool.submit(function, item) for item in islice(queue, self.workers + 1)]
            try:
                while pending:
                    yield pending.pop(0).result()
                    pending += [pool.submit(function, item) for item in islice(queue, 1)]
            finally:
                for future in pending:
                    future.cancel()
