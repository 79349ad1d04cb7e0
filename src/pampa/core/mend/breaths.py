"""Breaths between sentences: found by their breadth and softness, lowered, never cut, and never within a word.

A breath has hardly anything where voices are strongest, stands over the room above 1 kHz, lasts a moment, and comes
after a pause.
"""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from pampa.core.checkup.speech import runs_of
from pampa.core.executor import Executor, Inline
from pampa.core.mend.spectra import HOP, SIZE, edges, powers, spectra
from pampa.core.sound import RATE, FloatArray, Segment, Source, segments

PER_S = RATE / HOP
VOICE_HZ, BREATH_HZ = (100, 900), (1_000, 7_000)
SMOOTH, BRIDGE = 5, 3
SHORTEST_S, LONGEST_S = 0.24, 1.1
OVER_FLOOR_DB, UNDER_SPEECH_DB = 3.5, 3.0
VOICED_DB = -17.0
PAUSE_S = 0.05
DEEPEST_DB = 24.0
FADE = RATE // 50
CLEAR = 2


Places = NDArray[np.int64]
"""Where breaths begin and end, in frames: shape (breaths, 2), in order."""


def find_breaths(source: Source, executor: Executor | None = None) -> Places:
    """The breaths of a whole recording."""
    found = _breaths(source, executor)
    return np.array(found, np.int64).reshape(-1, 2) * HOP


def _breaths(source: Source, executor: Executor | None) -> list[tuple[int, int]]:
    """First and last frame of spectra of each breath."""
    rows = list((executor or Inline()).map(lambda segment: _bands(source, segment), segments(source.frames)))
    if not rows:
        return []
    voice, air = (
        uniform_filter1d(10 * np.log10(np.concatenate(band) + 1e-14), SMOOTH) for band in zip(*rows, strict=True)
    )
    if air.size < PER_S:
        return []
    sounding = air > -120
    if sounding.sum() < PER_S:
        return []
    voice_floor, voice_top = np.percentile(voice[sounding], [10, 92])
    air_floor, air_top = np.percentile(air[sounding], [10, 92])
    voiced = voice > max(voice_top + VOICED_DB, voice_floor + 6)
    quiet = (air < air_floor + OVER_FLOOR_DB) & ~voiced
    breathing = ~voiced & ~quiet & (air < air_top - UNDER_SPEECH_DB)
    found = []
    for first, last in runs_of(breathing, bridge=BRIDGE):
        if not SHORTEST_S * PER_S <= last - first <= LONGEST_S * PER_S:
            continue
        near = round(PAUSE_S * PER_S)
        before = quiet[max(first - near, 0) : first]
        if before.size and before.mean() > 0.6:
            found.append((int(first) - CLEAR, int(last) + CLEAR))
    return found


def with_softer_breaths(source: Source, segment: Segment, breaths: Places, amount: float) -> FloatArray:
    """One segment with its breaths lowered. amount : 0 to 1, of 24 dB."""
    sound = source.read(segment.start, segment.stop)
    here = breaths[(breaths[:, 0] - FADE < segment.stop) & (breaths[:, 1] + FADE > segment.start)]
    if amount <= 0 or not len(here):
        return sound
    share = np.zeros(len(sound))
    places = np.arange(segment.start, segment.stop)
    for start, stop in here:
        ramp = np.minimum(places - start + FADE, stop + FADE - places) / FADE
        share = np.maximum(share, np.clip(ramp, 0, 1))
    gain = 10 ** (-DEEPEST_DB * amount * share / 20)
    return sound * gain.astype(np.float32)[:, None]


def _bands(source: Source, segment: Segment) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Power of the voice band and of the breath band for each frame of a segment."""
    power = powers(spectra(source, -(-segment.start // HOP), -(-segment.stop // HOP))) * np.diff(edges())
    centres = edges()[:-1] * RATE / SIZE
    return tuple(power[:, (centres >= low) & (centres < high)].sum(axis=1) for low, high in (VOICE_HZ, BREATH_HZ))
