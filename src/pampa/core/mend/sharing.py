"""Several open microphones in one room, mixed so that they sound like one: each is as loud as its share of them all.

Who talks is loudest in his own microphone, and a moment later and softer in the others; added up, the copies comb. Here
each microphone is lowered by how far it lies under the sum of all at that moment: with one person talking the others
step back by as much as they hear less of him, so that his copy is lowered twice, and with everybody silent the room is
no louder than in one microphone. Source: D. W. Dugan, "Automatic Microphone Mixing", J. Audio Eng. Soc. 23 (1975).
"""

from collections.abc import Sequence

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.sound import RATE, FloatArray, Segment, Source
from pampa.core.speech.features import PER_S, Features

MOST_DB = 24.0
LEAD_S, HOLD_S = 0.12, 0.25
"""A microphone is open before the first sound of a word, and stays so after the last."""
SMOOTH_S = 0.08
TOP_SHARE = 97.0
LEAST_FRAMES = PER_S

Shares = NDArray[np.float32]


def shares_db(own: Features, others: Sequence[Features]) -> Shares | None:
    """By how many dB a microphone is lowered in each 10 ms, 0 or less; None where there is nobody to share with.

    others : on this one's own time; any length. Levels count from each person's own loudest talk, so that no share
    hangs on how far a recorder was turned up.
    """
    if not others or own.frames < LEAST_FRAMES:
        return None
    mine = _held(own)
    everybody = mine.copy()
    for each in others:
        theirs = _held(each)
        count = min(mine.size, theirs.size)
        everybody[:count] += theirs[:count]
    share = 10 * np.log10(np.maximum(mine, 1e-12) / np.maximum(everybody, 1e-12))
    smooth = np.hanning(round(SMOOTH_S * PER_S) + 2)[1:-1]
    even = scipy.ndimage.convolve1d(share, smooth / smooth.sum(), mode="nearest")
    return np.clip(even, -MOST_DB, 0.0).astype(np.float32)


def shared(source: Source, segment: Segment, shares: Shares, amount: float) -> FloatArray:
    """One segment of a microphone at its share, to a part: 0 leaves it as it is, 1 gives it all of its share."""
    sound = source.read(segment.start, segment.stop)
    places = (np.arange(segment.start, segment.stop) - RATE / PER_S / 2) * (PER_S / RATE)
    db = np.interp(places, np.arange(shares.size), shares)
    return sound * (10 ** (amount * db / 20)).astype(np.float32)[:, None]


def _held(features: Features) -> NDArray[np.float64]:
    """Power, with what comes within the lead already counted, and what was within the hold still: over short gaps."""
    levels = features.speech.astype(np.float64)
    top = np.percentile(levels, TOP_SHARE) if levels.size else 0.0
    lead, hold = (round(seconds * PER_S) for seconds in (LEAD_S, HOLD_S))
    held = scipy.ndimage.maximum_filter1d(levels - top, lead + hold + 1, origin=(hold - lead) // 2)
    return np.asarray(10 ** (held / 10))
