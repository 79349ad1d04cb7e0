"""What marks beats that begin a bar: harmony that changes, and a bass or drum that is struck.

That bars begin where chords change and basses are struck: M. Goto, An audio-based real-time beat tracking system for
music with or without drum-sounds, Journal of New Music Research 30(2), 2001.
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.music.onsets import BACK, Onsets
from pampa.core.sound import Curve

METERS = (4, 3)
OF_HARMONY, OF_LOWS = 0.2, 0.2
"""What is loud besides tells nothing: in much music the loudest drum stands on the second beat and the fourth."""
NEAR = 7
"""Hops around a beat in which what it carries is looked for."""
SONE = 0.03
"""Loudness grows as the 0.3th power of power: ten to so many times the level in dB."""
OF_THREE = 0.8
"""Most music is in four: what speaks for three counts a little less."""


def bars_told(onsets: Onsets, hops: NDArray[np.int64]) -> list[tuple[float, int, int]]:
    """For each meter and each first beat, how well its bars stand out (0 to 0.4), the meter, and the first beat."""
    tones, low = tones_of(onsets, hops), strongest(onsets.low, hops)
    told = []
    for meter in METERS:
        accents = [(OF_HARMONY, harmony_changes(tones, meter)), (OF_LOWS, low)]
        share = OF_THREE if meter == 3 else 1.0
        for first in range(meter if hops.size >= 2 * meter else 0):
            stand = sum(weight * stands_out(curve, meter, first) for weight, curve in accents)
            told.append((stand * share, meter, first))
    return told


def strongest(curve: Curve, hops: NDArray[np.int64]) -> Curve:
    """The most of a curve near each beat."""
    return np.asarray(scipy.ndimage.maximum_filter1d(curve, NEAR)[hops])


def louder(onsets: Onsets, octaves: slice) -> Curve:
    """By how much some octaves together get louder from one hop to the next but one, as loudness is heard.

    Loudness grows with the 0.3th power of power: S. S. Stevens, On the psychophysical law, Psychological Review 64,
    1957. Unlike `Onsets.strength`, which is in dB, it tells a drum from what is soft but begins out of silence.
    """
    loud = 10 ** (SONE * onsets.octaves_db[:, octaves].astype(np.float64))
    rises = np.zeros(len(loud))
    rises[BACK:] = np.maximum(loud[BACK:] - loud[:-BACK], 0).sum(axis=1)
    return rises


def tones_of(onsets: Onsets, hops: NDArray[np.int64]) -> NDArray[np.float64]:
    """The twelve tones of each beat until the next, of length 1: shape (beats, 12)."""
    edges = np.append(hops, onsets.tones.shape[0]).tolist()
    sums = np.zeros((hops.size, 12))
    for n in range(hops.size):
        sums[n] = np.sqrt(onsets.tones[edges[n] : max(edges[n + 1], edges[n] + 1)]).sum(axis=0)
    return sums / np.maximum(np.linalg.norm(sums, axis=1, keepdims=True), 1e-9)


def harmony_changes(tones: NDArray[np.float64], meter: int) -> Curve:
    """How other the tones of the bar that would begin at each beat are than those of the bar before it.

    Over whole bars, since a bass that goes to and fro within one changes nothing: J. Foote, Automatic audio
    segmentation using a measure of audio novelty, ICME 2000.
    """
    count = len(tones)
    total = np.concatenate([np.zeros((1, 12)), np.cumsum(tones, axis=0)])
    here = np.arange(count)
    after = total[np.minimum(here + meter, count)] - total[here]
    before = total[here] - total[np.maximum(here - meter, 0)]
    lengths = np.linalg.norm(after, axis=1) * np.linalg.norm(before, axis=1)
    alike = np.einsum("ij,ij->i", after, before) / np.maximum(lengths, 1e-9)
    changes = 1 - alike
    changes[:1] = 0.0
    return changes


def stands_out(curve: Curve, every: int, first: int) -> float:
    """How far one row of beats explains a curve over all beats: their correlation."""
    row = np.zeros(curve.size)
    row[first::every] = 1.0
    row -= row.mean()
    spread = float(np.linalg.norm(curve - curve.mean()) * np.linalg.norm(row))
    return float((curve - curve.mean()) @ row) / spread if spread > 1e-9 else 0.0
