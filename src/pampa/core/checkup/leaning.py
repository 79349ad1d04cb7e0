"""How far a voice leans to one side of the middle, told by the turn of phase that would set it upright."""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.checkup.frames import HOP
from pampa.core.sound import RATE, Source, to_mono

APART, PLACES = 25, 12
ANGLES = np.arange(36) * np.pi / 36


def best_angle(source: Source, peaks: NDArray[np.floating]) -> tuple[float, float]:
    """The angle (0 to pi) that makes the loudest places lowest, and the headroom in dB that it wins.

    peaks : the highest sample of each 20 ms, by which the loudest places are chosen: twelve, half a second apart.
    """
    chosen: list[int] = []
    for frame in np.argsort(peaks)[::-1][:200]:
        if all(abs(frame - other) > APART for other in chosen):
            chosen.append(int(frame))
        if len(chosen) == PLACES:
            break
    plain, turned = 0.0, np.zeros(ANGLES.size)
    for frame in chosen:
        sound = to_mono(source.read(frame * HOP - RATE // 4, frame * HOP + RATE // 4))
        analytic = _analytic(sound)[RATE // 8 : -RATE // 8]
        plain = max(plain, float(np.abs(analytic.real).max()))
        tried = np.abs((analytic[None, :] * np.exp(-1j * ANGLES)[:, None]).real).max(axis=1)
        turned = np.maximum(turned, tried)
    if plain == 0:
        return 0.0, 0.0
    return float(ANGLES[np.argmin(turned)]), float(20 * np.log10(plain / turned.min()))


def _analytic(sound: NDArray[np.float32]) -> NDArray[np.complexfloating]:
    """Sound and its quadrature as one complex signal: negative frequencies left out. Marple, IEEE TSP 47 (1999)."""
    one_sided = scipy.fft.rfft(sound)
    one_sided[1 : (sound.size + 1) // 2] *= 2
    return scipy.fft.ifft(one_sided, sound.size)
