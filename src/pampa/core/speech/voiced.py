"""Where a sound has the pitch of a voice: what tells a word from a breath, a knock or a chair.

Source: P. Boersma, Accurate short-term analysis of the fundamental frequency and the harmonics-to-noise ratio of a
sampled sound, IFA Proceedings 17 (1993): the autocorrelation of a window, divided by that of the window itself.
"""

from functools import partial

import numpy as np
import scipy
import soxr
from numpy.typing import NDArray

from pampa.core.executor import Executor, Inline
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import Curve, Segment, Source, segments, to_mono

LOW_RATE = 8000
CELL = LOW_RATE // CELLS_PER_S
WINDOW, SIZE = 2 * CELL, 1024
LOWEST_HZ, HIGHEST_HZ = 70.0, 420.0
LAGS = np.arange(int(LOW_RATE / HIGHEST_HZ), int(LOW_RATE / LOWEST_HZ) + 1)
SOFTEST = 1e-5
"""Under this amplitude there is only the noise of numbers."""


def voicing(source: Source, executor: Executor | None = None) -> Curve:
    """How far each 20 ms of a source at any rate has a pitch: 0 for noise, 1 for a steady tone. Shape (cells,)."""
    parts = list((executor or Inline()).map(partial(_of_segment, source), segments(source.frames, source.rate)))
    return np.concatenate(parts) if parts else np.zeros(0)


def _of_segment(source: Source, segment: Segment) -> Curve:
    cells = (segment.stop - segment.start) * CELLS_PER_S // source.rate
    lead = source.rate // CELLS_PER_S
    sound = to_mono(source.read(segment.start - lead, segment.stop + 2 * lead)).astype(np.float32)
    low = soxr.resample(sound, source.rate, LOW_RATE, quality="MQ")
    low = np.pad(low, (0, max((cells + 1) * CELL + WINDOW - len(low), 0)))
    views = np.lib.stride_tricks.sliding_window_view(low, WINDOW)[CELL // 2 :: CELL][:cells]
    return _periodicity(views)


def _periodicity(views: NDArray[np.float32]) -> Curve:
    taper = np.hanning(WINDOW).astype(np.float32)
    own = np.correlate(taper, taper, "full")[WINDOW - 1 :]
    centred = (views - views.mean(axis=1, keepdims=True)) * taper
    raw = scipy.fft.irfft(np.abs(scipy.fft.rfft(centred, SIZE, axis=1)) ** 2, SIZE, axis=1)
    power = raw[:, 0]
    likeness = raw[:, LAGS] / np.maximum(power, 1e-20)[:, None] / (own[LAGS] / own[0])
    heard = power > (SOFTEST**2) * float((taper**2).sum())
    return np.where(heard, np.clip(likeness.max(axis=1), 0.0, 1.0), 0.0).astype(np.float64)
