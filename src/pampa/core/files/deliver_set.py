"""Sending out several files of one programme: rendered once, the encoders side by side."""

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from pampa.core.deliver.formats import Format
from pampa.core.deliver.sheet import DeliverySheet
from pampa.core.deliver.solve import Aim, measure_parts
from pampa.core.errors import Cancelled, PampaError
from pampa.core.executor import Executor
from pampa.core.files.deliver import Progress, deliver
from pampa.core.files.tags import Tags
from pampa.core.loudness import LoudnessPart
from pampa.core.mix.render import MonoSum
from pampa.core.resampled import Resampled
from pampa.core.sound import Source

AT_ONCE = 2
RENDERING = 0.3
"""How much of the whole the rendering is taken to be; the files share the rest."""


@dataclass(frozen=True)
class WantedFile:
    """One file that is wanted of a programme. fmt.rate : None for that of the programme."""

    path: Path
    fmt: Format
    aim: Aim
    mono: bool = False
    tags: Tags | None = None


class _Programme:
    """The programme as some of the files need it, measured once for all of them."""

    def __init__(self, source: Source, executor: Executor) -> None:
        self.source = source
        self._executor, self._lock = executor, threading.Lock()
        self._parts: list[LoudnessPart] | None = None

    def parts(self) -> list[LoudnessPart]:
        with self._lock:
            if self._parts is None:
                self._parts = measure_parts(self.source, self._executor)
            return self._parts


def deliver_all(
    source: Source, wanted: Sequence[WantedFile], *, executor: Executor, made: Callable[[int, DeliverySheet], None],
    progress: Progress = lambda doing, share: None,
) -> dict[int, PampaError]:  # fmt: skip
    """Make all files that are wanted of a source that is quick to read again.

    made : told of each file as soon as it is whole, by its place in the list. Returns why files could not be made, by
    place; the others are made all the same. Raises Cancelled when `progress` does; what is whole by then stays.
    """
    programmes: dict[tuple[bool, int], _Programme] = {}
    for each in wanted:
        way = (each.mono, each.fmt.rate or source.rate)
        if way not in programmes:
            heard: Source = MonoSum(source) if each.mono else source
            programmes[way] = _Programme(heard if way[1] == source.rate else Resampled(heard, way[1]), executor)
    shares = [0.0] * len(wanted)
    failed: dict[int, PampaError] = {}
    stopped, telling = threading.Event(), threading.Lock()

    def told(index: int, doing: str, share: float) -> None:
        if stopped.is_set():
            raise Cancelled
        with telling:
            shares[index] = max(shares[index], share)
            whole = RENDERING + (1 - RENDERING) * sum(shares) / len(wanted)
            progress(doing if len(wanted) == 1 else f"{doing} {each_label(wanted[index])}", whole)

    def make(index: int) -> None:
        each = wanted[index]
        programme = programmes[each.mono, each.fmt.rate or source.rate]
        try:
            sheet = deliver(
                programme.source, each.path, each.fmt, each.aim, tags=each.tags, executor=executor,
                parts=programme.parts(), progress=lambda doing, share: told(index, doing, share),
            )  # fmt: skip
            shares[index] = 1.0
            with telling:
                made(index, sheet)
        except Cancelled:
            stopped.set()
            raise
        except PampaError as error:
            failed[index] = error

    progress("Rendering", 0.0)
    for programme in programmes.values():
        programme.parts()
    with ThreadPoolExecutor(AT_ONCE, thread_name_prefix="deliver") as pool:
        for future in [pool.submit(make, index) for index in range(len(wanted))]:
            future.result()
    return failed


def each_label(each: WantedFile) -> str:
    """How a file of the set is called while it is made."""
    return each.fmt.checked(rate=each.fmt.rate or 48_000, channels=1 if each.mono else 2).label
