"""Mended places that are known sample by sample: what replaces the sound there, and nothing else is touched."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import FloatArray, Over, Source


@dataclass(frozen=True, eq=False)
class Patches:
    """New sound for some places. starts, stops : frames, in order, none overlapping. sound : all of it in a row,
    shape (sum of lengths, channels)."""

    starts: NDArray[np.int64]
    stops: NDArray[np.int64]
    sound: FloatArray

    @classmethod
    def of(cls, found: Iterable[tuple[int, FloatArray]], channels: int) -> "Patches":
        """Patches from (start, sound), in order; one that overlaps the one before is dropped."""
        kept: list[tuple[int, FloatArray]] = []
        for start, sound in found:
            if not kept or start >= kept[-1][0] + len(kept[-1][1]):
                kept.append((start, sound))
        starts = np.array([start for start, _ in kept], np.int64)
        lengths = np.array([len(sound) for _, sound in kept], np.int64)
        sounds = [sound for _, sound in kept] or [np.zeros((0, channels), np.float32)]
        return cls(starts, starts + lengths, np.concatenate(sounds).astype(np.float32))

    def between(self, start: int, stop: int) -> Iterable[tuple[int, int, FloatArray]]:
        """Patches that touch `[start, stop)`: their places and their sound."""
        offsets = np.concatenate([[0], np.cumsum(self.stops - self.starts)])
        for index in range(np.searchsorted(self.stops, start, "right"), np.searchsorted(self.starts, stop)):
            yield int(self.starts[index]), int(self.stops[index]), self.sound[offsets[index] : offsets[index + 1]]


@dataclass(frozen=True, eq=False)
class Patched(Over):
    """A source with patches laid over it. amount : 0 to 1, how much of the change is made."""

    source: Source
    patches: Patches
    amount: float

    @property
    def frames(self) -> int:
        return self.source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        sound = self.source.read(start, stop)
        if self.amount <= 0:
            return sound
        sound = sound.copy()
        for first, last, new in self.patches.between(start, stop):
            a, b = max(first, start), min(last, stop)
            here = sound[a - start : b - start]
            here += np.float32(self.amount) * (new[a - first : b - first] - here)
        return sound
