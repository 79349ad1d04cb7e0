"""A recording read on the reference's clock: its drift taken out by resampling, any stretch by itself.

The ratio lies within some ten-thousandths of 1, so nothing can alias: a windowed sinc at the exact place of each
frame is all that is needed. Source: Smith and Gossett, A flexible sampling-rate conversion method, ICASSP (1984).
"""

import math
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from pampa.core.compiled import compiled
from pampa.core.sound import Curve, FloatArray, Over, Source

REACH = 32
"""Frames of the recording that count on either side of a place."""
PHASES = 512
BETA = 11.0
"""Of the Kaiser window: what it lets through beside the sinc lies under -110 dB."""


def clocked_frames(frames: int, drift_ppm: float) -> int:
    """Length of a recording of so many frames on the reference's clock."""
    return round(frames * (1 + drift_ppm * 1e-6))


def clocked(source: Source, drift_ppm: float) -> Source:
    """The recording on the reference's clock; without drift, the recording itself."""
    return Clocked(source, drift_ppm) if drift_ppm else source


def clocked_curve(curve: Curve, drift_ppm: float) -> Curve:
    """A curve about a recording, its values moved to where they lie on the reference's clock."""
    if not drift_ppm or not curve.size:
        return curve
    places = np.arange(clocked_frames(curve.size, drift_ppm)) / (1 + drift_ppm * 1e-6)
    return curve[np.minimum(np.round(places).astype(np.int64), curve.size - 1)]


@dataclass(frozen=True, eq=False)
class Clocked(Over):
    """Frame n is what the recording holds at n / (1 + drift). A pure function of n: any range gives the same bits."""

    source: Source
    drift_ppm: float

    @property
    def frames(self) -> int:
        return clocked_frames(self.source.frames, self.drift_ppm)

    def read(self, start: int, stop: int) -> FloatArray:
        step = 1 / (1 + self.drift_ppm * 1e-6)
        first = math.floor(start * step) - REACH
        sound = self.source.read(first, math.ceil(stop * step) + REACH + 1)
        out = np.empty((stop - start, self.channels), np.float32)
        _read_between(np.ascontiguousarray(sound.T), first, start, step, _taps(), out)
        # Beyond its ends a recording is silent; the filter would ring there.
        out[: max(min(-start, len(out)), 0)] = 0
        out[max(min(self.frames - start, len(out)), 0) :] = 0
        return out


@cache
def _taps() -> NDArray[np.float32]:
    """The filter at PHASES + 1 places between two frames: shape (PHASES + 1, 2 * REACH), each of sum 1."""
    offsets = np.arange(-REACH + 1, REACH + 1)[None, :] - np.arange(PHASES + 1)[:, None] / PHASES
    inside = np.clip(1 - (offsets / REACH) ** 2, 0, 1)
    taps = np.sinc(offsets) * np.i0(BETA * np.sqrt(inside)) / np.i0(BETA)
    return (taps / taps.sum(axis=1, keepdims=True)).astype(np.float32)


@compiled(fastmath={"reassoc", "contract"})
def _read_between(sound, first, start, step, taps, out):  # type: ignore[no-untyped-def]
    frames, channels = out.shape
    width = taps.shape[1]
    phases = taps.shape[0] - 1
    row = np.empty(width, np.float32)
    for n in range(frames):
        place = (start + n) * step
        whole = math.floor(place)
        phase = (place - whole) * phases
        index = int(phase)
        share = np.float32(phase - index)
        left, right = taps[index], taps[index + 1]
        for k in range(width):
            row[k] = left[k] + share * (right[k] - left[k])
        base = whole - first - width // 2 + 1
        for channel in range(channels):
            total = np.float32(0)
            here = sound[channel, base : base + width]
            for k in range(width):
                total += row[k] * here[k]
            out[n, channel] = total
