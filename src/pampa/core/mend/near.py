"""The minutes around a place mended by what they tell themselves, until the whole recording has been measured.

What a process knows of a recording it knows of all of it: a hum is followed from end to end. Measured on two minutes
alone it is known within seconds, and nearly the same; what is heard of it goes once the whole is known, so that the
sound that stays never hangs on where somebody was listening.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import Measured, chain, measure
from pampa.core.mend.processes import PROCESS_NAMES, Facts
from pampa.core.sound import RATE, ArraySource, Excerpt, FloatArray, Over, Source

REACH = 60 * RATE
FADE = RATE // 50
"""Over so many frames it comes in and goes out again at its edges."""
WORTH = 3
"""A recording of fewer times that length is measured as a whole about as soon."""


def around(at: int, frames: int) -> tuple[int, int] | None:
    """From where to where, in frames of a recording of `frames`; None where that would be most of it."""
    if frames < WORTH * 2 * REACH:
        return None
    start = min(max(at - REACH, 0), frames - 2 * REACH)
    return start, start + 2 * REACH


def amounts_near(amounts: Amounts, start: int, stop: int) -> Amounts:
    """The amounts on a stretch's own time: a place to learn noise from holds if it lies there.

    What hangs on who talks when, and single places worked by hand, wait for the whole.
    """
    region: tuple[float, float] | tuple[None, None] = (None, None)
    if amounts.region and start <= amounts.region[0] * RATE and amounts.region[1] * RATE <= stop:
        region = amounts.region[0] - start / RATE, amounts.region[1] - start / RATE
    return replace(
        amounts, noise_from=region[0], noise_to=region[1], bleed=0.0, sharing=0.0, gate=0.0, spots=(), among=()
    )


def asked(amounts: Amounts) -> list[str]:
    """The processes that are on."""
    return [name for name in PROCESS_NAMES if amounts.of(name) > 0]


def measured_near(source: Source, amounts: Amounts, facts: Facts, start: int, stop: int) -> Measured:
    """What the stretch from `start` to `stop` of a recording tells, for the amounts of `amounts_near`."""
    there = replace(
        facts, clipped=np.array(_within(facts.clipped, start, stop)).reshape(-1, 2),
        missing=tuple(_within(facts.missing, start, stop)), hold=_in_memory,
    )  # fmt: skip
    return measure(_in_memory(Excerpt(source, start, stop - start)), amounts, there)


def mended_near(source: Source, base: Source, amounts: Amounts, known: Measured, start: int, stop: int, *,
                only: str | None = None) -> Source:  # fmt: skip
    """`base`, and between `start` and `stop` what the stretch of `source` is by what is known of it."""
    return Near(base, chain(Excerpt(source, start, stop - start), amounts, known, only=only), start, stop)


@dataclass(frozen=True, eq=False)
class Near(Over):
    """A source in which another one is heard from `start` to `stop`."""

    source: Source
    near: Source
    start: int
    stop: int

    @property
    def frames(self) -> int:
        return self.source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        first, last = max(start, self.start), min(stop, self.stop)
        if last <= first:
            return self.source.read(start, stop)
        near = self.near.read(first - self.start, last - self.start)
        if first == start and last == stop and self._share(first, last).min() == 1:
            return near
        out = np.array(self.source.read(start, stop))
        share = self._share(first, last)[:, None]
        there = out[first - start : last - start]
        out[first - start : last - start] = there + (near - there) * share
        return out

    def _share(self, first: int, last: int) -> FloatArray:
        """How much of the near one is heard in each frame; all of it up to the ends of the recording itself."""
        at = np.arange(first, last)
        comes = (at - self.start + 1) / FADE if self.start > 0 else np.ones(at.size)
        goes = (self.stop - at) / FADE if self.stop < self.frames else np.ones(at.size)
        return np.clip(np.minimum(comes, goes), 0, 1).astype(np.float32)


def _within(stretches: Sequence[Sequence[float]] | np.ndarray, start: int, stop: int) -> list[tuple[float, float]]:
    """Stretches in seconds on the excerpt's own time, those that touch it."""
    first, last = start / RATE, stop / RATE
    return [(max(a, first) - first, min(b, last) - first) for a, b in stretches if b > first and a < last]


def _in_memory(source: Source) -> Source:
    return ArraySource(source.read(0, source.frames), source.rate)
