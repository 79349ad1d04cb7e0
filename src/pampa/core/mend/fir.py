"""Filters of linear phase, computed in blocks that belong to the recording's time: the same bits in any stretch.

Overlap-save by the fast Fourier transform (Oppenheim & Schafer 2010, ch. 8).
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.sound import RATE, FloatArray, Source

BLOCK = 1 << 14

Taps = NDArray[np.float64]
"""The response of a filter, odd in length, its middle the place of the sample that it is for."""


def windowed_sinc(reach: int, hz: float | tuple[float, float], *, low: bool = False) -> Taps:
    """A filter of 2 * reach + 1 taps: what lies over `hz`, or between the two, or under it where `low`."""
    taps: Taps = scipy.signal.firwin(2 * reach + 1, hz, pass_zero=low, fs=RATE)
    return taps


def filtered(source: Source, first: int, last: int, taps: Taps) -> tuple[FloatArray, NDArray[np.float64]]:
    """Frames `first` to `last` of a source as they are, and after a filter without delay (float64).

    Both come from one read: a source may be the end of a long chain, and reading it is what costs.
    """
    reach = taps.size // 2
    begin, end = first // BLOCK, -(-last // BLOCK)
    sound = source.read(begin * BLOCK - reach, end * BLOCK + reach)
    plain = sound[first - begin * BLOCK + reach :][: last - first]
    rows = np.lib.stride_tricks.sliding_window_view(sound.astype(np.float64), BLOCK + 2 * reach, axis=0)[::BLOCK]
    size = scipy.fft.next_fast_len(BLOCK + 2 * reach, real=True)
    spectra = scipy.fft.rfft(rows, size, axis=2)
    spectra *= scipy.fft.rfft(taps, size)
    blocks = scipy.fft.irfft(spectra, size, axis=2)[:, :, 2 * reach : 2 * reach + BLOCK]
    out = blocks.transpose(0, 2, 1).reshape(-1, source.channels)
    return plain, out[first - begin * BLOCK : last - begin * BLOCK]
