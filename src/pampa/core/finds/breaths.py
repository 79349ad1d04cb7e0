"""Breaths between sentences: broad, soft, without a voice, and after a moment of nothing.

Against a steady fan a breath stands out by two decibels only. It is the mean over a tenth of a second that shows it:
the power of noise in so broad a band hardly wavers.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from pampa.core.checkup.speech import runs_of
from pampa.core.finds.activity import Activity, Bools, floor_of
from pampa.core.finds.features import PER_S, Features, Matrix

SMOOTH = 9
OVER_FLOOR_DB, UNDER_TOP_DB = 1.6, 9.0
VOICE_OVER_FLOOR_DB, VOICE_OVER_AIR_DB = 5.0, 2.0
SHORTEST_S, LONGEST_S = 0.2, 1.0
BRIDGE_S, PAUSE_S = 0.03, 0.04
LEAK_DB, LOUDER_DB = 4.0, 10.0
TAIL_S, TAIL_DB = 0.3, 4.0
SOFT = 8
"""Frames by which a breath may begin sooner, softly."""
UNHEARD = 2
"""Frames in which it cannot be told from the room yet."""

Runs = NDArray[np.int64]
Breaths = tuple[Runs, NDArray[np.float64]]
"""Where one person breathes: frames, shape (breaths, 2); and how many dB each stands over the room."""


def find_breaths(features: Features, activity: Activity) -> Breaths:
    """The breaths in one recording."""
    air = uniform_filter1d(features.air, SMOOTH) if features.frames else features.air
    voice = uniform_filter1d(features.voice, 3) if features.frames else features.voice
    floor, voice_floor = floor_of(air), floor_of(voice)
    open_ = activity.leak < activity.floor_db + LEAK_DB
    airy = air > floor + OVER_FLOOR_DB
    # What hum and fan have in each band is left out before the two are compared.
    low, high = (10 * np.log10(np.maximum(10 ** (band / 10) - 10 ** (under / 10), 1e-12))
                 for band, under in ((voice, voice_floor), (air, floor)))  # fmt: skip
    voiced = (voice > voice_floor + VOICE_OVER_FLOOR_DB) & (low > high - VOICE_OVER_AIR_DB)
    voiced |= activity.level > activity.top_db - UNDER_TOP_DB
    breathing = airy & ~voiced & open_
    found, heights = [], []
    for begin, last in runs_of(breathing, bridge=round(BRIDGE_S * PER_S)).tolist():
        first = begin if _after_pause(airy | voiced, begin) else _after_tail(air[begin:last], begin)
        if first is not None and SHORTEST_S * PER_S <= last - first <= LONGEST_S * PER_S:
            while first > max(begin - SOFT, 0) and air[first - 1] > floor + OVER_FLOOR_DB / 2:
                first -= 1
            found.append((max(first - UNHEARD, 0), last))
            heights.append(float(np.median(air[first:last]) - floor))
    return np.array(found, np.int64).reshape(-1, 2), np.array(heights)


def own_breaths(n: int, breaths: Sequence[Breaths], features: Sequence[Features]) -> Breaths:
    """The breaths of person n that are not somebody else's, heard louder in their own microphone."""
    runs, heights = breaths[n]
    kept = [not any(_louder(features[k], features[n], run) for k in range(len(features)) if k != n) for run in runs]
    where = np.array(kept, bool)
    return runs[where], heights[where]


def _louder(other: Features, own: Features, run: NDArray[np.int64]) -> bool:
    here = slice(int(run[0]), int(run[1]))
    theirs = other.air[here]
    return bool(theirs.size and np.median(theirs) > np.median(own.air[here]) + LOUDER_DB)


def _after_tail(air: Matrix, begin: int) -> int | None:
    """Where a breath rises out of what the room still has of the words before; None if nothing does."""
    low = int(np.argmin(air[: round(TAIL_S * PER_S)]))
    rises = low > 0 and float(np.percentile(air[low:], 70) - air[low]) >= TAIL_DB
    return begin + low if rises else None


def _after_pause(anything: Bools, first: int) -> bool:
    before = anything[max(first - round(PAUSE_S * PER_S), 0) : first]
    return not before.any()
