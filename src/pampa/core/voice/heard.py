"""What a voice sounds like on the whole: the bands of many moments in which it speaks, and of its room."""

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, Curve, Source, to_mono
from pampa.core.speech.detector import where_spoken

SIZE = 2048
WINDOW = 2 * RATE // CELLS_PER_S
MOST_WINDOWS = 4000
"""80 s of moments, evenly spread: a longer recording tells no more about a voice."""
EDGES_HZ = 1000.0 * 2.0 ** (np.arange(-27, 27) / 6)
"""Edges of bands of a sixth of an octave, from 44 Hz to 20 kHz."""
BANDS_HZ = np.sqrt(EDGES_HZ[1:] * EDGES_HZ[:-1])
NOTHING = 1e-14
ROOM_SHARE = 10.0


@dataclass(frozen=True, eq=False)
class Heard:
    """Mean squares in the bands between `EDGES_HZ`: of moments of speech, shape (windows, bands), and of the room."""

    speech: NDArray[np.float64]
    room: Curve

    @property
    def speaks(self) -> bool:
        """Whether there is enough of a voice to tell anything by."""
        return len(self.speech) >= CELLS_PER_S // 2

    def level_db(self, low_hz: float, high_hz: float) -> Curve:
        """The level of each moment of speech between two frequencies, in dBFS."""
        inside = (low_hz <= BANDS_HZ) & (high_hz > BANDS_HZ)
        levels: Curve = 10 * np.log10(np.maximum(self.speech[:, inside].sum(axis=1), NOTHING))
        return levels

    @property
    def levels_db(self) -> tuple[Curve, Curve]:
        """The level of each band in speech and in the room, in dBFS."""
        speech, room = (10 * np.log10(np.maximum(power, NOTHING)) for power in (self.mean, self.room))
        return speech, room

    @property
    def mean(self) -> Curve:
        """The mean square of speech in each band: the long-term average speech spectrum."""
        return self.speech.mean(axis=0) if len(self.speech) else np.full(BANDS_HZ.size, NOTHING)


def heard_in(source: Source, energy: Curve) -> Heard:
    """The voice in a recording. energy : K-weighted mean square of each 20 ms of it, which tells where it speaks."""
    active = where_spoken(energy)
    quiet = ~active & (energy > 0)
    if quiet.any():
        quiet &= energy <= np.percentile(energy[quiet], ROOM_SHARE)
    speech = _bands(source, _spread(np.flatnonzero(active), MOST_WINDOWS))
    room = _bands(source, _spread(np.flatnonzero(quiet), MOST_WINDOWS // 8))
    return Heard(speech, room.mean(axis=0) if len(room) else np.full(BANDS_HZ.size, NOTHING))


def in_bands(power: NDArray[np.float64]) -> NDArray[np.float64]:
    """Mean squares between `EDGES_HZ`, from those in the bins of transforms of `SIZE`: shapes (windows, ...)."""
    running = np.concatenate([np.zeros((len(power), 1)), np.cumsum(power, axis=1)], axis=1)
    places = EDGES_HZ * SIZE / RATE + 0.5
    whole = places.astype(int)
    part = places - whole
    at = running[:, whole] * (1 - part) + running[:, whole + 1] * part
    return np.diff(at, axis=1)


def _spread(cells: NDArray[np.int64], most: int) -> NDArray[np.int64]:
    return cells if cells.size <= most else cells[np.linspace(0, cells.size - 1, most).astype(int)]


def _bands(source: Source, cells: NDArray[np.int64]) -> NDArray[np.float64]:
    """The bands of the windows around each cell, shape (cells, bands)."""
    out = np.zeros((cells.size, BANDS_HZ.size))
    shape = np.hanning(WINDOW + 1)[:-1].astype(np.float32)
    scale = 2 / (float((shape.astype(np.float64) ** 2).sum()) * SIZE)
    for first in range(0, cells.size, 256):
        starts = cells[first : first + 256] * (WINDOW // 2) - WINDOW // 4
        views = np.stack([to_mono(source.read(start, start + WINDOW)) for start in starts.tolist()])
        power = np.abs(scipy.fft.rfft(views * shape, SIZE, axis=1)).astype(np.float64) ** 2 * scale
        out[first : first + 256] = in_bands(power)
    return out
