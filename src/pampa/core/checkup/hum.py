"""Hum of the mains: its exact frequency, and how loud each harmonic stands over its surroundings."""

from dataclasses import dataclass
from functools import partial

import numpy as np
import scipy
import soxr
from numpy.typing import NDArray

from pampa.core.executor import Executor, Inline
from pampa.core.sound import RATE, Segment, Source, segments, to_mono

WORK_RATE = 2_000
WINDOW_S = 8
SHORTEST_S = 3
MOST_SEGMENTS = 120
"""Forty minutes, spread over the whole, tell the hum of any length."""
SIZE = WORK_RATE * WINDOW_S * 2
"""Twice the window: bins of 1/16 Hz, between which a parabola finds the top."""
HARMONICS = 10
STANDS_OUT_DB = 9.0
FAMILIES = (50.0, 60.0)
REACH_HZ = 0.6


@dataclass(frozen=True)
class Hum:
    """fundamental in Hz; harmonics that stand out: (number, level in dBFS); level_dbfs: all of them together."""

    hz: float
    level_dbfs: float
    harmonics: tuple[tuple[int, float], ...]


def find_hum(source: Source, executor: Executor | None = None) -> Hum | None:
    """The hum of a recording, or None. Voices wander and are left out by the median over windows of 8 s."""
    # A recording shorter than a window is one window.
    window_s = min(WINDOW_S, source.frames / RATE)
    if window_s < SHORTEST_S:
        return None
    grid = [s for s in segments(source.frames) if s.stop - s.start >= int(window_s * RATE)]
    if len(grid) > MOST_SEGMENTS:
        grid = [grid[n] for n in np.linspace(0, len(grid) - 1, MOST_SEGMENTS).astype(int)]
    spectra = list((executor or Inline()).map(partial(_spectra, source, window_s), grid))
    if not spectra:
        return None
    power = np.quantile(np.concatenate(spectra), 0.3, axis=0, overwrite_input=True).astype(np.float64)
    found = [hum for family in FAMILIES if (hum := _of_family(power, family))]
    return max(found, key=lambda hum: hum.level_dbfs, default=None)


def _spectra(source: Source, window_s: float, segment: Segment) -> NDArray[np.float32]:
    """Power of sines in windows of one segment: shape (windows, bins), mean square of a sine in its bin."""
    sound = to_mono(source.read(segment.start, segment.stop))
    low = soxr.resample(sound, RATE, WORK_RATE, quality="HQ")
    length = int(window_s * WORK_RATE)
    window = np.hanning(length)
    rows = [low[at : at + length] * window for at in range(0, len(low) - length + 1, length // 2)]
    power = 2 * np.abs(scipy.fft.rfft(np.array(rows), SIZE, axis=1)) ** 2 / window.sum() ** 2
    return power.astype(np.float32)


def _of_family(power: NDArray[np.float64], family: float) -> Hum | None:
    candidates = family + np.arange(-REACH_HZ, REACH_HZ, 0.005)
    scores = np.zeros(candidates.size)
    over = _over_surroundings(power)
    bins = np.arange(over.size)
    for number in range(1, HARMONICS + 1):
        at = np.interp(number * candidates * SIZE / WORK_RATE, bins, over)
        scores += np.clip(at, 0, 30)
    hz = float(candidates[np.argmax(scores)])
    heights = []
    for number in range(1, HARMONICS + 1):
        centre = round(number * hz * SIZE / WORK_RATE)
        top = centre - 1 + int(np.argmax(power[centre - 1 : centre + 2]))
        if over[top] >= STANDS_OUT_DB:
            heights.append((number, float(10 * np.log10(power[top])), top))
    # Hum has a bottom; tones that happen to lie on higher multiples alone are something else.
    alone = len(heights) == 1 and over[heights[0][2]] < 2 * STANDS_OUT_DB
    if not heights or heights[0][0] > 3 or alone:
        return None
    level = 10 * np.log10(sum(10 ** (db / 10) for _, db, _ in heights))
    return Hum(_refined(power, hz, heights), float(level), tuple((number, round(db, 1)) for number, db, _ in heights))


def _refined(power: NDArray[np.float64], hz: float, heights: list[tuple[int, float, int]]) -> float:
    """The fundamental from the tops of all harmonics, the higher ones telling it more exactly."""
    places, weights = [], []
    for number, db, top in heights:
        left, middle, right = np.log(power[top - 1 : top + 2])
        bend = left - 2 * middle + right
        offset = 0.5 * (left - right) / bend if bend < 0 else 0.0
        place = (top + offset) * WORK_RATE / SIZE / number
        if abs(place - hz) < 0.1:
            places.append(place)
            weights.append(number**2 * 10 ** (min(db + 80, 40) / 20))
    return round(float(np.average(places, weights=weights)), 3) if places else round(hz, 2)


def _over_surroundings(power: NDArray[np.float64]) -> NDArray[np.float64]:
    """Each bin in dB over the median of the 6 Hz around it."""
    from scipy.ndimage import median_filter

    db = 10 * np.log10(np.maximum(power, 1e-20))
    return db - median_filter(db, size=6 * SIZE // WORK_RATE, mode="nearest")
