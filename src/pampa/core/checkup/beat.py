"""The tempo of music, in beats per minute.

Onset strength from spectral flux, its autocorrelation, and a preference for tempi that people tap to, as in
D. P. W. Ellis, "Beat Tracking by Dynamic Programming", Journal of New Music Research 36(1), 2007; the period is
then read from its eighth multiple, which is eight times as exact.
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.sound import RATE, Source, to_mono

HOP = RATE // 200
SIZE = 2048
BANDS = 32
LONGEST_S, SHORTEST_S = 120, 6
SLOWEST_BPM, FASTEST_BPM = 50.0, 200.0
LIKED_BPM, OCTAVES = 110.0, 1.0
MULTIPLES = 8
CLEAR = 0.18
ABOVE_CHANCE = 3.5


def tempo(source: Source) -> float | None:
    """Beats per minute (50 to 200) of music at 48 kHz, or None where no steady beat is heard.

    At most two minutes from the middle are looked at; music shorter than six seconds has no tempo.
    """
    frames = min(source.frames, LONGEST_S * RATE)
    if frames < SHORTEST_S * RATE:
        return None
    begin = (source.frames - frames) // 2
    strength = onset_strength(to_mono(source.read(begin, begin + frames)))
    likeness = _autocorrelation(strength)
    if likeness is None:
        return None
    per_min = 60.0 * RATE / HOP
    first, last = int(per_min / FASTEST_BPM), int(np.ceil(per_min / SLOWEST_BPM))
    lags = np.arange(first, last + 1)
    liked = np.exp(-0.5 * (np.log2(per_min / lags / LIKED_BPM) / OCTAVES) ** 2)
    # A beat comes again at its multiples; what is only one echo of a long phrase does not.
    again = np.mean([_around(likeness, lags * number) for number in (1, 2, 3, 4)], axis=0)
    best = int(lags[np.argmax(again * liked)])
    looked_at = likeness[first : 4 * last]
    chance = 1.4826 * np.median(np.abs(looked_at - np.median(looked_at)))
    if again[best - first] < max(CLEAR, ABOVE_CHANCE * chance):
        return None
    return round(float(per_min / _refined(likeness, best)), 1)


def onset_strength(sound: NDArray[np.floating]) -> NDArray[np.float64]:
    """How much begins in each 5 ms: the rises of level in 32 bands, their local mean taken out. Shape (hops,)."""
    hops = max((len(sound) - SIZE) // HOP, 1)
    edges = np.unique(np.round(np.geomspace(60.0, 12000.0, BANDS + 1) * SIZE / RATE).astype(int))
    window = np.hanning(SIZE).astype(np.float32)
    padded = np.pad(sound, (0, max(hops * HOP + SIZE - len(sound), 0)))
    levels = np.empty((hops, edges.size - 1))
    for first in range(0, hops, 2000):
        places = np.arange(first, min(first + 2000, hops)) * HOP
        pieces = np.stack([padded[at : at + SIZE] for at in places]) * window
        power = np.abs(scipy.fft.rfft(pieces, axis=1)) ** 2
        levels[first : first + places.size] = np.add.reduceat(power, edges[:-1], axis=1)[:, : edges.size - 1]
    loud = 10 * np.log10(np.maximum(levels, levels.max() * 1e-6 + 1e-20))
    rises = np.maximum(loud[2:] - loud[:-2], 0).mean(axis=1)
    rises = np.concatenate([[0.0, 0.0], rises])
    near = np.convolve(rises, np.ones(200) / 200, "same")
    return np.convolve(rises - near, np.hanning(9) / np.hanning(9).sum(), "same")


def _autocorrelation(strength: NDArray[np.float64]) -> NDArray[np.float64] | None:
    """Likeness of the onsets with themselves later, 1 at lag 0, each lag over what overlaps there."""
    count = strength.size
    if not strength.any():
        return None
    size = scipy.fft.next_fast_len(2 * count)
    spectrum = scipy.fft.rfft(strength, size)
    raw = scipy.fft.irfft(np.abs(spectrum) ** 2, size)[:count]
    return raw / raw[0] * (count / np.maximum(count - np.arange(count), count // 4))


def _around(likeness: NDArray[np.float64], lags: NDArray[np.int64]) -> NDArray[np.float64]:
    """The highest likeness within a hop of each lag; nothing beyond the end."""
    lags = np.minimum(lags, likeness.size - 2)
    return np.maximum(np.maximum(likeness[lags - 1], likeness[lags]), likeness[lags + 1])


def _refined(likeness: NDArray[np.float64], lag: int) -> float:
    """The period in hops, exact to a fraction: each multiple is sought around what the ones before it say."""
    period = _peak(likeness, lag, 2)
    for number in range(2, MULTIPLES + 1):
        place = period * number
        if place + 4 >= likeness.size:
            break
        found = _peak(likeness, round(place), 2)
        if abs(found - place) > 2 or likeness[round(found)] < CLEAR / 2:
            break
        period = found / number
    return period


def _peak(likeness: NDArray[np.float64], around: int, reach: int) -> float:
    low = max(around - reach, 1)
    best = low + int(np.argmax(likeness[low : around + reach + 1]))
    a, b, c = likeness[best - 1], likeness[best], likeness[best + 1]
    bend = a - 2 * b + c
    return best + (0.5 * (a - c) / bend if bend < 0 else 0.0)
