"""Sibilance: a sharp s brought down to what this voice's own brightness lets one expect.

How bright a voice sounds on its vowels tells how strong its s is, whoever speaks and through whatever microphone: over
ten voices the upper quarter of the s lies 16 dB over the brightest vowels, between 5 and 10 kHz, with a deviation of
2 dB; against the voice as a whole it is 4 dB. Only what is louder than that is lowered, in short moments in which the
highs outweigh the voice, so that no vowel is touched. What is taken is made from a transform with overlapping windows
(Allen and Rabiner, Proc. IEEE 65 (1977)) and subtracted: where nothing is to be taken, no sample changes.
"""

from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, Curve, FloatArray, to_mono
from pampa.core.voice import kernels
from pampa.core.voice.heard import Heard

SIZE, HOP = 480, 240
CELL = RATE // CELLS_PER_S
HOPS = CELL // HOP
HZ = np.arange(SIZE // 2 + 1) * RATE / SIZE
BRIGHT_HZ, HISSING_HZ, VOICED_HZ = (5040.0, 10_079.0), (4000.0, 12_699.0), (100.0, 2828.0)
OVER_VOWELS_DB = 16.0
VOWEL_DB, ACTIVE_DB = 6.0, 28.0
"""In a vowel the voice outweighs the highs by this much; what lies so far under the loudest is no speech."""
BRIGHTEST = 90.0
FULL_HZ, SKIRT_OCTAVES = (6000.0, 9000.0), 0.5
"""Lowered in full between these, and less and less down and up to half an octave from them."""
DEEPEST_DB, SHARE = 16.0, 0.9
SMOOTH, SOFT = 3, 3
TURNS_DB = (-3.0, 3.0)
"""By how much the highs outweigh the voice where a moment begins to count as an s, and where it does in full."""
AROUND = 1920
"""Frames that are needed beside a stretch."""
HEARD_DB = 1.0
SCALE = 2 / (SIZE * float(np.hanning(SIZE + 1)[:-1].sum()))
"""From a sum of squares of a transform to a mean square of sound."""
RESIDUE_DB = 1e-6
"""What a running mean leaves where there is nothing, by rounding: it changes no sample."""
AT_ONCE = 256
"""Windows that are transformed together: what a processor keeps near it."""


def threshold_of(heard: Heard) -> float | None:
    """How loud the highs of an s may be in dBFS; None where there are no vowels to tell it by."""
    if not heard.speaks:
        return None
    level = heard.level_db(50, 20_000)
    vowel = heard.level_db(*VOICED_HZ) > heard.level_db(*HISSING_HZ) + VOWEL_DB
    vowel &= level > np.percentile(level, 95) - ACTIVE_DB
    if vowel.sum() < 10:
        return None
    return float(np.percentile(heard.level_db(*BRIGHT_HZ)[vowel], BRIGHTEST)) + OVER_VOWELS_DB


def softened(sound: FloatArray, threshold_db: float | None, amount: float) -> tuple[FloatArray, Curve]:
    """The sound with its sharp s lowered, and by how many dB at its most in each 20 ms: shape (cells,).

    sound : shape (frames, channels), both of which are lowered alike. amount : 0 to 1. The first and last `AROUND`
    frames lack what lies beside them.
    """
    cells = -(-len(sound) // (CELL))
    if threshold_db is None:
        return sound, np.zeros(cells)
    padded = np.pad(sound, ((SIZE, 2 * SIZE), (0, 0)))
    window = np.sqrt(np.hanning(SIZE + 1)[:-1]).astype(np.float32)
    views = np.lib.stride_tricks.sliding_window_view(padded, SIZE, axis=0)[::HOP]
    mono = np.lib.stride_tricks.sliding_window_view(to_mono(padded), SIZE)[::HOP]
    over = _over(mono, window, threshold_db) * amount
    hot = np.flatnonzero(over > 0)
    if hot.size:
        weights = 1 - np.exp2(over[hot, None].astype(np.float32) * _shape())
        spectra = scipy.fft.rfft(views[hot] * window, axis=2) * weights[:, None, :]
        pieces = scipy.fft.irfft(spectra, SIZE, axis=2) * window * np.float32(HOP / float((window**2).sum()))
        taken = np.zeros((len(over) + 1, HOP, sound.shape[1]), np.float32)
        taken[hot] += pieces[:, :, :HOP].transpose(0, 2, 1)
        taken[hot + 1] += pieces[:, :, HOP:].transpose(0, 2, 1)
        sound = sound - taken.reshape(-1, sound.shape[1])[SIZE : SIZE + len(sound)]
    # The middle of window n lies at frame (n * HOP) - SIZE / 2 of the sound.
    first = SIZE // 2 // HOP
    moments = over[first : first + HOPS * cells]
    return sound, np.pad(moments, (0, HOPS * cells - moments.size)).reshape(cells, HOPS).max(axis=1)


def told(taken: Curve) -> str:
    """What it does in numbers, from what it takes where somebody talks."""
    sharp = taken[taken > HEARD_DB]
    if not sharp.size:
        return "takes nothing: no s is sharper than this voice is bright"
    return f"takes {np.median(sharp):.1f} dB of a sharp s, {sharp.max():.1f} dB at most"


def _over(windows: NDArray[np.float32], window: NDArray[np.float32], threshold_db: float) -> Curve:
    """By how many dB each moment is to be lowered in full. windows : shape (moments, SIZE), without their window."""
    bands = [slice(*np.searchsorted(HZ, band)) for band in (VOICED_HZ, HISSING_HZ, BRIGHT_HZ)]
    sums = np.zeros((3, len(windows)))
    bright = np.flatnonzero(_may_be_bright(windows, window, threshold_db))
    for first in range(0, bright.size, AT_ONCE):
        some = bright[first : first + AT_ONCE]
        spectra = scipy.fft.rfft(windows[some] * window, axis=1)
        power = spectra.real**2 + spectra.imag**2
        for row, inside in zip(sums, bands, strict=True):
            row[some] = power[:, inside].sum(axis=1, dtype=np.float64)
    smooth = scipy.ndimage.uniform_filter1d(sums * SCALE, SMOOTH, axis=1)
    voiced, hissing, highs = 10 * np.log10(np.maximum(smooth, 1e-14))
    low, high = TURNS_DB
    counts = np.clip((hissing - voiced - low) / (high - low), 0, 1)
    over = np.clip(highs - threshold_db, 0, DEEPEST_DB) * SHARE * counts
    soft = scipy.ndimage.uniform_filter1d(over, SOFT)
    return np.where(soft > RESIDUE_DB, soft, 0.0)


def _may_be_bright(windows: NDArray[np.float32], window: NDArray[np.float32], threshold_db: float) -> NDArray[np.bool_]:
    """Where the bright band may reach the threshold, and a moment beside that, since moments are smoothed.

    Told without a transform: the difference of neighbouring samples holds each frequency by 4 sin(w / 2) squared, so
    the bright band can be no stronger than all of it over that of its lowest frequency (Parseval).
    """
    least = 4 * np.sin(np.pi * BRIGHT_HZ[0] / RATE) ** 2
    most = kernels.powers_of_differences(windows, window) * (SCALE * SIZE / 2 / least)
    return np.asarray(scipy.ndimage.maximum_filter1d(most, 2 * SMOOTH - 1) > 10 ** (threshold_db / 10) * 0.99)


@cache
def _shape() -> NDArray[np.float32]:
    """By how many powers of two each bin is lowered for each dB that a moment is."""
    low, high = FULL_HZ
    octaves = np.log2(np.maximum(HZ, 1.0))
    inside = np.minimum(octaves - np.log2(low), np.log2(high) - octaves) / SKIRT_OCTAVES + 1
    return (np.clip(inside, 0, 1) * (-np.log2(10) / 20)).astype(np.float32)
