"""The gains of the noise network made fit for the ear: pauses are closed, and what has sounded dies away softly.

A mask that opens and shuts with every frame is near the truth and sounds cut out. What is lost in cleanness while a
sound dies away is hidden under it (forward masking: Jesteadt, Bacon & Lehman 1982). In return a frame with next to no
talk in it is closed as a whole: what the network leaves there in single groups would twitter.
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.mend.spectra import Powers, edges

SHARPER = np.float32(1.2)
"""Gains are taken to this power: what the network is half sure of goes a little further."""
RELEASE = np.float32(0.7)
"""A gain falls to no less than this share of itself from one frame to the next: 3 dB in 11 ms."""
OPEN_FROM = 0.1
"""Frames are closed by as much as less than this share of their power is talk."""
HELD, SOFT = 3, 1.0
"""A frame stays open for what is near it, and the edge between open and closed is rounded, in frames."""
MEMORY = 20
"""Frames after which what has sounded is forgotten: it has died away by 62 dB."""
AROUND = MEMORY + HELD + round(4 * SOFT)
"""Frames on either side that the gains of a frame depend on."""

Gains = NDArray[np.float32]


def shaped(gains: Gains, power: Powers) -> Gains:
    """Gains for all but the first and last `AROUND` frames, from those that the network gives and the powers heard.

    gains, power : shape (frames, GROUPS).
    """
    closed = gains**SHARPER * _open(gains, power)[:, None]
    count = len(gains) - 2 * AROUND
    out = closed[AROUND : AROUND + count].copy()
    share = RELEASE
    for back in range(1, MEMORY + 1):
        np.maximum(out, share * closed[AROUND - back : AROUND - back + count], out=out)
        share *= RELEASE
    return out


def _open(gains: Gains, power: Powers) -> NDArray[np.float32]:
    """From 0 for a frame without talk to 1, shape (frames,)."""
    widths = np.diff(edges()).astype(np.float32)
    power = power * widths
    talk = (power * gains**2).sum(axis=1) / np.maximum(power.sum(axis=1), np.float32(1e-20))
    near = scipy.ndimage.maximum_filter1d(np.minimum(talk / OPEN_FROM, 1), 2 * HELD + 1)
    return np.asarray(scipy.ndimage.gaussian_filter1d(near, SOFT), np.float32)
