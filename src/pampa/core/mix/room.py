"""The room that tracks are sent to: a reverb without ringing, of noise that dies away as it is asked to in each octave.

Noise that decays has no modes of its own and is dense at once (J. A. Moorer, About this reverberation business,
Computer Music Journal 3(2), 1979). Two that share nothing make the two sides. It is convolved in whole blocks on a
grid of the episode, so any range of it is the same bits.
"""

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.sound import RATE, Curve, FloatArray
from pampa.core.timeline.document import RoomName

OCTAVES_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)
DECAYS_S: dict[RoomName, tuple[float, ...]] = {
    "small": (0.50, 0.50, 0.48, 0.45, 0.40, 0.34, 0.28),
    "hall": (2.20, 2.15, 2.00, 1.80, 1.50, 1.15, 0.80),
    "long": (4.20, 4.20, 4.00, 3.50, 2.80, 2.00, 1.20),
}
"""Seconds for a fall of 60 dB around each of the octaves."""
DELAYS_S: dict[RoomName, float] = {"small": 0.004, "hall": 0.018, "long": 0.03}
SEEDS: dict[RoomName, int] = {"small": 35, "hall": 0, "long": 4}
"""Of the noise: one whose chance keeps its decays within 5 % of what is asked."""
HEARD_DB = 75.0
"""The tail is kept until the slowest octave has fallen so far."""
EVEN_S = 0.06
RISE_S, LOWEST_HZ = 0.004, 80.0
CROSSOVER = 0.15
"""Of an octave, over which one decay goes over into the next."""


@dataclass(frozen=True)
class Reverb:
    """One room, as a processor of its bus: in go two sides, out come the two of the room alone."""

    room: RoomName

    @property
    def run_in(self) -> int:
        return ring_frames(self.room)

    @property
    def look_ahead(self) -> int:
        return 0

    def work(self, sound: FloatArray) -> FloatArray:
        if not sound.any():
            return sound
        size = scipy.fft.next_fast_len(len(sound), real=True)
        middle = scipy.fft.rfft((sound[:, 0] + sound[:, 1]) * np.float32(0.5), size)
        # What wraps around lands in the run-in, which is as long as the room rings.
        wet = scipy.fft.irfft(middle[:, None] * _spectrum(self.room, size), size, axis=0)
        return np.asarray(wet[: len(sound)], np.float32)


def ring_frames(room: RoomName) -> int:
    """For how many frames a room is heard after what set it off."""
    return round(DELAYS_S[room] * RATE) + _decaying(room)


def _decaying(room: RoomName) -> int:
    return round(max(DECAYS_S[room]) * HEARD_DB / 60 * RATE)


@lru_cache(8)
def impulse(room: RoomName) -> FloatArray:
    """How a room answers a single sample, shape (frames, 2): both sides together have its energy."""
    decays = np.array(DECAYS_S[room])
    frames = _decaying(room)
    rng = np.random.default_rng(SEEDS[room])
    t = np.arange(frames) / RATE
    size = scipy.fft.next_fast_len(2 * frames, real=True)
    noise = scipy.fft.rfft(rng.standard_normal((frames, 2)), size, axis=0)
    hz = scipy.fft.rfftfreq(size, 1 / RATE)
    out = np.zeros((frames, 2))
    for band, decay in zip(_bands(hz), decays, strict=True):
        part = scipy.fft.irfft(noise * band[:, None], size, axis=0)[:frames]
        # A short noise in a low octave wavers by chance: it is made even first, so that it decays as it is told to.
        steady = scipy.ndimage.uniform_filter1d(part**2, round(EVEN_S * RATE), axis=0)
        wide = float(np.sqrt(np.mean(band**2)))
        out += part * (wide * 10 ** (-3 * t / decay))[:, None] / np.sqrt(np.maximum(steady, 1e-20))
    out *= np.minimum(t / RISE_S, 1)[:, None] * np.minimum((t[-1] - t) / 0.05, 1)[:, None]
    out /= np.sqrt((out**2).sum(axis=0))
    late = np.zeros((round(DELAYS_S[room] * RATE), 2))
    return np.concatenate([late, out]).astype(np.float32)


@lru_cache(8)
def _spectrum(room: RoomName, size: int) -> NDArray[np.complex64]:
    return np.asarray(scipy.fft.rfft(impulse(room), size, axis=0))


def _bands(hz: Curve) -> list[Curve]:
    """How much of each frequency belongs to each octave: together 1 everywhere over the lowest."""
    place = np.log2(np.maximum(hz, 1.0) / OCTAVES_HZ[0])
    over = [np.clip((place - n + 0.5) / CROSSOVER + 0.5, 0, 1) for n in range(1, len(OCTAVES_HZ))]
    over = [0.5 - 0.5 * np.cos(np.pi * share) for share in over]
    low = 1 / np.sqrt(1 + (LOWEST_HZ / np.maximum(hz, 1.0)) ** 4)
    steps = [np.ones_like(hz), *over, np.zeros_like(hz)]
    return [(a - b) * low for a, b in pairwise(steps)]
