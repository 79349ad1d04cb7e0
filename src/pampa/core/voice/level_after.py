"""How loud a voice is after its chain, told from a few seconds of it: whoever moves a slider waits for the answer.

What a chain does to the level of a moment goes with that level above all, since a compressor takes more of what is
louder. So the change is not taken over from the seconds that are heard: its course over the level is, and each moment
of the whole recording is changed by what it says for its own. Source: the regression estimator of Cochran, Sampling
Techniques (1977), ch. 7.
"""

from collections.abc import Sequence

import numpy as np

from pampa.core.loudness.gating import to_energy
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import RATE, SEGMENT_S, Curve, Segment
from pampa.core.speech.level import SPEECH_GATE_LU, gated, moments

PLACES, PLACE_S = 2, 10
"""Nine voices with three recipes lie 0.1 LU off by these or by three places of 6 s; by other 12 to 18 s 0.2 to 0.3."""
SETTLE = RATE
"""Frames to either side of a place. To the last bit, stages need several times as many; to 0.01 dB, these will do."""
ORDER = 2
FEWEST = 20
"""Of so few moments no course can be told, and their mean stands for it."""
CELL = RATE // CELLS_PER_S


def places_of(activity: Curve, frames: int) -> list[Segment]:
    """Where a voice is heard for its level: all of it if it is short, or else, of each half of what is said, the 10
    seconds with most speech. None lies across two segments: what is mended is kept by those.

    activity : 0 to 1 for each 20 ms.
    """
    if frames <= PLACES * PLACE_S * RATE:
        return [Segment(0, 0, frames)] if frames else []
    said = np.concatenate([[0.0], np.cumsum(activity)])
    starts = np.arange(0, frames // RATE - PLACE_S + 1)
    starts = starts[starts % SEGMENT_S <= SEGMENT_S - PLACE_S]
    edges = np.minimum(np.stack([starts, starts + PLACE_S]) * CELLS_PER_S, said.size - 1)
    middle, here = said[edges].mean(axis=0), said[edges[1]] - said[edges[0]]
    found = []
    for half in range(PLACES):
        inside = np.where(middle * PLACES // max(said[-1], 1e-9) == half, here, -1.0)
        start = int(starts[np.argmax(inside)])
        found.append(Segment(half, start * RATE, (start + PLACE_S) * RATE))
    return found


def level_after(before: Curve, places: Sequence[Segment], after: Sequence[Curve]) -> float | None:
    """The loudness of the speech in a whole recording after its chain, in LUFS; None where nobody speaks.

    before : K-weighted mean square of each 20 ms before it. after : the same after it, at each of the places.
    """
    whole = moments(before)
    speech = gated(whole)
    if speech is None or not places:
        return speech
    if len(places) == 1 and after[0].size >= before.size:
        return gated(moments(after[0]))
    went_in = [moments(before[place.start // CELL :][: curve.size]) for place, curve in zip(places, after, strict=True)]
    came_out = [moments(curve)[: heard.size] for curve, heard in zip(after, went_in, strict=True)]
    heard, left = np.concatenate(went_in), np.concatenate(came_out)
    told = (heard > to_energy(speech - SPEECH_GATE_LU)) & (left > 0)
    if not told.any():
        return speech
    levels, heard, left = _db(heard[told]), heard[told], left[told]
    course = np.polynomial.Polynomial.fit(
        levels, _db(left) - levels, ORDER if told.sum() >= FEWEST else 0, w=np.sqrt(heard)
    )
    missing = left.sum() / (heard * 10 ** (course(levels) / 10)).sum()
    change = course(np.clip(_db(np.maximum(whole, 1e-14)), levels.min(), levels.max()))
    return gated(whole * missing * 10 ** (change / 10))


def _db(power: Curve) -> Curve:
    return np.asarray(10 * np.log10(power))
