"""A look-ahead true-peak limiter with a finite memory, so that any range of it can be computed by itself."""

import math
from dataclasses import dataclass

import numpy as np

from pampa.core.compiled import compiled
from pampa.core.loudness.kernels import BLOCK, EDGE, interpolate, interpolator, load_block, most_overshoot
from pampa.core.sound import FloatArray, Over, Source

UNIT = 1_000_000
"""Reductions are whole millionths of a dB: their sums come out the same wherever a range begins."""
LOOK_AHEAD_S = 0.005
RELEASE_DB_PER_S = 40.0
DEEPEST_DB = 60.0


@dataclass(frozen=True, eq=False)
class Limited(Over):
    """A source after a gain, held under a ceiling.

    gain : linear, applied first. ceiling : linear true peak that the result does not exceed (up to the error
    of the meter's interpolation, some hundredths of a dB).

    The gain falls over 5 ms before a peak, and returns by 40 dB a second in a straight line in dB: from the
    deepest reduction of 60 dB in 1.5 s, beyond which nothing is remembered. True peaks as in ITU-R BS.1770-5,
    annex 2.
    """

    source: Source
    gain: float
    ceiling: float

    @property
    def frames(self) -> int:
        return self.source.frames

    @property
    def look_ahead(self) -> int:
        return look_ahead_of(self.rate)

    @property
    def reach(self) -> tuple[int, int]:
        """Frames before and after a range that can touch it."""
        return reach_of(self.rate)

    def read(self, start: int, stop: int) -> FloatArray:
        """Frames `start` to `stop` of the limited sound."""
        before, after = self.reach
        sound = np.ascontiguousarray(self.source.read(start - before, stop + after) * np.float32(self.gain))
        frames = stop - start
        reduction = self._reduction(sound, before, frames)
        out = sound[before : before + frames]
        return out if reduction is None else out * (10 ** (-reduction / (20 * UNIT))).astype(np.float32)[:, None]

    def reduction_db(self, start: int, stop: int) -> FloatArray:
        """How much is taken off in each frame, in dB, for pictures and reports."""
        before, after = self.reach
        sound = np.ascontiguousarray(self.source.read(start - before, stop + after) * np.float32(self.gain))
        reduction = self._reduction(sound, before, stop - start)
        return np.zeros(stop - start, np.float32) if reduction is None else (reduction / UNIT).astype(np.float32)

    def _reduction(self, sound: FloatArray, before: int, frames: int):  # type: ignore[no-untyped-def]
        wanted = np.zeros(len(sound), np.int64)
        if not _wanted(sound, self.ceiling, interpolator(), DEEPEST_DB, wanted):
            return None
        slope = round(RELEASE_DB_PER_S * UNIT / self.rate)
        return _smoothed(wanted, before, frames, self.look_ahead, slope)


def look_ahead_of(rate: int) -> int:
    """So many frames before a peak its reduction begins."""
    return max(round(LOOK_AHEAD_S * rate), 1)


def reach_of(rate: int) -> tuple[int, int]:
    """Frames before and after a range that can touch it, at a rate."""
    memory = math.ceil(DEEPEST_DB / RELEASE_DB_PER_S * rate) + 2 * look_ahead_of(rate)
    return memory + EDGE, look_ahead_of(rate) + EDGE


@compiled()
def _wanted(sound, ceiling, phases, deepest, out):  # type: ignore[no-untyped-def]
    """Reduction that each frame's own true peak asks for, in units; False if none does."""
    taps = phases.shape[1]
    half = taps // 2
    limit = np.float32(ceiling)
    bound = most_overshoot(phases)
    frames = sound.shape[0]
    near = np.zeros(BLOCK + taps, np.float32)
    points = np.zeros(BLOCK, np.float32)
    peaks = np.zeros(BLOCK + 1, np.float32)
    carried = np.float32(0.0)
    found = False
    for block in range(0, frames, BLOCK):
        size = min(BLOCK, frames - block)
        peaks[:] = np.float32(0.0)
        peaks[0] = carried
        for c in range(sound.shape[1]):
            if load_block(sound, c, block - half + 1, size + taps - 1, near) * bound <= limit:
                continue
            for i in range(size):
                peaks[i] = max(peaks[i], abs(near[i + half - 1]))
            for p in range(phases.shape[0]):
                interpolate(near, phases[p], points)
                for i in range(size):  # a point between two frames belongs to both
                    value = abs(points[i])
                    peaks[i] = max(peaks[i], value)
                    peaks[i + 1] = max(peaks[i + 1], value)
        carried = peaks[size]
        for i in range(size):
            if peaks[i] > limit:
                reduction = min(20.0 * np.log10(peaks[i] / limit), deepest)
                out[block + i] = np.int64(np.ceil(reduction * 1_000_000))
                found = True
    return found


@compiled()
def _smoothed(wanted, before, frames, look_ahead, slope):  # type: ignore[no-untyped-def]
    """Hold ahead of peaks, release in a straight line, and average over the look-ahead.

    Every window that is averaged for a frame holds at least what the frame asks for, so it is never under it.
    """
    length = wanted.size
    released = np.zeros(length, np.int64)
    queue = np.zeros(length, np.int64)  # places whose value may still be the maximum ahead, falling
    head = tail = 0
    state = np.int64(0)
    for i in range(length + look_ahead):
        if i < length:
            while tail > head and wanted[queue[tail - 1]] <= wanted[i]:
                tail -= 1
            queue[tail] = i
            tail += 1
        at = i - look_ahead
        if at < 0:
            continue
        while queue[head] < at:
            head += 1
        state = max(wanted[queue[head]], state - slope, np.int64(0))
        released[at] = state
    out = np.zeros(frames, np.float64)
    total = np.int64(0)
    for i in range(before - look_ahead, before):
        total += released[i]
    for i in range(frames):
        total += released[before + i] - released[before + i - look_ahead]
        out[i] = total / look_ahead
    return out
