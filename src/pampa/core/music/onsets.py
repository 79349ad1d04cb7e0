"""What begins when in music: the rise of level in each band, every 10 ms.

Source: Böck and Widmer, Maximum filter vibrato suppression for onset detection (DAFx 2013): a rise counts only over
what neighbouring bands had before, so that a voice that glides does not begin anew all the time.
"""

from dataclasses import dataclass
from functools import partial

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.executor import Executor, Inline
from pampa.core.sound import RATE, Curve, Segment, Source, segments, to_mono

HOP = RATE // 100
HOPS_PER_S = 100
SIZE = 2048
LOWEST_HZ, HIGHEST_HZ, PER_OCTAVE, MELS = 40.0, 14000.0, 12, 128
FLOOR_DB = 33.0
"""So far under the loudest band of all hardly anything is heard to begin: a soft cymbal counts less than a chord."""
BACK = 2
"""Hops over which a rise is taken."""
LOW_HZ = 160.0
AROUND_S = 1.0
LEAST_DB = 0.02
"""Where all bands together rise by less than this, nothing begins: a held tone."""
CHROMA_LOW_HZ, CHROMA_HIGH_HZ = 80.0, 2000.0

Levels = NDArray[np.float32]
"""Power in each band every 10 ms, shape (hops, bands): first those of the tones, then those of the ear."""


@dataclass(frozen=True, eq=False)
class Onsets:
    """Curves of one value every 10 ms, and the sound's twelve tones. Hop k is centred on k * 10 ms."""

    strength: Curve
    """Of all that begins, its local mean taken out, not under 0."""
    low: Curve
    """The same of what lies under 160 Hz: drums and basses."""
    tones: NDArray[np.float32]
    """Power in each of the twelve tones, shape (hops, 12)."""
    octaves_db: NDArray[np.float32]
    """Level in each octave, shape (hops, octaves)."""


def onsets_of(source: Source, executor: Executor | None = None) -> Onsets:
    """What begins in music at 48 kHz; of two channels, the mean."""
    parts = list((executor or Inline()).map(partial(_levels, source), segments(source.frames)))
    if not parts:
        return Onsets(np.zeros(0), np.zeros(0), np.zeros((0, 12), np.float32), np.zeros((0, OCTAVES), np.float32))
    both = np.concatenate(parts)
    power, heard = both[:, :TONES], both[:, TONES:]
    loud = 10 * np.log10(heard + heard.max() * 10 ** (-FLOOR_DB / 10) + 1e-20)
    before = scipy.ndimage.maximum_filter1d(loud, 3, axis=1)
    rises = np.zeros_like(loud)
    rises[BACK:] = np.maximum(loud[BACK:] - before[:-BACK], 0)
    low = MEL_EDGES_HZ[1:] <= LOW_HZ
    tonal = (EDGES_HZ[:-1] >= CHROMA_LOW_HZ) & (EDGES_HZ[1:] <= CHROMA_HIGH_HZ)
    tones = np.zeros((len(power), 12), np.float32)
    for band in np.flatnonzero(tonal):
        tones[:, TONE_OF[band]] += power[:, band]
    octaves = np.add.reduceat(power, np.searchsorted(_OCTAVE_OF, np.arange(OCTAVES)), axis=1)
    return Onsets(
        _standing_out(rises.mean(axis=1)), _standing_out(rises[:, low].mean(axis=1)), tones,
        10 * np.log10(octaves + 1e-20),
    )  # fmt: skip


def _edges() -> NDArray[np.float64]:
    """Edges of bands a semitone wide, centred on the tones; in the lows one is as wide as a bin at least."""
    count = int(PER_OCTAVE * np.log2(HIGHEST_HZ / LOWEST_HZ))
    edges = 440 * 2 ** ((np.round(12 * np.log2(LOWEST_HZ / 440)) - 0.5 + np.arange(count + 1)) / 12)
    bins = np.unique(np.maximum(np.round(edges * SIZE / RATE), 1))
    return bins * RATE / SIZE


def _mel_edges() -> NDArray[np.float64]:
    """Edges of bands as wide as the ear's: by these what begins is told."""
    lowest, highest = (2595 * np.log10(1 + hz / 700) for hz in (LOWEST_HZ, HIGHEST_HZ))
    edges = 700 * (10 ** (np.linspace(lowest, highest, MELS + 1) / 2595) - 1)
    return np.unique(np.maximum(np.round(edges * SIZE / RATE), 1)) * RATE / SIZE


EDGES_HZ = _edges()
MEL_EDGES_HZ = _mel_edges()
TONES = len(EDGES_HZ) - 1
_MEL_BINS = np.round(MEL_EDGES_HZ * SIZE / RATE).astype(int)
TONE_OF = np.round(12 * np.log2(np.sqrt(EDGES_HZ[1:] * EDGES_HZ[:-1]) / 440)).astype(int) % 12
_OCTAVE_OF = np.floor(np.log2(EDGES_HZ[:-1] / EDGES_HZ[0]) + 1e-9).astype(int)
OCTAVES = int(_OCTAVE_OF[-1]) + 1
_BINS = np.round(EDGES_HZ * SIZE / RATE).astype(int)
_WINDOW = np.hanning(SIZE + 1)[:-1].astype(np.float32)


def _levels(source: Source, segment: Segment) -> Levels:
    hops = -(-(segment.stop - segment.start) // HOP)
    sound = to_mono(source.read(segment.start - SIZE // 2, segment.start + hops * HOP + SIZE // 2))
    views = np.lib.stride_tricks.sliding_window_view(sound, SIZE)[::HOP][:hops]
    out = np.empty((hops, TONES + len(_MEL_BINS) - 1), np.float32)
    for first in range(0, hops, 500):
        power = np.abs(scipy.fft.rfft(views[first : first + 500] * _WINDOW, axis=1)) ** 2
        out[first : first + 500, :TONES] = np.add.reduceat(power, _BINS[:-1], axis=1)[:, :TONES]
        out[first : first + 500, TONES:] = np.add.reduceat(power, _MEL_BINS[:-1], axis=1)
    return out


def _standing_out(rises: NDArray[np.floating]) -> Curve:
    """What stands over its surroundings, in units of how much usually stands out."""
    near = scipy.ndimage.uniform_filter1d(rises.astype(np.float64), round(AROUND_S * HOPS_PER_S))
    over = np.maximum(rises - near, 0)
    usual = np.sqrt(np.mean(over**2))
    return np.asarray(over / usual) if usual > LEAST_DB else np.zeros(over.size)
