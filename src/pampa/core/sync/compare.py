"""A reference and a recording side by side: to be seen and heard at one place, as a clock puts them."""

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import FloatArray, Source, db_to_gain, to_mono
from pampa.core.sync.align import Alignment
from pampa.core.sync.clock import Clock
from pampa.core.sync.clocked import clocked

Way = Literal["both", "ears", "difference"]
HEARD_DBFS = -23.0
QUIETEST = 1e-5


def side_by_side(
    reference: Source, local: Source, clock: Clock, *, at_s: float, seconds: float
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Both as mono from `at_s` of the reference on, each shape (frames,); silence where one has no sound."""
    frames = round(seconds * reference.rate)
    start = round(at_s * reference.rate)
    there = round((at_s - clock.offset_s) * local.rate)
    one = to_mono(reference.read(start, start + frames))
    other = to_mono(clocked(local, clock.drift_ppm).read(there, there + frames))
    return one, other


def places_to_look(found: Alignment, reference_s: float, local_s: float, width_s: float) -> tuple[float, ...]:
    """Three windows of the reference's time: near the start, the middle and the end of what both hold.

    Of the measured places around there, the clearest; where few were measured, just there.
    """
    first = max(found.clock.to_reference(0.0), 0.0)
    last = min(found.clock.to_reference(local_s) + sum(cut.jump_s for cut in found.breaks), reference_s)
    span = max(last - first, 1.0)
    places = []
    for share in (0.04, 0.5, 0.96):
        wanted = first + share * (last - first)
        near = [p for p in found.points if abs(p.local_s + p.offset_s - wanted) < 0.1 * span]
        best = max(near, key=lambda point: point.weight, default=None)
        places.append(max((best.local_s + best.offset_s if best else wanted) - width_s / 2, 0.0))
    return tuple(places)


def listen(reference: NDArray[np.float32], local: NDArray[np.float32], way: Way) -> FloatArray:
    """The two for the ears, shape (frames, 2), equally loud.

    both : the sum in the middle, where an echo tells of a misfit. ears : reference left, recording right.
    difference : what is left of the reference when the recording is taken from it as well as one gain can.
    """
    if way == "difference":
        power = float(np.dot(local, local))
        gain = float(np.dot(reference, local)) / power if power > 0 else 0.0
        rest = _levelled(reference) - np.float32(gain) * local * _gain_of(reference)
        return np.repeat(rest[:, None], 2, axis=1)
    one, other = _levelled(reference), _levelled(local)
    if way == "ears":
        return np.stack([one, other], axis=1)
    return np.repeat(((one + other) * np.float32(0.7))[:, None], 2, axis=1)


def _gain_of(sound: NDArray[np.float32]) -> np.float32:
    level = float(np.sqrt(np.mean(np.square(sound)))) if sound.size else 0.0
    return np.float32(db_to_gain(HEARD_DBFS) / level if level > QUIETEST else 1.0)


def _levelled(sound: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.clip(sound * _gain_of(sound), -1.0, 1.0)
