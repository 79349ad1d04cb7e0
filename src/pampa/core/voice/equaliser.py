"""Second-order sections for tone, with the magnitude of their analogue prototypes up to 20 kHz.

Poles are where the prototype's lie in the plane of z (impulse invariance); the zeros are those of least phase whose
squared magnitude fits the prototype's best, in the mean of squared relative errors over frequency. That magnitude is
linear in three numbers, so the fit is one small system of equations.
Source: M. Vicanek, Matched second order digital filters (2016), with the fit over all frequencies in place of three.
"""

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import RATE, Curve

BUTTERWORTH_Q = (0.54119610, 1.30656296)
SHELF_Q = math.sqrt(0.5)
GRID_HZ = np.geomspace(20, 20_000, 96)

Section = tuple[float, float, float, float, float]
"""b0, b1, b2, a1, a2, with a0 = 1."""
Prototype = tuple[tuple[float, float, float], tuple[float, float, float]]
"""Numerator and denominator in s, highest power first, for a corner at 1."""


def bell_prototype(q: float, gain_db: float) -> Prototype:
    """A peak or a dip."""
    a = 10 ** (gain_db / 40)
    return (1.0, a / q, 1.0), (1.0, 1 / (a * q), 1.0)


def shelf_prototype(gain_db: float, *, high: bool) -> Prototype:
    """A shelf that has half its gain at the corner."""
    a = 10 ** (gain_db / 40)
    slope = math.sqrt(a) / SHELF_Q
    if high:
        return (a * a, a * slope, a), (1.0, slope, a)
    return (a, a * slope, a * a), (a, slope, 1.0)


@lru_cache(4096)
def bell(hz: float, q: float, gain_db: float) -> Section:
    """Peaking section. A dip is the inverse of the peak, whose zeros can always be found."""
    peak = matched(bell_prototype(q, abs(gain_db)), hz)
    return peak if gain_db >= 0 else inverse(peak)


@lru_cache(4096)
def high_shelf(hz: float, gain_db: float) -> Section:
    """Shelf above `hz`: of a rise and a fall, the fall can always be matched."""
    fall = matched(shelf_prototype(-abs(gain_db), high=True), hz)
    return fall if gain_db <= 0 else inverse(fall)


@lru_cache(4096)
def low_shelf(hz: float, gain_db: float) -> Section:
    """Shelf below `hz`: of a rise and a fall, the rise can always be matched."""
    rise = matched(shelf_prototype(abs(gain_db), high=False), hz)
    return rise if gain_db >= 0 else inverse(rise)


@lru_cache(4096)
def low_cut(hz: float) -> tuple[Section, ...]:
    """High pass of 24 dB per octave, 3 dB down at `hz` (Butterworth)."""
    return tuple(matched(((1.0, 0.0, 0.0), (1.0, 1 / q, 1.0)), hz) for q in BUTTERWORTH_Q)


@lru_cache(4096)
def high_cut(hz: float) -> tuple[Section, ...]:
    """Low pass of 12 dB per octave, 3 dB down at `hz` (Butterworth)."""
    return (matched(((0.0, 0.0, 1.0), (1.0, 1 / SHELF_Q, 1.0)), hz),)


def matched(prototype: Prototype, hz: float, rate: int = RATE) -> Section:
    """The section that has a prototype's magnitude with its corner at `hz`."""
    corner = 2 * math.pi * hz / rate
    poles = np.exp(np.roots(prototype[1]) * corner)
    a1, a2 = float(-poles.sum().real), float(poles.prod().real)
    angles = 2 * math.pi * GRID_HZ / rate
    basis = _basis(angles)
    wanted = magnitude(prototype, angles / corner) ** 2 * (basis @ ((1 + a1 + a2) ** 2, (1 - a1 + a2) ** 2, -4 * a2))
    at_zero, at_half, between = np.linalg.lstsq(basis / wanted[:, None], np.ones(angles.size), rcond=None)[0]
    low, high = math.sqrt(max(at_zero, 0.0)), math.sqrt(max(at_half, 0.0))
    middle = (low + high) / 2
    b0 = (middle + math.sqrt(max(middle**2 + between, 0.0))) / 2
    return b0, (low - high) / 2, float(-between / (4 * b0)), a1, a2


def inverse(section: Section) -> Section:
    """The section that undoes another: zeros and poles change places."""
    b0, b1, b2, a1, a2 = section
    return 1 / b0, a1 / b0, a2 / b0, b1 / b0, b2 / b0


def magnitude(prototype: Prototype, ratio: Curve) -> Curve:
    """The gain of a prototype at multiples of its corner."""
    numerator, denominator = (np.polyval(part, 1j * ratio) for part in prototype)
    gain: Curve = np.abs(numerator / denominator)
    return gain


def _basis(angles: Curve) -> NDArray[np.float64]:
    """What the squared magnitude of a second-order polynomial is made of, shape (angles, 3)."""
    half = np.sin(angles / 2) ** 2
    return np.stack([1 - half, half, 4 * half * (1 - half)], axis=1)
