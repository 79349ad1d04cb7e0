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

Powers = NDArray[np.float32]
"""Mean power of each group in each frame, shape (frames, GROUPS)."""


@cache
def edges() -> NDArray[np.int64]:
    """First bin of each group, and the bin after the last: shape (GROUPS + 1,)."""
    top = TOP_HZ * SIZE // RATE
    wide = np.round(np.geomspace(SINGLE, top, WIDE + 1)).astype(np.int64)
    return np.concatenate([np.arange(SINGLE), wide])


@cache
def window() -> FloatArray:
    """The square root of a periodic Hann window, shape (SIZE,)."""
    return np.sqrt(np.hanning(SIZE + 1)[:-1]).astype(np.float32)


def spectra(source: Source, first: int, last: int) -> NDArray[np.complex64]:
    """Frames `first` to `last`: shape (channels, last - first, BINS). Frame k is centred on sample k * HOP."""
    sound = np.ascontiguousarray(source.read((first - 1) * HOP, last * HOP).T)
    rows = np.lib.stride_tricks.sliding_window_view(sound, SIZE, axis=1)[:, ::HOP]
    return scipy.fft.rfft(rows * window(), axis=2)


def sound_of(frames: NDArray[np.complex64]) -> FloatArray:
    """Sound between the centres of the first and the last frame: shape ((count - 1) * HOP, channels)."""
    rows = np.asarray(scipy.fft.irfft(frames, SIZE, axis=2), np.float32) * window()
    sound = np.asarray(rows[:, :-1, HOP:] + rows[:, 1:, :HOP], np.float32)
    return np.ascontiguousarray(sound.reshape(len(rows), -1).T)


def powers(frames: NDArray[np.complex64]) -> Powers:
    """Power of each group, the mean over its bins and over channels."""
    bins = (frames.real**2 + frames.imag**2).mean(axis=0)
    first = edges()
    sums = np.add.reduceat(bins[:, : first[-1]], first[:-1], axis=1)
    return np.asarray(sums / np.diff(first), np.float32)


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
