"""Bands: three of them hold the tone of a voice steady when somebody leans in, turns away or gets loud.

Leaning in to a microphone raises the lows, and turning away from it takes the highs, by 6 dB an octave at most: so the
bands are split by filters of the first order, which undo just that. They add up to the input itself, since the middle
is what the other two leave. Sources: L. Beranek, Acoustics (1954), ch. 6, on microphones close by; Chu and Warnock,
Detailed directivity of sound fields around human talkers (2002).
"""

import math
from functools import cache

import numpy as np
import scipy

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, Curve, FloatArray, to_mono
from pampa.core.voice import kernels
from pampa.core.voice.heard import BANDS_HZ, Heard

SPLITS_HZ = (300.0, 2500.0)
"""Where body, middle and upper meet."""
CELL = RATE // CELLS_PER_S
SLOW_S = 3.0
"""Over so many seconds the bands of a voice hardly hang on what is said."""
AROUND = round(SLOW_S / 2 * CELLS_PER_S) * CELL
LEFT_DB = (0.2, 0.2, 1.0)
"""What each band is let be: as much as it moves in three seconds by what is said."""
SHARES = (0.4, 0.4, 0.2)
"""What each band counts for where they are held against one another; the upper one hangs most on what is said."""
MOST_DB, LIFT_DB = 8.0, 4.0
"""What is lowered and lifted at most."""
UNDER_DB = 25.0
"""What lies this far under the voice is a pause, and tells nothing."""
HEARD_DB = 0.5

Usual = tuple[float, float, float]
"""The square of the mean amplitude of each band where somebody speaks."""


def usual_of(heard: Heard, response: Curve) -> Usual:
    """How strong each band of a voice is on the whole, after a tone. response : its factor for the power of each band.

    The mean is that of amplitudes, as while it is held: powers would be ruled by what bursts, which is every s.
    """
    low = 1 / (1 + (BANDS_HZ / SPLITS_HZ[0]) ** 4) ** 2
    high = 1 / (1 + (SPLITS_HZ[1] / BANDS_HZ) ** 4) ** 2
    middle = np.maximum(1 - low - high, 0)
    powers = (heard.speech * response) @ np.stack([low, middle, high], axis=1)
    body, middle_, upper = (np.sqrt(powers).mean(axis=0) ** 2).tolist()
    return body, middle_, upper


def steadied(sound: FloatArray, usual: Usual, amount: float) -> tuple[FloatArray, Curve]:
    """The sound with its bands held, and by how many dB the one that moves most is, in each 20 ms: shape (cells,).

    sound : shape (frames, channels). amount : 0 to 1. The first and last `AROUND` frames lack what lies beside them.
    """
    poles = _pole(SPLITS_HZ[0]), _pole(SPLITS_HZ[1])
    gains_db = amount * _gains_db(_powers(sound), np.array(usual))
    if gains_db.any():
        sound = kernels.hold_bands(sound, *poles, 10 ** (gains_db / 20), CELL)
    return sound, np.abs(gains_db).max(axis=0)


def told(taken: Curve) -> str:
    """What it does in numbers, from how far it moves a band where somebody talks."""
    moved = taken[taken > HEARD_DB]
    if not moved.size:
        return "hold nothing: the tone is steady"
    return f"move by {np.median(moved):.1f} dB where they hold, {moved.max():.1f} dB at most"


def _gains_db(powers: Curve, usual: Curve) -> Curve:
    """The gain of each band in dB, shape (3, cells): against how the band usually stands to the others."""
    size = round(SLOW_S * CELLS_PER_S) | 1
    window = np.hanning(size + 2)[1:-1]
    slow = scipy.ndimage.convolve1d(np.sqrt(powers), window / window.sum(), axis=1, mode="constant") ** 2
    slow = slow + usual[:, None] * 10 ** (-UNDER_DB / 10)
    moved = 10 * np.log10(slow / usual[:, None])
    stands = moved - np.array(SHARES) @ moved
    wanted = np.sign(stands) * np.maximum(np.abs(stands) - np.array(LEFT_DB)[:, None], 0)
    return np.asarray(np.clip(-wanted, -MOST_DB, LIFT_DB))


def _powers(sound: FloatArray) -> Curve:
    """The mean square of each band in each cell, shape (3, cells): told apart by steeper filters than they are held by.

    Linkwitz and Riley, Active crossover networks for noncoincident drivers, JAES 24 (1976): two of the second order.
    """
    mono = np.ascontiguousarray(to_mono(sound))
    total, body, upper = kernels.band_powers(mono, _second("low", SPLITS_HZ[0]), _second("high", SPLITS_HZ[1]), CELL)
    return np.stack([body, np.maximum(total - body - upper, 0), upper])


@cache
def _second(kind: str, hz: float) -> tuple[float, ...]:
    """A Butterworth filter of the second order, by the bilinear transform: five numbers of a section."""
    k = math.tan(math.pi * hz / RATE)
    norm = 1 + math.sqrt(2) * k + k * k
    gain, sign = (k * k / norm, 1) if kind == "low" else (1 / norm, -1)
    return gain, 2 * sign * gain, gain, 2 * (k * k - 1) / norm, (1 - math.sqrt(2) * k + k * k) / norm


def _pole(hz: float) -> float:
    return math.exp(-2 * math.pi * hz / RATE)
