"""Breaths between sentences: broad, soft, without a voice, and after a moment of nothing.

Against a steady fan a breath stands out by two decibels only, and in the parts of the spectrum that the fan leaves. So
every part is measured by the room's own level in it, and the mean over a tenth of a second shows the breath: the power
of noise in so broad a band hardly wavers. This is the energy detector behind a whitening filter (Kay, Fundamentals of
Statistical Signal Processing II, 1998, chapter 5).
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.runs import runs_of
from pampa.core.speech.activity import Activity
from pampa.core.speech.detector import Bools, room_db
from pampa.core.speech.features import PER_S, Features, Matrix

SMOOTH, SHARP = 9, 3
OVER_ROOM_DB, WAVERS = (0.8, 1.6), 5.0
"""The least that a breath stands over the room, within these bounds: so many times as much as the room wavers."""
QUIET_DB, MAD, NOTHING = 3.0, 1.4826, 1e-12
UNDER_TOP_DB, UNDER_AIR_DB = 9.0, 13.0
"""A breath is softer than voices, and softer than the s and f of the same mouth."""
VOICE_OVER_FLOOR_DB, VOICE_OVER_AIR_DB = 5.0, 2.0
SHORTEST, LONGEST, PAUSE, BRIDGE = (round(seconds * PER_S) for seconds in (0.2, 1.0, 0.04, 0.03))
LEAK_DB = 4.0
SOFT = 8
"""Frames by which a breath may begin sooner and end later, softly."""
UNHEARD = 2
"""Frames in which it cannot be told from the room yet."""

Runs = NDArray[np.int64]
Breaths = tuple[Runs, NDArray[np.float64]]
"""Where one person breathes: frames, shape (breaths, 2); and how many dB each stands over the room."""


def find_breaths(features: Features, activity: Activity, keen: float = 1.0) -> Breaths:
    """The breaths in one recording. keen : under 1, what stands over the room by less is taken for one, too."""
    if not features.frames:
        return np.zeros((0, 2), np.int64), np.zeros(0)
    over, sharp = over_room(features.parts), over_room(features.parts, SHARP)
    least = keen * float(np.clip(WAVERS * _waver(over), *OVER_ROOM_DB))
    air, voice = scipy.ndimage.uniform_filter1d(features.air, SMOOTH), scipy.ndimage.uniform_filter1d(features.voice, 3)
    open_ = activity.leak < activity.floor_db + LEAK_DB
    airy = over > least
    # What hum and fan have in each band is left out before the two are compared.
    voice_floor = room_db(voice)
    low, high = (10 * np.log10(np.maximum(10 ** (band / 10) - 10 ** (under / 10), 1e-12))
                 for band, under in ((voice, voice_floor), (air, room_db(air))))  # fmt: skip
    voiced = (voice > voice_floor + VOICE_OVER_FLOOR_DB) & (low > high - VOICE_OVER_AIR_DB)
    voiced |= activity.level > activity.top_db - UNDER_TOP_DB
    breathing = airy & ~voiced & open_
    loudest = float(np.percentile(air, 97)) - UNDER_AIR_DB
    found, heights = [], []
    anything, faint = airy | voiced, (over > least / 2) & ~voiced & open_
    for first, last in runs_of(breathing, bridge=BRIDGE).tolist():
        first, last = _reaching(faint, first, last)
        alone = not anything[max(first - PAUSE, 0) : first].any()
        if alone and SHORTEST <= last - first <= LONGEST and np.median(air[first:last]) < loudest:
            heights.append(float(np.median(over[first:last])))
            first, last = _without_blur(sharp > least / 2, first, last)
            found.append((max(first - UNHEARD, 0), last))
    return np.array(found, np.int64).reshape(-1, 2), np.array(heights)


def _reaching(faint: Bools, first: int, last: int) -> tuple[int, int]:
    """A run with its soft beginning and end."""
    soonest, latest = max(first - SOFT, 0), min(last + SOFT, faint.size)
    while first > soonest and faint[first - 1]:
        first -= 1
    while last < latest and faint[last]:
        last += 1
    return first, last


def _without_blur(there: Bools, first: int, last: int) -> tuple[int, int]:
    """A run without the frames at its ends in which only the evening over a tenth of a second lets it be."""
    begun, ended = there[first : first + SMOOTH // 2], there[last - SMOOTH // 2 : last][::-1]
    return (
        first + (int(np.argmax(begun)) if begun.any() else begun.size),
        last - (int(np.argmax(ended)) if ended.any() else ended.size),
    )


def over_room(parts: Matrix, smooth: int = SMOOTH) -> Matrix:
    """How many dB the air stands over the room, every part of the spectrum measured by the room's own: (frames,)."""
    power = scipy.ndimage.uniform_filter1d(10 ** (parts / 10), smooth, axis=0)
    rooms = [10 ** (room_db(10 * np.log10(part + NOTHING)) / 10) for part in power.T]
    over = 10 * np.log10((power / np.array(rooms, np.float32)).mean(axis=1) + NOTHING)
    return np.asarray(over - max(room_db(over), 0), np.float32)


def _waver(over: Matrix) -> float:
    """By how many dB the room itself rises and falls: the spread between moments that share nothing."""
    steps = np.abs(over[SMOOTH:] - over[:-SMOOTH])[over[SMOOTH:] < QUIET_DB]
    return float(np.median(steps)) * MAD / np.sqrt(2) if steps.size else 0.0
