"""A recording mended: which processes with what amounts, in the order that is right, and what they did."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from pampa.core.checkup.frames import measure_frames
from pampa.core.checkup.leaning import best_angle
from pampa.core.executor import Executor, Inline
from pampa.core.mend.hum import HumTrack, follow_hum, without_hum
from pampa.core.mend.rotation import rotated
from pampa.core.sound import FloatArray, Over, Segment, Source, segments

WORTH_TURNING_DB = 0.5


@dataclass(frozen=True)
class Amounts:
    """How much of each process, 0 to 100; phase rotation is on or off."""

    hum: float = 0.0
    phase: bool = False


@dataclass(frozen=True, eq=False)
class Mending:
    """What was measured of a recording for the processes asked for. None or 0 for what finds nothing to do."""

    amounts: Amounts
    hum: HumTrack | None = None
    angle: float = 0.0
    wins_db: float = 0.0


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


@dataclass(frozen=True, eq=False)
class Humless(Over):
    """A source with its hum subtracted, read like any other."""

    source: Source
    track: HumTrack
    amount: float

    @property
    def frames(self) -> int:
        return self.source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        first, last = max(start, 0), min(stop, self.frames)
        out = np.zeros((stop - start, self.channels), np.float32)
        if last > first:
            part = Segment(0, first, last)
            out[first - start : last - start] = without_hum(self.source, part, self.track, self.amount)
        return out


def measure(source: Source, amounts: Amounts, executor: Executor | None = None) -> Mending:
    """What the processes asked for need to know of a whole recording at 48 kHz."""
    hum = follow_hum(source, executor) if amounts.hum > 0 else None
    if not amounts.phase:
        return Mending(amounts, hum)
    frames = measure_frames(source, executor)
    angle, wins = best_angle(source, np.maximum(frames.high_peak, frames.low_peak))
    return Mending(amounts, hum, angle, wins) if wins >= WORTH_TURNING_DB else Mending(amounts, hum)


def mended(source: Source, mending: Mending, executor: Executor | None = None) -> Iterator[FloatArray]:
    """The recording segment by segment: hum goes first, phase turns last. Any order gives the same samples."""
    clean: Source = source
    if mending.hum is not None:
        clean = Humless(source, mending.hum, mending.amounts.hum / 100)
    return (executor or Inline()).map(lambda segment: rotated(clean, segment, mending.angle), segments(source.frames))
