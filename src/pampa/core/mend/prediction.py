"""Sound told from its surroundings: an autoregressive model of a short stretch, and lost samples put back by it.

Source: Janssen, Veldhuis & Vries, Adaptive interpolation of discrete-time signals that can be modeled as
autoregressive processes, IEEE Trans. ASSP 34 (1986).
"""

import numpy as np
import scipy
from numpy.typing import NDArray

Wave = NDArray[np.float64]
"""A short stretch of one channel: shape (frames,)."""

RIDGE = 1e-9


def predictor(wave: Wave, order: int) -> Wave:
    """Coefficients of the prediction error filter, the first one 1: shape (order + 1,)."""
    windowed = wave * np.hanning(wave.size)
    power = np.abs(scipy.fft.rfft(windowed, 2 * wave.size)) ** 2
    likeness = scipy.fft.irfft(power)[: order + 1]
    if likeness[0] <= 0:
        return np.concatenate([[1.0], np.zeros(order)])
    likeness[0] *= 1 + RIDGE
    return np.concatenate([[1.0], -scipy.linalg.solve_toeplitz(likeness[:order], likeness[1:])])


def filled(wave: Wave, lost: NDArray[np.int64], coefficients: Wave) -> Wave:
    """The values at `lost` that make the prediction error least. Each must lie `order` frames inside the stretch."""
    order = coefficients.size - 1
    likeness = np.correlate(coefficients, coefficients, "full")
    lags = np.abs(lost[:, None] - lost[None, :])
    matrix = np.where(lags <= order, likeness[np.minimum(lags, order) + order], 0.0)
    known = wave.copy()
    known[lost] = 0
    pull = np.convolve(known, likeness, "same")[lost]
    matrix[np.diag_indices_from(matrix)] *= 1 + RIDGE
    return -scipy.linalg.solve(matrix, pull, assume_a="pos")
