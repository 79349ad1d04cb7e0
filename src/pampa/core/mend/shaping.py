"""The gains of the noise network made fit for the ear: pauses are closed, and the lows of a voice die away softly.

A mask that opens and shuts with every frame is near the truth and sounds cut out, most of all in the lows, where a
voice has its fundamental. What is lost in cleanness while a sound dies away is hidden under it (forward masking:
Jesteadt, Bacon & Lehman 1982). In return a frame with next to no talk in it is closed as a whole: what the network
leaves there in single groups would twitter.

Where the network cannot tell who is meant, as in a crowd as loud as the person, less is taken: words come before quiet.
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.mend.spectra import SIZE, Powers, edges
from pampa.core.sound import RATE

SOFTEST, SHARPEST, SHARPEST_DB = 0.5, 1.4, 60.0
"""Gains are taken to a power between these, the first where nothing is to be taken, the second at so many dB: a little
less noise is best taken everywhere alike, and much of it only where there is no talk."""
RELEASE, RELEASE_TO_HZ = np.float32(0.8), 300.0
"""Below this frequency a gain falls to no less than this share of itself from one frame to the next: 2 dB in 11 ms."""
OPEN_FROM, SHUT_FROM, TALK_BELOW_HZ = 0.1, 0.3, 5_000.0
"""Frames are closed by as much as less than a share of their power under 5 kHz is talk: the first share where little is
to be taken, the second where all is. Others talking are what is left in frames in which the person is silent."""
HELD, SOFT = 3, 1.0
"""A frame stays open for what is near it, and the edge between open and closed is rounded, in frames."""
MEMORY = 31
"""Frames after which what has sounded is forgotten: it has died away by 60 dB."""
SURE, LOST = 0.15, 0.18
"""Between these shares of power in doubt less and less is taken. Gains of one half everywhere make it a quarter."""
SURE_DB, LOST_SHARE = 60.0, 0.5
"""What is taken at most where the network is sure, and how much of what is asked for, in dB, where it cannot tell."""
NEAR = 31
"""Frames on either side that doubt is averaged over: a third of a second."""
AROUND = MEMORY + HELD + round(4 * SOFT)
"""Frames on either side that the gains of a frame depend on."""

Gains = NDArray[np.float32]


def shaped(gains: Gains, power: Powers, depth_db: float) -> Gains:
    """Gains for all but the first and last `AROUND` frames, from those that the network gives and the powers heard.

    gains, power : shape (frames, GROUPS). depth_db : by how much noise is to be lowered at most.
    """
    much = min(depth_db / SHARPEST_DB, 1)
    sharpness = np.float32(SOFTEST + (SHARPEST - SOFTEST) * much)
    power = power * np.diff(edges()).astype(np.float32)
    closed = gains**sharpness * _open(gains, power, OPEN_FROM + (SHUT_FROM - OPEN_FROM) * much)[:, None]
    count = len(gains) - 2 * AROUND
    inside = slice(AROUND, AROUND + count)
    out = closed[inside].copy()
    lows = slice(0, round(RELEASE_TO_HZ * SIZE / RATE))
    share = RELEASE
    for back in range(1, MEMORY + 1):
        np.maximum(out[:, lows], share * closed[AROUND - back : AROUND - back + count, lows], out=out[:, lows])
        share *= RELEASE
    least = _least_in_doubt(gains, power, depth_db)[inside, None]
    return least + (1 - least) * out


def _open(gains: Gains, power: Powers, share: float) -> NDArray[np.float32]:
    """From 0 for a frame without talk to 1 for one of which such a share is talk, shape (frames,)."""
    heard = slice(0, int(np.searchsorted(edges(), TALK_BELOW_HZ * SIZE / RATE)))
    gains, power = gains[:, heard], power[:, heard]
    talk = (power * gains**2).sum(axis=1) / np.maximum(power.sum(axis=1), np.float32(1e-20))
    near = scipy.ndimage.maximum_filter1d(np.minimum(talk / share, 1), 2 * HELD + 1)
    return np.asarray(scipy.ndimage.gaussian_filter1d(near, SOFT), np.float32)


def _least_in_doubt(gains: Gains, power: Powers, depth_db: float) -> NDArray[np.float32]:
    """The gain that a frame keeps at least, shape (frames,): next to nothing, save where much of its power is in doubt.

    A gain near nothing or one says that the network is sure.
    """
    near = np.ones(2 * NEAR + 1)
    unsure = scipy.ndimage.convolve1d((power * gains * (1 - gains)).sum(axis=1, dtype=np.float64), near)
    heard = scipy.ndimage.convolve1d(power.sum(axis=1, dtype=np.float64), near)
    lost = np.clip((unsure / np.maximum(heard, 1e-20) - SURE) / (LOST - SURE), 0, 1)
    return (10 ** -((SURE_DB + (LOST_SHARE * depth_db - SURE_DB) * lost) / 20)).astype(np.float32)
