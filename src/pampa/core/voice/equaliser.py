"""Second-order sections for tone.

Source: R. Bristow-Johnson, Cookbook formulae for audio equalizer biquad filter coefficients.
"""

import math

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import RATE
from pampa.core.voice.recipe import Recipe

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


def tone_sections(recipe: Recipe, rate: int = RATE) -> Sections:
    """The filters of a recipe in their order. What is set to nothing is left out."""
    sections = []
    if recipe.low_cut_hz > 0:
        sections += [low_cut(recipe.low_cut_hz, q, rate) for q in BUTTERWORTH_Q]
    if recipe.body_db:
        sections.append(bell(BODY_HZ, BODY_Q, recipe.body_db, rate))
    if recipe.presence_db:
        sections.append(high_shelf(PRESENCE_HZ, PRESENCE_SLOPE_Q, recipe.presence_db, rate))
    return np.array(sections, np.float64).reshape(-1, 5)


def _angle(hz: float, q: float, rate: int) -> tuple[float, float]:
    w = 2 * math.pi * hz / rate
    return w, math.sin(w) / (2 * q)


def _normalised(b0: float, b1: float, b2: float, a0: float, a1: float, a2: float) -> list[float]:
    return [b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0]
