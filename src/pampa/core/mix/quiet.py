"""The quiet between words that is nearest to a place: where a cut is heard least."""

import numpy as np
import scipy

from pampa.core.sound import RATE, FloatArray, to_mono

REACH = round(0.35 * RATE)
"""How far a place may be moved."""
CELL = RATE // 200
AWAY_DB_PER_S = 30.0
"""A place further off must be quieter by this much to be taken."""
CROSSING = round(0.003 * RATE)


def quiet_near(sound: FloatArray) -> int:
    """How many frames after the middle of `sound` it is quiet; less than 0 where that is before it.

    sound : what is heard from REACH before a place to REACH after it, shape (2 * REACH, channels). The least mean
    square over 10 ms is looked for, a little in favour of what is near, and from there the next crossing of zero.
    Sound that is silent throughout gives 0.
    """
    mono = to_mono(sound.astype(np.float64))
    middle = len(mono) // 2
    if not np.any(mono):
        return 0
    power = scipy.ndimage.uniform_filter1d(mono**2, 2 * CELL)[::CELL]
    places = np.arange(len(power)) * CELL
    cost = 10 * np.log10(power + 1e-14) + AWAY_DB_PER_S * np.abs(places - middle) / RATE
    best = int(places[np.argmin(cost)])
    first = max(best - CROSSING, 0)
    near = mono[first : best + CROSSING]
    crossings = np.flatnonzero(np.signbit(near[1:]) != np.signbit(near[:-1])) + 1 + first
    if crossings.size:
        best = int(crossings[np.argmin(np.abs(crossings - best))])
    return best - middle
