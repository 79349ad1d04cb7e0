"""Short-time spectra on a grid that belongs to the recording's time, and the groups of bins that gains are given for.

Analysis and synthesis with the square root of a Hann window and half overlap (Griffin & Lim 1984): unchanged spectra
give the sound back.
"""

from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.sound import RATE, FloatArray, Source

SIZE = 1024
HOP = SIZE // 2
BINS = SIZE // 2 + 1
SINGLE = 96
"""So many bins stand alone, up to 4.5 kHz: fine enough to see between the harmonics of a voice."""
WIDE = 36
"""Above, groups grow with frequency, up to 20 kHz."""
GROUPS = SINGLE + WIDE
TOP_HZ = 20_000
SLOWER = 32 / 3
SLOW_SIZE = round(SIZE / SLOWER)
SLOW_HOP = SLOW_SIZE // 2
"""The lows alone are looked at in sound of 4.5 kHz, which is made of the lowest bins of frames."""
FINE, FINE_SIZE = 64, 2 * SLOW_SIZE
"""Bins up to 1.5 kHz of frames twice as long: these tell the harmonics of a low voice apart, and so its pitch."""
FINE_AROUND = 2
"""Frames on either side that a long frame reaches over."""

Powers = NDArray[np.float32]
"""Mean power of each group in each frame, shape (frames, GROUPS)."""


@cache
def edges() -> NDArray[np.int64]:
    """First bin of each group, and the bin after the last: shape (GROUPS + 1,)."""
    top = TOP_HZ * SIZE // RATE
    wide = np.round(np.geomspace(SINGLE, top, WIDE + 1)).astype(np.int64)
    return np.concatenate([np.arange(SINGLE), wide])


@cache
def window(size: int = SIZE) -> FloatArray:
    """The square root of a periodic Hann window, shape (size,)."""
    return np.sqrt(np.hanning(size + 1)[:-1]).astype(np.float32)


def spectra(source: Source, first: int, last: int) -> NDArray[np.complex64]:
    """Frames `first` to `last`: shape (channels, last - first, BINS). Frame k is centred on sample k * HOP."""
    return frames_of(source.read((first - 1) * HOP, last * HOP))


def frames_of(sound: FloatArray) -> NDArray[np.complex64]:
    """Spectra of sound (samples, channels), `HOP` apart: shape (channels, frames, BINS)."""
    rows = np.lib.stride_tricks.sliding_window_view(np.ascontiguousarray(sound.T), SIZE, axis=1)[:, ::HOP]
    return scipy.fft.rfft(rows * window(), axis=2)


def sound_of(frames: NDArray[np.complex64]) -> FloatArray:
    """Sound between the centres of the first and the last frame: shape ((count - 1) * HOP, channels)."""
    rows = np.asarray(scipy.fft.irfft(frames, SIZE, axis=2), np.float32) * window()
    sound = np.asarray(rows[:, :-1, HOP:] + rows[:, 1:, :HOP], np.float32)
    return np.ascontiguousarray(sound.reshape(len(rows), -1).T)


def powers(frames: NDArray[np.complex64]) -> Powers:
    """Power of each group, the mean over its bins and over channels."""
    bins = _power(frames)
    first = edges()
    out = np.empty((len(bins), GROUPS), np.float32)
    out[:, :SINGLE] = bins[:, :SINGLE]
    out[:, SINGLE:] = np.add.reduceat(bins[:, : first[-1]], first[SINGLE:-1], axis=1) / np.diff(first)[SINGLE:]
    return out


def _power(frames: NDArray[np.complex64]) -> NDArray[np.float32]:
    """The mean over channels."""
    power = frames.real**2
    power += frames.imag**2
    return np.asarray(power[0] if len(power) == 1 else power.mean(axis=0), np.float32)


def slow_sound(lows: NDArray[np.complex64]) -> NDArray[np.float32]:
    """Sound of 4.5 kHz between the centres of the first and the last frame: shape (channels, (count - 1) * SLOW_HOP).

    lows : the lowest bins of frames, shape (channels, count, SLOW_SIZE // 2 + 1).
    """
    rows = np.asarray(scipy.fft.irfft(lows, SLOW_SIZE, axis=2), np.float32) * window(SLOW_SIZE)
    return np.asarray(rows[:, :-1, SLOW_HOP:] + rows[:, 1:, :SLOW_HOP]).reshape(len(rows), -1)


def fine_powers(frames: NDArray[np.complex64]) -> Powers:
    """Power of each fine bin in all but the first and last `FINE_AROUND` frames: shape (count, FINE).

    frames : shape (channels, frames, BINS); the mean over channels is given. Noise has the same power here as in the
    group that `fine_groups` tells.
    """
    slow = slow_sound(frames[:, :, : SLOW_SIZE // 2 + 1])
    rows = np.lib.stride_tricks.sliding_window_view(slow, FINE_SIZE, axis=1)[:, ::SLOW_HOP]
    return _power(scipy.fft.rfft(rows * window(FINE_SIZE), axis=2)[:, :, :FINE]) * np.float32(0.5)


@cache
def fine_groups() -> NDArray[np.int64]:
    """The group that each fine bin lies in: shape (FINE,)."""
    return np.arange(FINE) // 2


def per_bin(gains: NDArray[np.float32]) -> NDArray[np.float32]:
    """Gains of groups as gains of bins: shape (frames, BINS). Between wide groups they are blended."""
    first = edges()
    out = np.empty((len(gains), BINS), np.float32)
    out[:, :SINGLE] = gains[:, :SINGLE]
    share, below = _blend()
    wide = gains[:, SINGLE - 1 :]
    out[:, SINGLE : first[-1]] = wide[:, below] * (1 - share) + wide[:, below + 1] * share
    out[:, first[-1] :] = gains[:, -1:]
    return out


@cache
def _blend() -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    first = edges()
    centres = np.concatenate([[SINGLE - 1], (first[SINGLE:-1] + first[SINGLE + 1 :] - 1) / 2])
    bins = np.arange(SINGLE, first[-1])
    below = np.clip(np.searchsorted(centres, bins, side="right") - 1, 0, WIDE - 1)
    share = np.clip((bins - centres[below]) / (centres[below + 1] - centres[below]), 0, 1)
    return share.astype(np.float32), below
