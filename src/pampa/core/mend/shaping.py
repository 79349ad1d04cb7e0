"""The gains of the noise network made fit for the ear: pauses are closed, and the lows of a voice die away softly.

A mask that opens and shuts with every frame is near the truth and sounds cut out, most of all in the lows, where a
voice has its fundamental. What is lost in cleanness while a sound dies away is hidden under it (forward masking:
Jesteadt, Bacon & Lehman 1982). In return a frame with next to no talk in it is closed as a whole: what the network
leaves there in single groups would twitter.
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.mend.spectra import SIZE, Powers, edges
from pampa.core.sound import RATE

SHARPER = np.float32(1.4)
"""Gains are taken to this power: what the network is half sure of goes a little further."""
RELEASE, RELEASE_TO_HZ = np.float32(0.8), 300.0
"""Below this frequency a gain falls to no less than this share of itself from one frame to the next: 2 dB in 11 ms."""
OPEN_FROM = 0.07
"""Frames are closed by as much as less than this share of their power is talk."""
HELD, SOFT = 3, 1.0
"""A frame stays open for what is near it, and the edge between open and closed is rounded, in frames."""
MEMORY = 31
"""Frames after which what has sounded is forgotten: it has died away by 60 dB."""
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
    lows = slice(0, round(RELEASE_TO_HZ * SIZE / RATE))
    share = RELEASE
    for back in range(1, MEMORY + 1):
        np.maximum(out[:, lows], share * closed[AROUND - back : AROUND - back + count, lows], out=out[:, lows])
        share *= RELEASE
    return out


def _open(gains: Gains, power: Powers) -> NDArray[np.float32]:
    """From 0 for a frame without talk to 1, shape (frames,)."""
    widths = np.diff(edges()).astype(np.float32)
    power = power * widths
    talk = (power * gains**2).sum(axis=1) / np.maximum(power.sum(axis=1), np.float32(1e-20))
    near = scipy.ndimage.maximum_filter1d(np.minimum(talk / OPEN_FROM, 1), 2 * HELD + 1)
    return np.asarray(scipy.ndimage.gaussian_filter1d(near, SOFT), np.float32)
