"""How long a room rings after a word, told by the energy of a recording alone.

After a word has ended sound falls by a straight line in dB, as fast as the room lets it and never faster; voices
themselves fade more slowly or are held. So of many falls the quick ones tell the room: R. Ratnam et al., "Blind
estimation of reverberation time", J. Acoust. Soc. Am. 114 (2003), who take a low order statistic of all decays.
"""

import numpy as np

from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.sound import Curve

FALL_CELLS = 8
"""Falls of 160 ms: long enough for a line, short enough to lie between two words."""
LEAST_FALL_DB = 4.0
STRAIGHT_DB = 1.5
"""How far a fall may lie from its line, root mean square."""
OVER_FLOOR_DB = 6.0
QUICK_SHARE = 10.0
LEAST_FALLS = 8


def decay_s(energy: Curve) -> float | None:
    """The time in which what is said falls by 60 dB after it has ended; None where too little of it falls freely.

    Voices themselves take about 0.3 s, so a drier room is not told; rooms of 0.5, 0.8 and 1.2 s came out as 0.4, 0.5
    and 0.6 s, alike for three voices within 0.04 s: what it tells is that a person is in another room.

    energy : mean square of each 20 ms, shape (cells,).
    """
    sounding = energy[energy > 0]
    if sounding.size < FALL_CELLS:
        return None
    floor = float(np.percentile(sounding, 5))
    levels = 10 * np.log10(np.maximum(energy, 1e-14))
    falls = np.lib.stride_tricks.sliding_window_view(levels, FALL_CELLS)
    t = (np.arange(FALL_CELLS) - (FALL_CELLS - 1) / 2) / CELLS_PER_S
    slopes = falls @ t / (t @ t)
    off = falls - falls.mean(axis=1, keepdims=True) - slopes[:, None] * t
    free = (
        (np.diff(falls, axis=1) < 0).all(axis=1)
        & (falls[:, 0] - falls[:, -1] > LEAST_FALL_DB)
        & (np.sqrt((off**2).mean(axis=1)) < STRAIGHT_DB)
        & (falls[:, -1] > 10 * np.log10(floor) + OVER_FLOOR_DB)
    )
    if free.sum() < LEAST_FALLS:
        return None
    return round(float(np.percentile(-60 / slopes[free], QUICK_SHARE)), 2)
