"""The executor over many machines: the same map, carried out by the workers of a Dask scheduler."""

import contextlib
import ctypes
import logging
import pickle
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from functools import cache, partial
from itertools import chain, islice
from typing import Any

from pampa.core.errors import PampaError
from pampa.core.executor import Item, Result, Threads, Urgency, urgency

log = logging.getLogger(__name__)

ANSWERS_WITHIN_S = 10
M_TRIM_THRESHOLD, M_MMAP_THRESHOLD = -1, -3
"""Of mallopt(3)."""
KEPT_BYTES, MAPPED_BYTES = 128 << 20, 32 << 20
AHEAD = 2
"""So many items for each thread of the workers are under way: none waits for the next, and memory stays flat."""


class Cluster:
    """Maps a function over items on workers elsewhere. Results come in order, whoever computed them.

    A worker that dies loses nothing: its items are given to another one. lost : what an item becomes where worker after
    worker died of it, also with nothing beside it; by default that is an error. Raises PampaError where no scheduler
    answers.
    """

    def __init__(self, address: str, lost: Callable[[Any], Any] | None = None) -> None:
        try:
            from distributed import Client
        except ImportError:
            raise PampaError(
                "A scheduler takes the extra pampa[cluster], which is not installed here. Nothing was made."
            ) from None
        try:
            self._client = Client(address, timeout=ANSWERS_WITHIN_S, set_as_default=False)
        except (OSError, TimeoutError, ValueError) as error:
            raise PampaError(
                f"No scheduler answers at {address}. Nothing was made. Is it running there, and reachable from here?"
            ) from error
        self._lost = lost

    @property
    def threads(self) -> int:
        """How many items are worked on at once, as many workers as there are now; 0 where the scheduler is gone."""
        if self._client.status != "running":
            return 0
        return sum(self._client.nthreads().values())

    def map(self, function: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
        queue = iter(items)
        pending: deque[tuple[Item, Any]] = deque()
        try:
            while True:
                wanted = max(AHEAD * self.threads, 1) - len(pending)
                for item in islice(queue, max(wanted, 0)):
                    pending.append((item, self._submit(function, item)))
                if not pending:
                    return
                item, future = pending.popleft()
                yield self._result(function, item, future, [each for _, each in pending])
                del future  # the scheduler keeps a result for as long as anybody holds it
        finally:
            self._client.cancel([future for _, future in pending])

    def close(self) -> None:
        self._client.close()

    def _submit(self, function: Callable[[Any], Any], item: Any) -> Any:
        return self._client.submit(partial(_at_work, function), item, pure=False)

    def _result(self, function: Callable[[Any], Any], item: Any, future: Any, beside: list[Any]) -> Any:
        from distributed import KilledWorker
        from distributed.comm import CommClosedError

        try:
            try:
                return future.result()
            except KilledWorker:
                # The scheduler blames all that a dead worker had been given, also what only waited there. So it is
                # tried once more with nothing beside it.
                for each in beside:
                    each.exception()
                return self._submit(function, item).result()
        except KilledWorker as error:
            if self._lost is not None:
                return self._lost(item)
            raise PampaError("Worker after worker died of the same piece of work. Nothing was lost here.") from error
        except (CommClosedError, OSError, TimeoutError) as error:
            if self._client.status == "running":
                raise
            raise PampaError("The scheduler went away. What was finished stays; run it again.") from error


class Beside(Threads):
    """Threads for what somebody hears or sees, and workers elsewhere for all other work.

    They must see the data folder under the same path. What cannot be sent, and what they do not get done, is done here:
    the same sound comes out either way.
    """

    def __init__(self, workers: int, cluster: Cluster) -> None:
        super().__init__(workers)
        self._cluster = cluster

    def map(self, function: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
        if self.inside or urgency() != Urgency.WORK or not self._cluster.threads or not _can_be_sent(function):
            yield from super().map(function, items)
            return
        given: deque[Item] = deque()
        queue = iter(items)
        try:
            for result in self._cluster.map(function, _noted(queue, given)):
                given.popleft()
                yield result
        except (PampaError, OSError) as error:
            log.warning("Workers elsewhere did not do it (%s); it is done here.", error)
            yield from super().map(function, chain(list(given), queue))

    def close(self) -> None:
        self._cluster.close()


def _at_work(function: Callable[[Item], Result], item: Item) -> Result:
    _keep_memory()
    return function(item)


@cache
def _keep_memory() -> None:
    """In a worker: keep freed memory for the next arrays, as every other process does.

    Dask has workers give back all above 64 KB at once. With that every array of a segment is mapped, and its pages
    zeroed, anew: the same work takes up to twice the time.
    """
    with contextlib.suppress(AttributeError, OSError):  # where the C library knows no such thing
        library = ctypes.CDLL(None)
        library.mallopt(M_MMAP_THRESHOLD, MAPPED_BYTES)
        library.mallopt(M_TRIM_THRESHOLD, KEPT_BYTES)


def _noted(queue: Iterator[Item], given: deque[Item]) -> Iterator[Item]:
    for item in queue:
        given.append(item)
        yield item


def _can_be_sent(function: Callable[..., Any]) -> bool:
    try:
        pickle.dumps(function)
    except (pickle.PicklingError, TypeError, AttributeError):
        return False
    return True
