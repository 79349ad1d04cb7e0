"""What all passes read from: a `Source` of float32 frames, and the grid of fixed segments laid over it."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from pampa.core.errors import SignalError

FloatArray = NDArray[np.float32]
"""Sound: float32, shape (frames, channels), full scale 1.0."""

Curve = NDArray[np.float64]
"""A small control signal: float64, shape (values,)."""

RATE = 48_000
"""The rate of every episode, in Hz. Recordings are conformed to it when they come in."""

SEGMENT_S = 20
"""Length of a segment in seconds: the unit in which long passes are computed and kept."""


def extents(sound: FloatArray, points: int) -> NDArray[np.int16]:
    """Lowest and highest sample over all channels of `points` equal stretches: shape (points, 2), full scale 32767."""
    points = max(min(points, len(sound)), 1)
    edges = np.linspace(0, len(sound), points + 1).astype(np.int64)[:-1]
    low = np.minimum.reduceat(sound.min(axis=1), edges) if len(sound) else np.zeros(1)
    high = np.maximum.reduceat(sound.max(axis=1), edges) if len(sound) else np.zeros(1)
    pairs = np.stack([low, high], axis=1)
    return np.clip(np.round(pairs * 32767), -32767, 32767).astype("<i2")


def to_mono(sound: NDArray[Any]) -> NDArray[Any]:
    """The mean of all channels, shape (frames,), as precise as what is given.

    As `sound.mean(axis=1)`, which takes thirty times as long for one channel or two.
    """
    if sound.shape[1] == 1:
        return np.asarray(sound[:, 0])
    if sound.shape[1] == 2:
        return (sound[:, 0] + sound[:, 1]) / sound.dtype.type(2)
    return sound.mean(axis=1)


class Source(Protocol):
    """Anything that can hand out frames. Reads outside its length give silence, never an error."""

    @property
    def rate(self) -> int: ...

    @property
    def channels(self) -> int: ...

    @property
    def frames(self) -> int: ...

    def read(self, start: int, stop: int) -> FloatArray:
        """Frames `start` to `stop`, shape (stop - start, channels)."""
        ...


@dataclass(frozen=True, eq=False)
class ArraySource:
    """Sound that is held in memory or mapped from a file: `data` has shape (frames, channels)."""

    data: FloatArray
    rate: int = RATE

    @property
    def channels(self) -> int:
        return self.data.shape[1]

    @property
    def frames(self) -> int:
        return self.data.shape[0]

    def read(self, start: int, stop: int) -> FloatArray:
        if start >= 0 and stop <= self.frames:
            return self.data[start:stop]
        out = np.zeros((stop - start, self.channels), np.float32)
        first, last = max(start, 0), min(stop, self.frames)
        if last > first:
            out[first - start : last - start] = self.data[first:last]
        return out


@dataclass(frozen=True)
class Silence:
    """A source in which nothing is heard."""

    frames: int
    channels: int = 1
    rate: int = RATE

    def read(self, start: int, stop: int) -> FloatArray:
        return np.zeros((stop - start, self.channels), np.float32)


class Over:
    """What a source over another `source` has in common with it."""

    source: Source

    @property
    def rate(self) -> int:
        return self.source.rate

    @property
    def channels(self) -> int:
        return self.source.channels


@dataclass(frozen=True, eq=False)
class Excerpt(Over):
    """`frames` frames of a source, from frame `start` on, as a source of their own."""

    source: Source
    start: int
    frames: int

    def read(self, start: int, stop: int) -> FloatArray:
        first, last = max(start, 0), min(stop, self.frames)
        out = np.zeros((stop - start, self.channels), np.float32)
        if last > first:
            out[first - start : last - start] = self.source.read(self.start + first, self.start + last)
        return out


@dataclass(frozen=True)
class Segment:
    """One fixed piece of a source: frames `start` to `stop`."""

    index: int
    start: int
    stop: int


def segments(frames: int, rate: int = RATE) -> Iterator[Segment]:
    """The grid of segments over `frames` frames. Boundaries depend on the rate alone, never on content."""
    size = SEGMENT_S * rate
    for index, start in enumerate(range(0, frames, size)):
        yield Segment(index, start, min(start + size, frames))


def read_segment(source: Source, segment: Segment) -> FloatArray:
    """The frames of one segment."""
    return source.read(segment.start, segment.stop)


def require_sound(sound: FloatArray) -> FloatArray:
    """Return `sound` as contiguous float32 of shape (frames, channels), or raise SignalError."""
    if sound.ndim == 1:
        sound = sound[:, None]
    if sound.ndim != 2 or sound.shape[1] == 0:
        raise SignalError(f"Sound must have frames and channels; this has the shape {sound.shape}.")
    return np.ascontiguousarray(sound, dtype=np.float32)


def db_to_gain(db: float) -> float:
    """Amplitude factor of a level change in dB."""
    return float(10.0 ** (db / 20.0))
