"""Filters of linear phase, computed in blocks that belong to the recording's time: the same bits in any stretch.

Overlap-save by the fast Fourier transform (Oppenheim & Schafer 2010, ch. 8); taps by windowing (there, ch. 7.5).
"""

from typing import Any

import numpy as np
import scipy
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from pampa.core.sound import RATE, FloatArray, Source

BLOCK = 1 << 14

Taps = NDArray[np.float64]
"""The response of a filter, odd in length, its middle the place of the sample that it is for."""


def windowed_sinc(reach: int, hz: float | tuple[float, float], *, low: bool = False) -> Taps:
    """A filter of 2 * reach + 1 taps: what lies over `hz`, or between the two, or under it where `low`.

    By a Hamming window, and of gain 1 in the middle of what it lets through. SciPy's own would do the same, but loading
    all of its signal processing takes 0.4 s.
    """
    if isinstance(hz, tuple):
        first, last = hz
    else:
        first, last = (0.0, hz) if low else (hz, RATE / 2)
    places = np.arange(2 * reach + 1) - float(reach)
    left, right = 2 * first / RATE, 2 * last / RATE
    taps = right * np.sinc(right * places) - left * np.sinc(left * places)
    taps *= 0.54 + 0.46 * np.cos(np.linspace(-np.pi, np.pi, places.size))
    middle = 0.0 if low else 1.0 if last == RATE / 2 else (left + right) / 2
    return np.asarray(taps / np.sum(taps * np.cos(np.pi * middle * places)))


def filtered(source: Source, first: int, last: int, taps: Taps, kind: type = np.float64
             ) -> tuple[FloatArray, NDArray[Any]]:  # fmt: skip
    """Frames `first` to `last` of a source as they are, and after a filter without delay.

    kind : of the numbers that it is worked in and given in; float32 takes half the time and errs by -140 dB.

    Both come from one read: a source may be the end of a long chain, and reading it is what costs.
    """
    reach = taps.size // 2
    begin, end = first // BLOCK, -(-last // BLOCK)
    sound = source.read(begin * BLOCK - reach, end * BLOCK + reach)
    plain = sound[first - begin * BLOCK + reach :][: last - first]
    blocks: NDArray[Any] = sliding_window_view(sound.astype(kind), BLOCK + 2 * reach, axis=0)[::BLOCK]
    size = scipy.fft.next_fast_len(BLOCK + 2 * reach, real=True)
    spectra = scipy.fft.rfft(blocks, size, axis=2)
    spectra *= scipy.fft.rfft(taps.astype(kind), size)
    whole = scipy.fft.irfft(spectra, size, axis=2)[:, :, 2 * reach : 2 * reach + BLOCK]
    out = whole.transpose(0, 2, 1).reshape(-1, source.channels)
    return plain, out[first - begin * BLOCK : last - begin * BLOCK]
