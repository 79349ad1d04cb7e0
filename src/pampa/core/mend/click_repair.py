"""Clicks taken off what they were added to.

Sound is foretold by an autoregressive model of what lies around, with an error of a known size; a click is noise added
to it, of a size that changes from moment to moment and is estimated in turns with the sound (Godsill & Rayner 1998, ch.
5; expectation and maximisation as by Dempster, Laird & Rubin 1977). Where the click is loud nothing of the recording is
believed, which is plain interpolation; at its edges, where little was added, nearly everything is.
"""

from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.mend.fir import filtered, windowed_sinc
from pampa.core.mend.prediction import RIDGE, Wave, predictor
from pampa.core.sound import FloatArray, Source

SPLIT_HZ = 1_500
HALF = 480
"""Half the length of the filter that splits the bands."""
ORDER = 64
AROUND = 960
"""Frames on either side that the model is made of."""
EDGE = 72
"""A click begins and ends softly: so many frames more on either side are looked at."""
BESIDE, SWOLLEN = 480, 2.0
"""Below the split a voice is too strong to be foretold; there, a click is taken out where the lows are so many times
what they are in so many frames beside it."""
ROUNDS, SMOOTH = 4, 24
"""How often the click's size is estimated, and over how many frames on either side it is alike."""
LEAST = 1e-3
MEDIAN_OF_SQUARES = 0.455
"""The median of the square of noise whose mean square is 1."""


def without_click(source: Source, start: int, stop: int) -> tuple[int, FloatArray]:
    """The sound around a click of frames `start` to `stop` without it, and the frame that this begins at."""
    first, last = start - EDGE - AROUND, stop + EDGE + AROUND
    plain, high = filtered(source, first, last, upper())
    inside = slice(AROUND, last - first - AROUND)
    sound = plain.astype(np.float64)
    for channel in range(sound.shape[1]):
        wave, upper_band = sound[:, channel].copy(), high[:, channel]
        band = wave if _lows_swell(wave - upper_band, inside) else upper_band
        sound[inside, channel] -= added(band, inside)
    return start - EDGE, sound[inside].astype(np.float32)


def added(wave: Wave, inside: slice) -> Wave:
    """What was added to a wave in the stretch `inside`, which is longer than the order and no nearer an end."""
    around = wave[: inside.start], wave[inside.stop :]
    model = predictor(np.concatenate(around), ORDER)
    errors = np.concatenate([np.convolve(side, model, "valid") for side in around])
    error = max(float(np.median(errors**2)) / MEDIAN_OF_SQUARES, 1e-20)
    likeness = np.correlate(model, model, "full")
    heard, known = wave[inside], wave.copy()
    known[inside] = 0
    pull = np.convolve(known, likeness, "same")[inside]
    matrix = np.repeat(likeness[ORDER:, None], heard.size, axis=1)
    matrix[0] *= 1 + RIDGE
    window = np.hanning(2 * SMOOTH + 3)[1:-1]
    sound = -scipy.linalg.solveh_banded(matrix, pull, lower=True)
    for _ in range(ROUNDS):
        size = scipy.ndimage.convolve1d((heard - sound) ** 2, window / window.sum(), mode="nearest")
        believed = error / np.maximum(size, LEAST * error)
        sound = scipy.linalg.solveh_banded(
            np.concatenate([matrix[:1] + believed, matrix[1:]]), believed * heard - pull, lower=True
        )
    return np.asarray(heard - sound)


def _lows_swell(low: Wave, inside: slice) -> bool:
    beside = (low[inside.start - BESIDE : inside.start], low[inside.stop : inside.stop + BESIDE])
    return bool((low[inside] ** 2).mean() > SWOLLEN**2 * max((side**2).mean() for side in beside))


@cache
def upper() -> NDArray[np.float64]:
    """A high-pass with linear phase: shape (2 * HALF + 1,)."""
    return windowed_sinc(HALF, SPLIT_HZ)
