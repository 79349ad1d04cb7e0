"""A recording mended: measured once for the processes that are asked for, then read anywhere with any amounts."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import partial

import numpy as np

from pampa.core.executor import Executor, Inline
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.processes import PROCESS_NAMES, PROCESSES, Facts, Knowledge, in_full
from pampa.core.sound import FloatArray, Over, Source, read_segment, segments

Measured = Mapping[str, Knowledge]
"""By the names of the processes that were asked for, what they know of the recording."""

Keep = Callable[[str, Knowledge], None]

VERSION = 14
"""Raised whenever the same recording would be measured otherwise, so that nothing old is taken from a cache."""

Told = Callable[[str, float], None]
"""Is told what is being measured, and how much of all is done, 0 to 1."""


def measure(source: Source, amounts: Amounts, facts: Facts, *, known: Measured | None = None,
            told: Told = lambda doing, share: None, keep: Keep = lambda name, known: None) -> Measured:  # fmt: skip
    """What the processes asked for need to know of a whole recording at 48 kHz.

    Each is measured on what those before it leave, in full: what is measured does not hang on an amount, so that a
    changed amount is heard at once. known : what was measured before and still holds. keep : is given each as soon
    as it is known.
    """
    full, found = in_full(amounts), dict(known or {})
    asked = [process for process in PROCESSES if amounts.of(process.name) > 0]
    last = max((index for index, process in enumerate(asked) if process.name not in found), default=-1)
    left = source
    for index, process in enumerate(asked[: last + 1]):
        if process.name not in found:
            told(process.doing, index / len(asked))
            found[process.name] = process.measure(left, amounts, facts)
            keep(process.name, found[process.name])
        if found[process.name] is not None:
            left = process.apply(left, found[process.name], full)
            left = facts.hold(left) if process.costly and index < last else left
    return found


def basis(process: str, amounts: Amounts) -> str:
    """What a measurement hangs on besides the recording: the processes before it, and where noise is learned."""
    before = [p.name for p in PROCESSES[: PROCESS_NAMES.index(process)] if amounts.of(p.name) > 0]
    region = amounts.region if "noise" in (*before, process) else None
    among = amounts.among if process in ("bleed", "sharing") else ()
    return f"{VERSION} {process} after {' '.join(before)} from {region} among {among}"


def chain(source: Source, amounts: Amounts, measured: Measured, *, only: str | None = None) -> Source:
    """The mended recording as a source. With nothing to do it is the very same source.

    only : the name of one process, to hear what it does alone.
    """
    clean = source
    for process in PROCESSES:
        known = measured.get(process.name)
        if known is not None and amounts.of(process.name) > 0 and only in (None, process.name):
            clean = process.apply(clean, known, amounts)
    return clean


@dataclass(frozen=True, eq=False)
class TakenAway(Over):
    """Exactly what `mended` lacks of `source`."""

    source: Source
    mended: Source

    @property
    def frames(self) -> int:
        return self.source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        return self.source.read(start, stop) - self.mended.read(start, stop)


def mended(source: Source, amounts: Amounts, measured: Measured, executor: Executor | None = None
           ) -> Iterator[FloatArray]:  # fmt: skip
    """The mended recording segment by segment, in order. Any order of working gives the same samples."""
    clean = chain(source, amounts, measured)
    return (executor or Inline()).map(partial(read_segment, clean), segments(source.frames))


@dataclass(eq=False)
class Done:
    """What mending did, gathered while the sound goes by: linear peaks before and after."""

    peak_before: float = 0.0
    peak_after: float = 0.0

    def watched(self, source: Source, parts: Iterable[FloatArray]) -> Iterator[FloatArray]:
        """The mended parts of `source`, one after another, looked at as they pass."""
        at = 0
        for part in parts:
            before = source.read(at, at + len(part))
            self.peak_before = max(self.peak_before, float(np.abs(before).max(initial=0)))
            self.peak_after = max(self.peak_after, float(np.abs(part).max(initial=0)))
            at += len(part)
            yield part
