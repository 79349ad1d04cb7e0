"""The compiled loops of the meter: weighted energy on the 20 ms grid, and the oversampled peak."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pampa.core.compiled import compiled

PHASES = 4
TAPS = 24
"""Taps of each phase. `EDGE` frames on both sides of a frame reach into its interpolated neighbours."""
EDGE = TAPS // 2
BLOCK = 64


@lru_cache
def interpolator() -> NDArray[np.float32]:
    """Polyphase interpolation filter, shape (3, TAPS): the three points between one frame and the next.

    Windowed sinc with its cut at the Nyquist frequency, so the fourth phase is the frame itself. Pass-band
    error below 0.05 dB up to 0.9 of Nyquist. Source: ITU-R BS.1770-5, annex 2 (at least four-fold).
    """
    length = PHASES * TAPS
    taps = np.sinc((np.arange(length) - length / 2) / PHASES) * np.kaiser(length + 1, 5.5)[:length]
    taps *= PHASES / taps.sum()  # unity at 0 Hz
    phases = taps.reshape(TAPS, PHASES).T[:, ::-1]
    return np.ascontiguousarray(phases[1:], dtype=np.float32)


@compiled()
def add_energy(sound, channel, lead, bounds, sections, weight, energy):  # type: ignore[no-untyped-def]
    """Add the weighted energy of one channel to `energy`, one sum per cell of `bounds`.

    `lead` frames are filtered first and not counted. `bounds` holds the first frame of each cell and the end.
    """
    b00, b01, b02, a01, a02 = sections[0]
    b10, b11, b12, a11, a12 = sections[1]
    s1 = s2 = t1 = t2 = 0.0
    position = 0
    for cell in range(-1, bounds.size - 1):
        stop = lead if cell < 0 else lead + bounds[cell + 1]
        total = 0.0
        for i in range(position, stop):
            x = np.float64(sound[i, channel])
            y = b00 * x + s1
            s1 = b01 * x - a01 * y + s2
            s2 = b02 * x - a02 * y
            z = b10 * y + t1
            t1 = b11 * y - a11 * z + t2
            t2 = b12 * y - a12 * z
            total += z * z
        position = stop
        if cell >= 0:
            energy[cell] += weight * total
        if abs(t1) < 1e-30 and abs(s1) < 1e-30:  # a filter that rings into denormals would crawl
            s1 = s2 = t1 = t2 = 0.0


@compiled()
def sample_peak(sound, lead, frames):  # type: ignore[no-untyped-def]
    """Largest magnitude of `frames` frames after `lead`, or NaN where a sample is not finite."""
    peak = np.float32(0.0)
    for i in range(lead, lead + frames):
        for c in range(sound.shape[1]):
            value = abs(sound[i, c])
            if not value <= np.float32(3.4e38):
                return np.float32(np.nan)
            peak = max(peak, value)
    return peak


@compiled()
def most_overshoot(phases):  # type: ignore[no-untyped-def]
    """How far interpolation can exceed the largest of its frames: the largest sum of a phase's magnitudes."""
    bound = np.float32(0.0)
    for p in range(phases.shape[0]):
        total = np.float32(0.0)
        for t in range(phases.shape[1]):
            total += abs(phases[p, t])
        bound = max(bound, total)
    return bound


@compiled()
def load_block(sound, channel, first, count, near):  # type: ignore[no-untyped-def]
    """Copy `count` frames of a channel into `near`, silence outside the sound; returns their largest magnitude."""
    loudest = np.float32(0.0)
    for i in range(count):
        at = first + i
        value = sound[at, channel] if 0 <= at < sound.shape[0] else np.float32(0.0)
        near[i] = value
        loudest = max(loudest, abs(value))
    return loudest


@compiled(fastmath=True)
def interpolate(near, phase, points):  # type: ignore[no-untyped-def]
    """One interpolated point after each of BLOCK frames."""
    points[:] = np.float32(0.0)
    for t in range(phase.size):
        h = phase[t]
        for i in range(BLOCK):
            points[i] += h * near[i + t]


@compiled()
def true_peak(sound, channel, lead, frames, phases, start_at):  # type: ignore[no-untyped-def]
    """Largest oversampled magnitude of one channel, not below `start_at`.

    No interpolated value can exceed the largest neighbour times the sum of the filter's magnitudes, so
    blocks that cannot hold a new maximum are passed over: the result is the same, most of the work is not
    done.
    """
    taps = phases.shape[1]
    half = taps // 2
    bound = most_overshoot(phases)
    best = np.float32(start_at)
    near = np.zeros(BLOCK + taps, np.float32)
    points = np.zeros(BLOCK, np.float32)
    for block in range(0, frames, BLOCK):
        size = min(BLOCK, frames - block)
        if load_block(sound, channel, lead + block - half + 1, size + taps - 1, near) * bound <= best:
            continue
        for i in range(size):
            best = max(best, abs(near[i + half - 1]))
        for p in range(phases.shape[0]):
            interpolate(near, phases[p], points)
            for i in range(size):
                best = max(best, abs(points[i]))
    return best
