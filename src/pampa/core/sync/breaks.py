"""Where exactly a recorder had stopped: the moment from which on another offset holds.

Between two places that are known to lie on either side, every 50 ms are compared with the reference under
both offsets, with the phase transform's weights (Knapp & Carter 1976); the moment that parts the two best is it. Where
nothing sounds, any moment is as good, and the middle of them is taken.
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.sync.features import WORK_RATE, Mono

STEP = WORK_RATE // 20
LENGTH = 4 * STEP
MOST = 4000
"""Moments that are compared, more widely apart where more than three minutes lie between the two places."""
BAND_HZ = (200.0, 3600.0)
LOUD = 0.1
"""Stretches softer than this share of the loudest have less to say."""


def break_at(reference: Mono, local: Mono, first_s: float, last_s: float, offsets: tuple[float, float],
             drift_ppm: float) -> float:  # fmt: skip
    """Seconds of `local`, between `first_s` and `last_s`, from which on the second of two offsets holds."""
    step = max(STEP, round((last_s - first_s) * WORK_RATE / MOST))
    starts = np.arange(round(first_s * WORK_RATE), round(last_s * WORK_RATE) - LENGTH, step)
    if starts.size < 2:
        return (first_s + last_s) / 2
    blocks = _blocks(local, starts)
    level = np.sqrt(np.mean(blocks**2, axis=1))
    weights = np.minimum(level / (LOUD * level.max() + 1e-12), 1.0)
    drifted = starts * (1 + drift_ppm * 1e-6)
    before, after = (_alike(_blocks(reference, np.round(drifted + offset * WORK_RATE)), blocks) for offset in offsets)
    running = np.concatenate([[0.0], np.cumsum(weights * (before - after))])
    best = np.flatnonzero(running >= running.max() - 1e-9)
    moment = (best[0] + best[-1]) / 2
    return float((starts[0] + moment * step + (LENGTH - step) / 2) / WORK_RATE)


def _blocks(sound: Mono, starts: NDArray[np.float64] | NDArray[np.int64]) -> NDArray[np.float64]:
    """Stretches of `LENGTH`; what lies outside is silence."""
    places = np.asarray(starts, np.int64)[:, None] + np.arange(LENGTH)
    inside = (places >= 0) & (places < len(sound))
    return np.where(inside, sound[np.clip(places, 0, len(sound) - 1)], 0.0)


def _alike(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far two sets of blocks agree without any delay, -1 to 1, every bin counting the same."""
    window = np.hanning(LENGTH)
    cross = scipy.fft.rfft(one * window) * np.conj(scipy.fft.rfft(other * window))
    hz = np.arange(cross.shape[1]) * WORK_RATE / LENGTH
    cross = cross[:, (hz > BAND_HZ[0]) & (hz < BAND_HZ[1])]
    magnitude = np.abs(cross)
    floor = 0.05 * magnitude.mean(axis=1, keepdims=True) + 1e-12
    return np.asarray((cross.real / (magnitude + floor)).mean(axis=1))
