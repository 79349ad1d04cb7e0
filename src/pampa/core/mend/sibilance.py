"""Sharp S pressed down to the rest of the voice: a dynamic band from 4.5 to 11 kHz, split off with linear phase."""

from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.checkup.frames import Frames
from pampa.core.checkup.speech import Parts, usual_voice_db
from pampa.core.mend.fir import filtered, windowed_sinc
from pampa.core.sound import FloatArray, Segment, Source, to_mono

BAND_HZ = (4_500, 11_000)
REACH = 240
CELL = 96
"""Frames of one value of the gain: 2 ms."""
SLOW, SOFT = 5, 5
CONTEXT = 16 * CELL
UNDER_VOICE_DB = 12.0
DEEPEST_DB = 14.0


def usual_voice(frames: Frames, parts: Parts) -> float | None:
    """How strong the middle of the voice usually is in speech, as an amplitude; None where nobody speaks."""
    if not parts.active.any():
        return None
    return float(10 ** (usual_voice_db(frames, parts) / 20))


def with_softer_s(source: Source, segment: Segment, usual: float, amount: float) -> FloatArray:
    """One segment with its sharp S pressed down. usual : what `usual_voice` gave. amount : 0 to 1.

    At 1 the band is held 12 dB under the voice; nothing is lowered by more than 14 dB, and nothing where it is below.
    """
    if amount <= 0:
        return source.read(segment.start, segment.stop)
    first = segment.start // CELL * CELL - CONTEXT
    last = -(-segment.stop // CELL) * CELL + CONTEXT
    around, band = filtered(source, first, last, _band())
    inside = slice(segment.start - first, segment.stop - first)
    sound, high = around[inside], band.astype(np.float32)
    power = to_mono(high.astype(np.float64) ** 2).reshape(-1, CELL).mean(axis=1)
    level = 10 * np.log10(np.maximum(scipy.ndimage.convolve1d(power, np.full(SLOW, 1 / SLOW), mode="nearest"), 1e-16))
    over = np.clip(level - 20 * np.log10(usual) + UNDER_VOICE_DB, 0, DEEPEST_DB)
    if not over.any():
        return sound
    over = scipy.ndimage.convolve1d(over, np.full(SOFT, 1 / SOFT), mode="nearest")
    places = (np.arange(inside.start, inside.stop) + 0.5) / CELL - 0.5
    taken = 1 - 10 ** (-amount * np.interp(places, np.arange(over.size), over) / 20)
    return sound - taken.astype(np.float32)[:, None] * high[inside]


@cache
def _band() -> NDArray[np.float64]:
    return windowed_sinc(REACH, BAND_HZ)
