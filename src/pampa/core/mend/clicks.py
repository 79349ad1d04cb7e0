"""Clicks of the mouth and of wires, found and taken out of the band they lie in.

What a short-time prediction cannot foretell stands out (Godsill & Rayner 1998, ch. 5). A click is where that error is
alone: voices repeat it with every pulse, and consonants keep it up for longer. A long one is repaired above 1.5 kHz
only, where clicks of the mouth lie, a short one in all bands, by autoregressive interpolation.
"""

from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.executor import Executor, Inline
from pampa.core.mend import kernels
from pampa.core.mend.fir import filtered, windowed_sinc
from pampa.core.mend.patches import Patches
from pampa.core.mend.prediction import filled, predictor
from pampa.core.sound import RATE, FloatArray, Segment, Source, segments, to_mono

SPLIT_HZ = 1_500
REACH = 480
"""Half the length of the filter that splits the bands."""
CELL = 24
"""Frames of one value of the error curve: 0.5 ms."""
ORDER, BLOCK = 32, RATE // 40
REPAIR_ORDER = 64
AROUND = 960
"""Frames on either side that a repair learns from."""
LONGEST_S, SHORT_S = 0.0065, 0.0015
BESIDE_S, FAR_S = 0.0045, 0.03
OVER_BESIDE_DB, OVER_ROOM_DB = 8.0, 12.0
LONGER_DB, SHORTEST_SAID_S = 2.0, 0.0015
"""So many dB more for each ms over 1.5 ms."""
EDGE_DB = 10.0
MARGIN = RATE // 20


@dataclass(frozen=True)
class Click:
    """A stretch of frames with a click in it, and by how many dB it stands over what is around."""

    start: int
    stop: int
    over_db: float


def find_clicks(source: Source, executor: Executor | None = None) -> list[Click]:
    """The clicks of a whole recording, in order."""
    found = (executor or Inline()).map(lambda segment: _in_segment(source, segment), segments(source.frames))
    return [click for part in found for click in part]


def repaired(source: Source, clicks: list[Click]) -> Patches:
    """Patches that take the clicks out."""
    return Patches.of(((click.start, _repaired(source, click)) for click in clicks), source.channels)


def _in_segment(source: Source, segment: Segment) -> list[Click]:
    first, last = segment.start - MARGIN, segment.stop + MARGIN
    high = to_mono(filtered(source, first, last, _upper())[1])
    error = kernels.prediction_error(high, BLOCK, ORDER)
    curve = np.abs(error[: len(error) // CELL * CELL].reshape(-1, CELL)).max(axis=1) + 1e-9
    return [
        Click(first + a * CELL, first + b * CELL, over)
        for a, b, over in _alone(20 * np.log10(curve))
        if segment.start <= first + a * CELL < segment.stop
    ]


def _alone(curve: NDArray[np.float64]) -> list[tuple[int, int, float]]:
    """Peaks of the error curve in dB that stand over both sides: first and last cell, and by how much."""
    per_s = RATE / CELL
    beside, far, longest = (round(seconds * per_s) for seconds in (BESIDE_S, FAR_S, LONGEST_S))
    room = scipy.ndimage.percentile_filter(curve, 50, 2 * far + 1, mode="nearest")
    size = far - beside
    side = scipy.ndimage.maximum_filter1d(curve, size, mode="nearest")
    # The loudest of the error from BESIDE to FAR away, before and after.
    reach = beside + size // 2
    before, after = np.roll(side, reach + 1), np.roll(side, -reach)
    over = curve - np.maximum(before, after)
    top = curve >= scipy.ndimage.maximum_filter1d(curve, 2 * beside + 1, mode="nearest")
    found: list[tuple[int, int, float]] = []
    for cell in np.flatnonzero(top & (over > OVER_BESIDE_DB) & (curve - room > OVER_ROOM_DB)):
        edge = max(curve[cell] - 30.0, max(before[cell], after[cell]) - EDGE_DB / 2, room[cell] + 3)
        a, b = cell, cell + 1
        while a > 0 and curve[a - 1] > edge and cell - a < longest:
            a -= 1
        while b < curve.size and curve[b] > edge and b - cell < longest:
            b += 1
        # The longer it is, the more it must stand out: consonants are longer than clicks.
        enough = OVER_BESIDE_DB + LONGER_DB * max((b - a) / per_s - SHORTEST_SAID_S, 0) * 1000
        if b - a <= longest + 1 and over[cell] > enough and (not found or a > found[-1][1]):
            found.append((int(a) - 1, int(b) + 1, float(over[cell])))
    return found


def _repaired(source: Source, click: Click) -> FloatArray:
    first, last = click.start - AROUND, click.stop + AROUND
    short = click.stop - click.start <= SHORT_S * RATE
    plain, high = filtered(source, first, last, _upper())
    sound = plain.astype(np.float64)
    band = sound if short else high
    out = sound[AROUND:-AROUND].copy()
    lost = np.arange(AROUND, AROUND + click.stop - click.start)
    for channel in range(sound.shape[1]):
        wave = band[:, channel]
        model = predictor(np.concatenate([wave[: lost[0]], wave[lost[-1] + 1 :]]), REPAIR_ORDER)
        out[:, channel] += filled(wave, lost, model) - wave[lost]
    return out.astype(np.float32)


@cache
def _upper() -> NDArray[np.float64]:
    """A high-pass with linear phase: shape (2 * REACH + 1,)."""
    return windowed_sinc(REACH, SPLIT_HZ)
