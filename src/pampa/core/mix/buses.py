"""What a bus does to the sum of all that comes in, as a pure function of a stretch and its run-in."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

from pampa.core.sound import FloatArray
from pampa.core.timeline.document import BusName


class Processor(Protocol):
    """One thing that a bus does: a plain value, so that equal ones do the same and it can be part of a key.

    run_in : frames before a stretch in which it settles, and for which it goes on sounding after what set it off.
    look_ahead : frames after a stretch that it needs.
    """

    @property
    def run_in(self) -> int: ...

    @property
    def look_ahead(self) -> int: ...

    def work(self, sound: FloatArray) -> FloatArray:
        """A stretch with what lies around it, shape (frames, 2), to as many frames."""
        ...


@dataclass(frozen=True)
class Strip:
    """A bus that does something: its processors in their order, then its gain."""

    name: BusName
    gain: float
    processors: tuple[Processor, ...] = ()

    @property
    def plain(self) -> bool:
        """Whether it only changes the level, so that any frame of it stands for itself."""
        return not self.processors

    @property
    def run_in(self) -> int:
        """They settle one on the other, so their run-ins add up."""
        return sum(processor.run_in for processor in self.processors)

    @property
    def look_ahead(self) -> int:
        return sum(processor.look_ahead for processor in self.processors)


BLOCK = 1 << 17
"""Frames: what a bus does is worked out in whole blocks on the episode's own grid, so that any range gives the same
bits although filters and transforms round otherwise wherever they begin."""


def blocks(start: int, stop: int) -> Iterator[tuple[int, int]]:
    """The blocks that hold frames `start` to `stop`."""
    for first in range(start // BLOCK * BLOCK, stop, BLOCK):
        yield first, first + BLOCK
