"""What lies under the voice: rumble cut off, and the thumps of breath on the microphone pressed down to speech.

Both split off the band below the voice with a filter of linear phase, so that the rest stays as it was.
"""

from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.checkup.frames import SIZE, Frames, mean_power
from pampa.core.checkup.speech import Parts, parts_of, usual_low_db
from pampa.core.mend.fir import filtered, windowed_sinc
from pampa.core.sound import RATE, FloatArray, Segment, Source, to_mono

REACH = RATE // 20
"""Half the length of the filters."""
THUMPS_BELOW_HZ = 105.0
OVER_USUAL = 1.7
"""The low band is held under so many times what it usually is."""
CELL = 240
"""Frames of one value of the gain: 5 ms."""
SLOW = 5
"""Cells that the level is taken over, 25 ms: more than a turn of the lowest thump heard."""
EARLY, SOFT = 4, 5
"""Cells that the gain is down before and after, and that it takes to get there."""
CONTEXT = 16 * CELL
LOWEST_HZ, HIGHEST_HZ, UNDER_VOICE = 40.0, 100.0, 0.75


def cut_below(source: Source, frames: Frames) -> float:
    """Where a low cut may lie for this voice, in Hz: three quarters of where its speech begins.

    The voice begins where its spectrum comes within 20 dB of its strongest and stands 6 dB over the room.
    """
    parts = parts_of(frames)
    if not parts.active.any():
        return LOWEST_HZ
    speech, room = (mean_power(source, where) for where in (parts.active, parts.quiet))
    bins = slice(round(LOWEST_HZ * SIZE / RATE), round(500 * SIZE / RATE))
    begins = (speech[bins] >= 0.01 * speech[bins].max()) & (speech[bins] >= 4 * room[bins])
    hz = (bins.start + int(np.argmax(begins))) * RATE / SIZE
    return float(np.clip(UNDER_VOICE * hz, LOWEST_HZ, HIGHEST_HZ))


def without_rumble(source: Source, segment: Segment, hz: float, amount: float) -> FloatArray:
    """One segment less what lies below `hz`. amount : 0 to 1, the share that goes."""
    if amount <= 0:
        return source.read(segment.start, segment.stop)
    sound, low = _low(source, segment.start, segment.stop, hz)
    return sound - np.float32(amount) * low


def usual_low(frames: Frames, parts: Parts) -> float | None:
    """How strong the low band usually is in speech, as an amplitude; None where nobody speaks."""
    if not parts.active.any():
        return None
    return float(10 ** (usual_low_db(frames, parts) / 20))


def without_plosives(source: Source, segment: Segment, usual: float, amount: float) -> FloatArray:
    """One segment with thumps pressed down. usual : what `usual_low` gave. amount : 0 to 1.

    Where the low band is not over what it usually is by far, samples stay as they are.
    """
    if amount <= 0:
        return source.read(segment.start, segment.stop)
    first = segment.start // CELL * CELL - CONTEXT
    last = -(-segment.stop // CELL) * CELL + CONTEXT
    around, low = _low(source, first, last, THUMPS_BELOW_HZ)
    inside = slice(segment.start - first, segment.stop - first)
    sound, taken = around[inside], 1 - _gain(low, OVER_USUAL * usual)
    if not taken.any():
        return sound
    places = (np.arange(inside.start, inside.stop) + 0.5) / CELL - 0.5
    share = amount * np.interp(places, np.arange(taken.size), taken)
    return sound - share.astype(np.float32)[:, None] * low[inside]


def _gain(low: FloatArray, limit: float) -> NDArray[np.float64]:
    """How much of the low band stays, for each cell."""
    power = to_mono(low.astype(np.float64) ** 2).reshape(-1, CELL).mean(axis=1)
    level = np.sqrt(np.maximum(_mean(power, SLOW), 1e-20))
    gain = np.minimum(1.0, limit / level)
    gain[gain > 0.9] = 1.0
    return _mean(scipy.ndimage.minimum_filter1d(gain, 2 * EARLY + 1, mode="nearest"), SOFT)


def _mean(values: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    """A moving average, each value summed by itself: a running sum would depend on where it began."""
    return scipy.ndimage.convolve1d(values, np.full(count, 1 / count), mode="nearest")


def _low(source: Source, first: int, last: int, hz: float) -> tuple[FloatArray, FloatArray]:
    """The sound, and what of it lies below `hz`."""
    return filtered(source, first, last, _low_pass(hz), np.float32)


@cache
def _low_pass(hz: float) -> NDArray[np.float64]:
    return windowed_sinc(REACH, hz, low=True)
