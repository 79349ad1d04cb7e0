"""The seam between a pass and whatever runs it: a map over segments, in order, on one thread or several."""

import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from enum import IntEnum
from functools import partial
from heapq import heappop, heappush
from itertools import count, islice
from typing import Any, Protocol, TypeVar

Item = TypeVar("Item")
Result = TypeVar("Result")

IDLE_S = 5.0
"""A thread without work ends after so long; the next work begins another."""
OWN_HANDS_S = 0.5
"""Whoever waits longer than this for work to begin does it himself: he may hold what the others wait for."""


class Urgency(IntEnum):
    """What is begun first: the sound somebody is listening to, then what is on the screen, then all other work."""

    HEARD = 0
    SEEN = 1
    WORK = 2


_urgency: ContextVar[Urgency] = ContextVar("urgency", default=Urgency.WORK)
_inside = threading.local()


@contextmanager
def urgent(urgency: Urgency) -> Iterator[None]:
    """What this thread asks for meanwhile is so urgent."""
    before = _urgency.set(urgency)
    try:
        yield
    finally:
        _urgency.reset(before)


def urgency() -> Urgency:
    """How urgent what this thread asks for is."""
    return _urgency.get()


class Executor(Protocol):
    """Maps a pure function over items. Results come in the order of the items, whoever computed them.

    function : a plain value that could be sent to another process, such as `functools.partial` of a function of a
    module and a source.
    """

    def map(self, function: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]: ...


class Inline:
    """Everything in the calling thread, one after another."""

    def map(self, function: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
        return map(function, items)


class _Task:
    """Something to be done once, by whoever claims it first."""

    def __init__(self, work: Callable[[], Any]) -> None:
        self._work = work
        self._unclaimed = threading.Lock()
        self.done = threading.Event()
        self._result: Any = None
        self._error: BaseException | None = None

    def claim(self) -> bool:
        """Whether it is the caller's now: to be carried out, or to be left undone."""
        return self._unclaimed.acquire(blocking=False)

    def carry_out(self) -> None:
        try:
            self._result = self._work()
        except BaseException as error:
            self._error = error
        finally:
            self.done.set()

    def result(self) -> Any:
        if not self.done.wait(OWN_HANDS_S) and self.claim():
            self.carry_out()
        self.done.wait()
        if self._error is not None:
            raise self._error
        return self._result


class Threads:
    """A few threads for everybody: the compiled loops release the interpreter, so two threads fill two cores.

    The most urgent work that waits is begun first. Work that asks for more work does it itself, so there are never
    more threads at work than there should be. Only a few results are held at a time: memory stays flat however long
    the sound is.
    """

    def __init__(self, workers: int) -> None:
        self.workers = workers
        self._changed = threading.Condition()
        self._waiting: list[tuple[Urgency, int, _Task]] = []
        self._order = count()
        self._threads = self._idle = self._listeners = 0

    @property
    def inside(self) -> bool:
        """Whether the calling thread is one of them: it then does itself what it asks for."""
        return getattr(_inside, "a_worker", False)

    def map(self, function: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
        """Results in order. They are worked on from the first one asked for on, some ahead of it."""
        if self.inside:
            yield from map(function, items)
            return
        queue = iter(items)
        pending = [self._ask(partial(function, item)) for item in islice(queue, self.workers + 1)]
        try:
            while pending:
                yield pending.pop(0).result()
                pending += [self._ask(partial(function, item)) for item in islice(queue, 1)]
        finally:
            for task in pending:
                task.claim()  # whoever finds it claimed leaves it undone

    def at_once(self, works: Sequence[Callable[[], object]]) -> None:
        """Carry out a few things of any length: as soon as one is done, the next one begins."""
        if self.inside:
            for work in works:
                work()
            return
        tasks = [self._ask(work) for work in works]
        try:
            for task in tasks:
                task.result()
        finally:
            for task in tasks:
                task.claim()

    def seen(self, work: Callable[[], Result]) -> Result:
        """Something for the screen, by one of the threads: a hundred pictures asked for at once take turns."""
        if self.inside:
            return work()
        with urgent(Urgency.SEEN):
            result: Result = self._ask(work).result()
        return result

    def close(self) -> None:
        """Let go what it holds: nothing here, threads end by themselves."""

    @contextmanager
    def heard(self) -> Iterator[None]:
        """The calling thread makes sound that somebody waits for: meanwhile no other work is begun."""
        with self._changed:
            self._listeners += 1
        try:
            with urgent(Urgency.HEARD):
                yield
        finally:
            with self._changed:
                self._listeners -= 1
                self._changed.notify_all()

    def _ask(self, work: Callable[[], Any]) -> _Task:
        task = _Task(work)
        with self._changed:
            heappush(self._waiting, (_urgency.get(), next(self._order), task))
            self._changed.notify()
            if self._idle < len(self._waiting) and self._threads < self.workers:
                self._threads += 1
                threading.Thread(target=self._work, name="pampa-segments", daemon=True).start()
        return task

    def _work(self) -> None:
        _inside.a_worker = True
        while True:
            with self._changed:
                self._idle += 1
                self._changed.wait_for(self._may_begin, IDLE_S)
                self._idle -= 1
                if not self._waiting:
                    self._threads -= 1
                    return
                if not self._may_begin():
                    continue
                task = heappop(self._waiting)[2]
            if task.claim():
                task.carry_out()

    def _may_begin(self) -> bool:
        return bool(self._waiting) and (not self._listeners or self._waiting[0][0] == Urgency.HEARD)
