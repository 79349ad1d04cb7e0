"""Second-order sections for tone.

Source: R. Bristow-Johnson, Cookbook formulae for audio equalizer biquad filter coefficients.
"""

import math

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import RATE

BODY_HZ, BODY_Q = 300.0, 0.9
PRESENCE_HZ, PRESENCE_SLOPE_Q = 4500.0, 0.71
BUTTERWORTH_Q = (0.54119610, 1.30656296)

Sections = NDArray[np.float64]
"""Shape (sections, 5): b0, b1, b2, a1, a2, with a0 = 1."""


def low_cut(hz: float, q: float, rate: int = RATE) -> list[float]:
    """High pass of 12 dB per octave."""
    w, alpha = _angle(hz, q, rate)
    cos = math.cos(w)
    return _normalised((1 + cos) / 2, -(1 + cos), (1 + cos) / 2, 1 + alpha, -2 * cos, 1 - alpha)


def bell(hz: float, q: float, gain_db: float, rate: int = RATE) -> list[float]:
    """Peaking filter."""
    w, alpha = _angle(hz, q, rate)
    a, cos = 10 ** (gain_db / 40), math.cos(w)
    return _normalised(1 + alpha * a, -2 * cos, 1 - alpha * a, 1 + alpha / a, -2 * cos, 1 - alpha / a)


def high_shelf(hz: float, q: float, gain_db: float, rate: int = RATE) -> list[float]:
    """Shelf above `hz`."""
    w, alpha = _angle(hz, q, rate)
    a, cos = 10 ** (gain_db / 40), math.cos(w)
    root = 2 * math.sqrt(a) * alpha
    return _normalised(
        a * ((a + 1) + (a - 1) * cos + root), -2 * a * ((a - 1) + (a + 1) * cos), a * ((a + 1) + (a - 1) * cos - root),
        (a + 1) - (a - 1) * cos + root, 2 * ((a - 1) - (a + 1) * cos), (a + 1) - (a - 1) * cos - root,
    )  # fmt: skip


def steep_low_cut(hz: float, rate: int = RATE) -> list[list[float]]:
    """High pass of 24 dB per octave, 3 dB down at `hz`."""
    return [low_cut(hz, q, rate) for q in BUTTERWORTH_Q]


def body(gain_db: float, rate: int = RATE) -> list[float]:
    """Where rooms and close microphones pile up."""
    return bell(BODY_HZ, BODY_Q, gain_db, rate)


def presence(gain_db: float, rate: int = RATE) -> list[float]:
    """Where words become clear."""
    return high_shelf(PRESENCE_HZ, PRESENCE_SLOPE_Q, gain_db, rate)


def _angle(hz: float, q: float, rate: int) -> tuple[float, float]:
    w = 2 * math.pi * hz / rate
    return w, math.sin(w) / (2 * q)


def _normalised(b0: float, b1: float, b2: float, a0: float, a1: float, a2: float) -> list[float]:
    return [b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0]
