"""Whether what is said is taken back: said again at once, and all that lies between can go.

The network of `sounds` hears how somebody breaks off, a moment at a time, but not whether the same words follow: no sum
of its layers holds one stretch against another. So a second, smaller one hears what the first has told, and beside it
how alike each moment is to those up to `FARTHEST_S` later and earlier. The weights beside this file were trained by
`training/taking_back.py`.

Source: for likeness at a lag, Foote, Visualizing music and audio using self-similarity, ACM Multimedia (1999); for what
marks a repair, Levelt, Monitoring and self-repair in speech, Cognition 14 (1983).
"""

from functools import cache, partial

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.executor import Executor
from pampa.core.network import convolved, weights_in
from pampa.core.speech.features import BANDS, PER_S, Matrix
from pampa.core.speech.kernels import alike_at_lags

STEP = 2
"""Frames that are one moment here: what is taken back lasts longer than what a phone does."""
MOMENTS_PER_S = PER_S // STEP
NEAREST, FARTHEST_S = 5, 2.6
LAGS = round(FARTHEST_S * MOMENTS_PER_S)
EVENED = (5, 15)
"""Moments over which a likeness is evened: a phone or two, and a word."""
BINS = np.unique(np.round(np.geomspace(NEAREST, LAGS + 1, 13)).astype(int))
LEAST_COMMON, CHANCE = 0.004, 0.05
LEAST_ALIKE, MOST_ALIKE = -3.0, 3.0
PHONES, KINDS = 40, 6
INPUTS = KINDS + PHONES + 1 + 3 + 2 * len(EVENED) * (len(BINS) - 1)
WIDTH = 64
DILATIONS = (1, 2, 4, 8, 16, 32, 64)
CONTEXT = sum(DILATIONS)
BLOCK = 60 * MOMENTS_PER_S
Parts = NDArray[np.uint8]


def taken_back(seen: Matrix, kinds: Parts, broken_off: Parts, phones: Parts, executor: Executor) -> Parts:
    """The probability that each frame is of what is taken back, in parts of 255: shape (frames,).

    seen : what the first network sees, shape (frames, INPUTS of `sounds`); the others : what it tells, see `Sounds`.
    """
    told = inputs(seen, kinds, broken_off, phones)
    around = ((CONTEXT, CONTEXT), (0, 0))
    told = np.pad(told, around)
    starts = range(0, len(told) - 2 * CONTEXT, BLOCK)
    sums = list(executor.map(partial(_of_block, told), starts))
    if not sums:
        return np.zeros(len(kinds), np.uint8)
    moments = np.round(255 * scipy.special.expit(np.concatenate(sums))).astype(np.uint8)
    return np.repeat(moments, STEP)[: len(kinds)]


def inputs(seen: Matrix, kinds: Parts, broken_off: Parts, phones: Parts) -> Matrix:
    """What the second network sees of a recording: shape (moments, INPUTS). An odd last frame is a moment too."""
    loud = seen[:, :BANDS].mean(axis=1)
    columns = (seen[:, 2 * BANDS :], loud[:, None], broken_off[:, None] / 255, kinds / 255)
    alone = np.concatenate(columns, axis=1).astype(np.float32)
    shares = _moments(phones.astype(np.float32) / 255)
    return np.concatenate([_moments(alone), shares, alikeness(shares**2)], axis=1, dtype=np.float32)


def _moments(rows: NDArray[np.floating]) -> Matrix:
    """The mean of every STEP frames."""
    padded = np.pad(rows, ((0, -len(rows) % STEP), (0, 0)), "edge") if len(rows) else rows
    return padded.reshape(-1, STEP, rows.shape[1]).mean(axis=1)


def alikeness(shares: Matrix) -> Matrix:
    """How alike each moment and those around are to what was said at a lag: shape (moments, 2 * len(EVENED) * bins).

    shares : probabilities of phones, the first of silence, shape (moments, phones). First of what follows, for each
    span of EVENED, then of what came before: the best of each bin of lags, as the logarithm of how much likelier it is
    that both are one phone than it would be by chance, a third of it.
    """
    said = shares[:, 0] < 0.5
    if not said.any():
        return np.full((len(shares), 2 * len(EVENED) * (len(BINS) - 1)), LEAST_ALIKE / 3, np.float32)
    common = np.sqrt(shares[said].mean(axis=0) + LEAST_COMMON)
    scaled = np.ascontiguousarray((shares / common).T[1:], np.float32)
    best = alike_at_lags(scaled, BINS, np.array(EVENED), np.float32(CHANCE), LEAST_ALIKE, MOST_ALIKE)
    return np.asarray(best.reshape(len(shares), -1) / np.float32(3))


def _of_block(told: Matrix, start: int) -> Matrix:
    return np.asarray(convolved(told[start : start + BLOCK + 2 * CONTEXT], *weights(), np.array(DILATIONS)))[:, 0]


@cache
def weights() -> tuple[Matrix, ...]:
    return weights_in("pampa.core.speech", "taken_back")
