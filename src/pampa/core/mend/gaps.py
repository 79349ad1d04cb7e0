"""Drop-outs filled: gaps of digital zero in the middle of sound.

A gap of some milliseconds goes on as the sound around it does, by autoregressive interpolation (`prediction`). What
was said in a longer one is lost; the room is laid in its place, so that nobody hears the sound stop.
"""

from collections.abc import Iterator, Sequence

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.checkup.frames import HOP, Frames
from pampa.core.checkup.speech import drop_outs
from pampa.core.mend.patches import Patches
from pampa.core.mend.prediction import filled, predictor
from pampa.core.sound import RATE, FloatArray, Source

ORDER, AROUND = 720, 6000
"""The model reaches over a period of the lowest voice, 15 ms."""
FORETOLD = RATE // 40
"""25 ms: longer than this, a prediction has died away in the middle."""
TONE = RATE // 2
EDGE = RATE // 400
NOTHING_DB = -110.0


def filled_gaps(source: Source, frames: Frames, missing: Sequence[tuple[float, float]] = ()) -> Patches | None:
    """New sound for all drop-outs of a recording; None where it has none.

    frames : what was measured of it. missing : from where to where, in seconds, its file could not be read.
    """
    stretches = [(round(start * RATE), round(stop * RATE)) for start, stop in drop_outs(frames, missing)]
    if not stretches:
        return None
    return Patches.of(_fills(source, stretches, _tone(source, frames)), source.channels)


def _fills(source: Source, stretches: Sequence[tuple[int, int]], tone: FloatArray) -> Iterator[tuple[int, FloatArray]]:
    for start, stop in stretches:
        if stop - start <= FORETOLD:
            yield start, _foretold(source, start, stop)
        else:
            yield start - EDGE, _roomy(source, start - EDGE, stop + EDGE, tone)


def _foretold(source: Source, start: int, stop: int) -> FloatArray:
    sound: NDArray[np.float64] = source.read(start - AROUND, stop + AROUND).astype(np.float64)
    lost = np.arange(AROUND, AROUND + stop - start)
    for channel in range(sound.shape[1]):
        wave = sound[:, channel]
        model = predictor(wave, ORDER)
        # The gap itself has taught the model silence: the first filling teaches it again.
        for _ in range(2):
            wave[lost] = filled(wave, lost, model)
            model = predictor(wave, ORDER)
    return sound[lost].astype(np.float32)


def _roomy(source: Source, start: int, stop: int, tone: FloatArray) -> FloatArray:
    """The room, crossing over into what is left on either side."""
    length = stop - start
    laid = np.concatenate([tone, tone[::-1]])
    room = np.tile(laid, (-(-length // len(laid)), 1))[:length]
    share = np.clip(np.minimum(np.arange(length), np.arange(length)[::-1]) / EDGE, 0, 1)[:, None].astype(np.float32)
    return np.asarray(source.read(start, stop) * (1 - share) + room * share, np.float32)


def _tone(source: Source, frames: Frames) -> FloatArray:
    """The quietest half second of the recording that is not zero; what is shorter is given whole."""
    cells = TONE // HOP
    # What lies beside a gap is partly zero, and no room either.
    level = scipy.ndimage.maximum_filter1d(np.where(frames.level > NOTHING_DB, frames.level, np.inf), 3)
    if len(level) <= cells:
        return source.read(0, max(source.frames, 1))
    loudest = np.lib.stride_tricks.sliding_window_view(level, cells).max(axis=1)
    first = int(np.argmin(loudest)) * HOP
    return source.read(first, first + TONE)
