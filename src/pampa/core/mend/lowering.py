"""Places of a recording made softer, with slopes on either side: breaths, pauses, other people's turns."""

import numpy as np
from numpy.typing import NDArray

from pampa.core.sound import FloatArray, Segment, Source

Places = NDArray[np.int64]
"""Where sound is lowered in full, in frames: shape (places, 2), in order."""


def lowered(source: Source, segment: Segment, places: Places, db: float, fade: int) -> FloatArray:
    """One segment with its places lowered by `db`. fade : frames of the slope before and after each place."""
    sound = source.read(segment.start, segment.stop)
    first = np.searchsorted(places[:, 1] + fade, segment.start, "right")
    last = np.searchsorted(places[:, 0] - fade, segment.stop)
    if db <= 0 or first >= last:
        return sound
    share = np.zeros(len(sound))
    for start, stop in places[first:last]:
        begin, end = max(start - fade, segment.start), min(stop + fade, segment.stop)
        frames = np.arange(begin, end)
        ramp = np.clip(np.minimum(frames - start + fade, stop + fade - frames) / fade, 0, 1)
        here = share[begin - segment.start : end - segment.start]
        np.maximum(here, ramp, out=here)
    gain = 10 ** (-db * share / 20)
    return sound * gain.astype(np.float32)[:, None]
