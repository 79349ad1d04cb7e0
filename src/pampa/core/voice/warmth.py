"""Warmth: a second and a third harmonic, as gentle amplifiers add them, and nothing that folds back.

A polynomial of the third degree makes no more than the third harmonic, so that what lies under a third of half the
rate cannot fold: it is given what lies under 7 kHz alone, and needs no higher rate. Louder than its reference
it goes on in proportion, by a slow envelope, where a fixed curve would turn over.
Source for the harmonics of a polynomial: M. Le Brun, Digital waveshaping synthesis, JAES 27 (1979).
"""

from functools import cache

import numpy as np
import scipy

from pampa.core.sound import RATE, Curve, FloatArray
from pampa.core.voice import kernels

PASSES_HZ, STOPS_HZ, RIPPLE_DB, STOP_DB = 6000.0, 8000.0, 0.1, 90.0
EVEN, ODD = 0.16, -0.16
"""At the reference: a second harmonic at -22 dB and a third at -28 dB, which presses the tops by 1 dB."""
OVER_SPEECH_DB = 12.0
"""The reference lies where the tops of loud syllables do."""
BLOCK = 240
STEADY_HZ = 20.0
AROUND = 20 * BLOCK
TOGETHER = 512 * 75, 64 * 75
"""Frames of the blocks that are filtered side by side, and those in which the filter has settled for each: 0.1 s."""


def reference_of(speech_lufs: float | None) -> float | None:
    """The amplitude at which it works in full; None where nobody speaks."""
    return None if speech_lufs is None else float(10 ** ((speech_lufs + OVER_SPEECH_DB) / 20))


def warmed(sound: FloatArray, reference: float | None, amount: float) -> FloatArray:
    """The sound with harmonics added: shape (frames, channels). amount : 0 to 1.

    The first and last `AROUND` frames lack what lies beside them.
    """
    if reference is None:
        return sound
    driven = np.array(sound)
    kernels.filter_sections(driven, _low_pass(), *TOGETHER)
    settled: FloatArray = kernels.add_harmonics(
        sound,
        driven,
        np.maximum(_held(driven) / reference, 1.0),
        BLOCK,
        EVEN * amount,
        ODD * amount,
        reference,
        _pole(),
    )
    return settled


def told(amount: float) -> str:
    """What it does in numbers."""
    second, third = (20 * np.log10(abs(k) * share * amount / 100) for k, share in ((EVEN, 0.5), (ODD, 0.25)))
    return f"a second harmonic at {second:.0f} dB and a third at {third:.0f} dB".replace("-", "\N{MINUS SIGN}")


def _held(driven: FloatArray) -> Curve:
    """The highest that the sound comes around each block, smoothed, and never under what it is in it."""
    peaks = kernels.peaks_in_steps(driven, BLOCK)
    return np.asarray(scipy.ndimage.uniform_filter1d(scipy.ndimage.maximum_filter1d(peaks, 5), 3))


def _pole() -> float:
    return float(np.exp(-2 * np.pi * STEADY_HZ / RATE))


@cache
def _low_pass() -> Curve:
    """Elliptic: shape (sections, 5)."""
    order, corner = scipy.signal.ellipord(PASSES_HZ, STOPS_HZ, RIPPLE_DB, STOP_DB, fs=RATE)
    sections = scipy.signal.ellip(order, RIPPLE_DB, STOP_DB, corner, output="sos", fs=RATE)
    return np.ascontiguousarray(np.delete(sections, 3, axis=1))
